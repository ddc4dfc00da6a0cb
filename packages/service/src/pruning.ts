import { pruneSteps, type Clock, type Store } from '@vekkon/store';
import type { Logger } from './log.js';

/** How many rows one command looks at: others get their turn in between. */
const rowsAtATime = 200;

/** How many players are looked at for what is outdated in one go, and how often all of them are, in milliseconds. */
const playersAtATime = 100;
const thinsEvery = 24 * 60 * 60 * 1000;

/** Forgets what is outdated, in small commands, one after the other. */
export class Pruning {
  readonly #store: Store;
  readonly #log: Logger;
  readonly #clock: Clock;
  #running: Promise<void> | undefined;
  #isStopping = false;
  #thinning: Promise<void> | undefined;
  #thinnedAt: number | undefined;

  constructor(store: Store, log: Logger, clock: Clock) {
    this.#clock = clock;
    this.#store = store;
    this.#log = log;
  }

  /** Resolves when nothing outdated is left. What can't be pruned now, such as on a full disk, is pruned later. */
  run(): Promise<void> {
    this.#running ??= this.#all()
      .catch((err: unknown) => this.#log.warn({ err }, 'Nothing could be pruned now'))
      .finally(() => (this.#running = undefined));
    return this.#running;
  }

  /** Resolves when the command that runs is done: the rest is pruned after the next start. */
  async stop(): Promise<void> {
    this.#isStopping = true;
    await this.#running;
    await this.#thinning;
  }

  async #all(): Promise<void> {
    const { writer } = this.#store;
    await writer.do('noteTime', {});
    for (const step of pruneSteps) {
      for (let after: number | null = 0; after !== null && !this.#isStopping;) {
        after = await writer.do('prune', { step, after, atMost: rowsAtATime });
      }
    }
  }

  /** What of history and ledgers is kept longer than its term, of every player in turn, once a day. */
  thin(): Promise<void> {
    const now = this.#clock.now();
    // Where the clock has jumped nothing grows old until somebody says that it is right.
    const isDue = this.#thinnedAt === undefined || now - this.#thinnedAt >= thinsEvery;
    if (this.#isStopping || !isDue || this.#store.clockJump() !== 0) return Promise.resolve();
    this.#thinning ??= this.#thinAll(now)
      .catch((err: unknown) => this.#log.warn({ err }, 'History could not be thinned out now'))
      .finally(() => (this.#thinning = undefined));
    return this.#thinning;
  }

  async #thinAll(now: number): Promise<void> {
    const { writer, longReads } = this.#store;
    for (let after: number | null = 0; after !== null && !this.#isStopping;) {
      const { parts, next } = await longReads.outdated(after, playersAtATime, now);
      for (const part of parts) if (!this.#isStopping) await writer.do('thin', { part });
      after = next;
    }
    if (!this.#isStopping) this.#thinnedAt = now;
  }
}
