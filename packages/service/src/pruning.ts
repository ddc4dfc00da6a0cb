import { pruneSteps, type Store } from '@vekkon/store';
import type { Logger } from './log.js';

/** How many rows one command looks at: others get their turn in between. */
const rowsAtATime = 200;

/** Forgets what is outdated, in small commands, one after the other. */
export class Pruning {
  readonly #store: Store;
  readonly #log: Logger;
  #running: Promise<void> | undefined;
  #isStopping = false;

  constructor(store: Store, log: Logger) {
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
}
