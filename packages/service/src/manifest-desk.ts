import type { Worker } from 'node:worker_threads';
import type { Manifest } from '@vekkon/core';
import type { Mistake, ReadManifest } from '@vekkon/core/manifest-file';
import { Refusal } from '@vekkon/protocol';
import { SpareThread } from '@vekkon/store';
import type { FromManifestThread } from './manifest-thread.js';

/** How long one manifest may take, in milliseconds, and how many may wait for their turn. */
const usualDeadline = 5_000;
const mostWaiting = 20;
const mostOfOne = 3;

/** How long the thread may take to begin, in milliseconds: a fault of the machine, not of the manifest. */
const beginsWithin = 30_000;

/** How long an idle thread is kept, in milliseconds: manifests are read seldom, and it takes some 40 MiB. */
const usualIdle = 60_000;

/** Threads in which manifests are read, for one desk after the other. */
const threads = new SpareThread(new URL('./manifest-thread.js', import.meta.url), {
  maxOldGenerationSizeMb: 512,
  maxYoungGenerationSizeMb: 12,
});

interface Waiting {
  readonly source: string;
  readonly by: string;
  readonly resolve: (read: ReadManifest) => void;
  readonly reject: (reason: unknown) => void;
}

/**
 * Reads manifests in a thread of their own, one after the other, each within
 * one deadline: whatever somebody sends, nobody else's call waits for it.
 */
export class ManifestDesk {
  #thread: Worker | undefined;
  readonly #waiting: Waiting[] = [];
  #running: Waiting | undefined;
  #timer: NodeJS.Timeout | undefined;
  readonly #deadline: number;
  readonly #idle: number;

  /**
   * @param deadline how long one manifest may take, in milliseconds
   * @param idle     how long the thread is kept with nothing to do, in milliseconds
   */
  constructor(deadline = usualDeadline, idle = usualIdle) {
    this.#deadline = deadline;
    this.#idle = idle;
  }

  /**
   * Reads a manifest.
   *
   * @param by who sent it: nobody has more than three waiting
   * @throws Refusal `manifest-too-costly` where it takes too long, `too-many-requests` where too many wait
   */
  read(source: string, by: string): Promise<ReadManifest> {
    const theirs = this.#waiting.filter((one) => one.by === by).length + (this.#running?.by === by ? 1 : 0);
    if (theirs >= mostOfOne || this.#waiting.length >= mostWaiting) {
      const detail = 'Manifests are checked one after the other: wait for those that you sent before.';
      throw new Refusal('too-many-requests', detail, { retryAfter: 1 });
    }
    return new Promise((resolve, reject) => {
      this.#waiting.push({ source, by, resolve, reject });
      this.#next();
    });
  }

  /** The manifest in a file's text; refused with every mistake in it. */
  async manifestIn(source: string, by: string): Promise<Manifest> {
    const read = await this.read(source, by);
    if ('manifest' in read) return read.manifest;
    throw manifestInvalid(read.mistakes);
  }

  /** The service stops: what is being read is let go. */
  close(): void {
    const left = [...(this.#running === undefined ? [] : [this.#running]), ...this.#waiting.splice(0)];
    if (this.#running === undefined) this.#leave();
    this.#end();
    for (const one of left) one.reject(new Refusal('service-stopping', undefined, { retryAfter: 2 }));
  }

  #next(): void {
    if (this.#running !== undefined) return;
    this.#running = this.#waiting.shift();
    if (this.#running === undefined) return;
    this.#wait(beginsWithin);
    this.#thread ??= this.#start();
    this.#thread.ref();
    this.#thread.postMessage(this.#running.source);
  }

  #wait(milliseconds: number): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#giveUp(), milliseconds);
  }

  #start(): Worker {
    const started = threads.take();
    started.on('message', (message: FromManifestThread) => {
      if (message === 'begun') return this.#wait(this.#deadline);
      const { resolve } = this.#running ?? {};
      this.#done();
      resolve?.(message);
    });
    // Too much memory, or a fault of ours.
    started.on('error', () => this.#giveUp());
    return started;
  }

  #giveUp(): void {
    const { reject } = this.#running ?? {};
    this.#end();
    reject?.(new Refusal('manifest-too-costly'));
    this.#next();
  }

  #done(): void {
    clearTimeout(this.#timer);
    this.#running = undefined;
    // Keeps no process alive while it does nothing.
    this.#thread?.unref();
    this.#timer = setTimeout(() => this.#end(), this.#idle).unref();
    this.#next();
  }

  /** An idle thread is kept for the next desk. */
  #leave(): void {
    if (this.#thread !== undefined) threads.leave(this.#thread);
    this.#thread = undefined;
  }

  #end(): void {
    clearTimeout(this.#timer);
    this.#running = undefined;
    this.#thread?.removeAllListeners();
    void this.#thread?.terminate();
    this.#thread = undefined;
  }
}

function manifestInvalid(mistakes: readonly Mistake[]): Refusal {
  const [first] = mistakes;
  return new Refusal(
    'manifest-invalid',
    `The manifest has ${mistakes.length === 1 ? 'a mistake' : `${mistakes.length} mistakes`}; line ${first?.line}, column ${first?.column}: ${first?.detail}`,
    { mistakes },
  );
}
