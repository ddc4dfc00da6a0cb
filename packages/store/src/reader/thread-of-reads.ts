import type { Worker } from 'node:worker_threads';
import { Refusal } from '@vekkon/protocol/problems';
import { SpareThread } from '../spare-thread.js';
import { thrown } from '../crossing.js';
import type { FromReadingThread, ToReadingThread } from './reading-thread.js';
import { namesOfLongReads, type LongRead, type LongReads } from './long-reads.js';

interface Pending {
  readonly resolve: (found: never) => void;
  readonly reject: (reason: unknown) => void;
}

/** What it reads is passed on soon: a small young generation (of 48 MB by itself) takes less, and costs no time that could be measured. */
const threads = new SpareThread(new URL('./reading-thread.js', import.meta.url), { maxYoungGenerationSizeMb: 12 });

/** The thread in which long reads are done, from this side of it. Started when it is first asked. */
export class ThreadOfReads {
  /** One function for each long read. */
  readonly reads: LongReads;
  readonly #folder: string;
  readonly #pending = new Map<number, Pending>();
  #worker: Worker | undefined;
  #lastId = 0;
  #isClosed = false;

  constructor(folder: string) {
    this.#folder = folder;
    this.reads = Object.fromEntries(
      namesOfLongReads.map((name) => [name, (...given: readonly unknown[]) => this.#read(name, given)]),
    ) as unknown as LongReads;
  }

  /** Starts the thread before somebody waits for it. */
  warm(): void {
    if (!this.#isClosed) this.#worker ??= this.#start();
  }

  /** What still runs is let go. */
  async close(): Promise<void> {
    this.#isClosed = true;
    const worker = this.#worker;
    if (worker === undefined) return;
    this.#worker = undefined;
    if (this.#pending.size > 0) {
      this.#failAll(new Refusal('service-stopping', undefined, { retryAfter: 2 }));
      await worker.terminate();
      return;
    }
    await new Promise<void>((resolve) => {
      worker.removeAllListeners();
      worker.once('message', () => resolve());
      worker.once('exit', () => resolve());
      worker.postMessage({ close: true } satisfies ToReadingThread);
    });
    threads.leave(worker);
  }

  #read(name: LongRead, given: readonly unknown[]): Promise<unknown> {
    if (this.#isClosed) return Promise.reject(new Refusal('service-stopping', undefined, { retryAfter: 2 }));
    const worker = (this.#worker ??= this.#start());
    return new Promise((resolve, reject) => {
      const id = ++this.#lastId;
      this.#pending.set(id, { resolve, reject });
      worker.postMessage({ id, name, given } satisfies ToReadingThread);
    });
  }

  #start(): Worker {
    const worker = threads.take();
    worker.on('message', (message: FromReadingThread) => {
      if (!('id' in message)) return;
      const pending = this.#pending.get(message.id);
      this.#pending.delete(message.id);
      if ('error' in message) pending?.reject(thrown(message.error));
      else pending?.resolve(message.found as never);
    });
    // A fault of ours: whoever waits is told, and the next read starts another thread.
    const end = (cause: unknown) => {
      if (this.#worker === worker) this.#worker = undefined;
      this.#failAll(cause);
    };
    worker.on('error', end);
    worker.on('exit', (code) => end(new Error(`The thread of long reads ended with status ${code}.`)));
    worker.postMessage({ open: this.#folder } satisfies ToReadingThread);
    return worker;
  }

  #failAll(cause: unknown): void {
    for (const { reject } of this.#pending.values()) reject(cause);
    this.#pending.clear();
  }
}
