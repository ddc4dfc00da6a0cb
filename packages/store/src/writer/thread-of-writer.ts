import type { Worker } from 'node:worker_threads';
import type { Delivery, GivenCommand } from './command-queue.js';
import { thrown } from '../crossing.js';
import type { FromThread, ThreadStart, ToThread } from './writer-thread.js';
import { writerThreads } from './writer-threads.js';

/** The thread in which everything is written, from this side of it. */
export class ThreadOfWriter {
  /** The trusted time of the last commit before this start; undefined if there was none. */
  readonly lastCommitAt: number | undefined;
  /** Told what commits did, and of the fault by which the thread ended where nobody had asked it to. */
  onDelivery: (delivery: Delivery) => void = () => undefined;
  onFault: (cause: Error) => void = () => undefined;
  readonly #worker: Worker;
  #hasEnded = false;
  #onClosed: (() => void) | undefined;

  private constructor(worker: Worker, lastCommitAt: number | undefined) {
    this.#worker = worker;
    this.lastCommitAt = lastCommitAt;
    worker.on('message', (message: FromThread) => {
      if ('answers' in message) this.onDelivery(message);
      else if (message.is === 'closed') this.#leave();
    });
    worker.on('error', (error) => this.#end(error));
    worker.on('exit', (code) => this.#end(new Error(`The thread of the writer ended with status ${code}.`)));
  }

  /** @throws if the folder can't be opened */
  static start(start: ThreadStart): Promise<ThreadOfWriter> {
    const worker = writerThreads.take();
    return new Promise((resolve, reject) => {
      worker.once('error', reject);
      worker.once('message', (message: FromThread) => {
        worker.off('error', reject);
        if ('is' in message && message.is === 'up') return resolve(new ThreadOfWriter(worker, message.at));
        void worker.terminate();
        if ('is' in message && message.is === 'not-up') reject(thrown(message.error));
      });
      worker.postMessage({ open: start } satisfies ToThread);
    });
  }

  give(given: readonly GivenCommand[]): void {
    this.#worker.postMessage(JSON.stringify(given) satisfies ToThread);
  }

  /** @param at the time that is trusted, milliseconds since 1970 */
  close(at: number): Promise<void> {
    if (this.#hasEnded) return Promise.resolve();
    return new Promise((resolve) => {
      this.#onClosed = resolve;
      this.#worker.postMessage({ close: at } satisfies ToThread);
    });
  }

  #leave(): void {
    writerThreads.leave(this.#worker);
    this.#onClosed?.();
  }

  #end(cause: Error): void {
    if (this.#hasEnded) return;
    this.#hasEnded = true;
    if (this.#onClosed === undefined) this.onFault(cause);
    else this.#onClosed();
  }
}
