import { Worker, type ResourceLimits } from 'node:worker_threads';

/**
 * Threads of one kind. One that serves nobody any more is kept for whoever
 * comes next: starting one takes longer than most of what it is asked.
 */
export class SpareThread {
  readonly #file: URL;
  readonly #limits: ResourceLimits;
  #spare: Worker | undefined;

  /**
   * @param file what the thread runs
   * @param limits what it may take of memory
   */
  constructor(file: URL, limits: ResourceLimits = {}) {
    this.#file = file;
    this.#limits = limits;
  }

  take(): Worker {
    const worker = this.#spare ?? this.#start();
    this.#spare = undefined;
    worker.removeAllListeners();
    worker.ref();
    return worker;
  }

  /** One begins now, for whoever comes first. */
  startAhead(): void {
    if (this.#spare === undefined) this.leave(this.#start());
  }

  #start(): Worker {
    return new Worker(this.#file, { resourceLimits: this.#limits });
  }

  /** It has nothing left to do. */
  leave(worker: Worker): void {
    worker.removeAllListeners();
    worker.unref();
    if (this.#spare !== undefined) return void worker.terminate();
    this.#spare = worker;
    const forget = () => {
      if (this.#spare === worker) this.#spare = undefined;
    };
    worker.once('error', forget);
    worker.once('exit', forget);
  }
}
