import { Worker } from 'node:worker_threads';

/**
 * Threads of one kind. One that serves nobody any more is kept for whoever
 * comes next: starting one takes longer than most of what it is asked.
 */
export class SpareThread {
  readonly #file: URL;
  #spare: Worker | undefined;

  /** @param file what the thread runs */
  constructor(file: URL) {
    this.#file = file;
  }

  take(): Worker {
    const worker = this.#spare ?? new Worker(this.#file);
    this.#spare = undefined;
    worker.removeAllListeners();
    worker.ref();
    return worker;
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
