import type { FoundByRow, Store } from '@vekkon/store';
import type { Environments } from './environments.js';
import type { Logger } from './log.js';

/** How many players one command takes in: others get their turn in between. */
const playersAtATime = 100;
const waitAfterFailure = 5_000;

/** Takes in what players can be found by from now on, beside the writer; after a start it goes on where it was. */
export class TakingIn {
  readonly #store: Store;
  readonly #environments: Environments;
  readonly #log: Logger;
  #running: Promise<void> | undefined;
  #isAsked = false;
  #isStopping = false;
  #timer: NodeJS.Timeout | undefined;

  constructor(store: Store, environments: Environments, log: Logger) {
    this.#store = store;
    this.#environments = environments;
    this.#log = log;
  }

  /** Takes in whatever is wanted and not ready. Resolves when nothing of it is left, or nothing can be written now. */
  run(): Promise<void> {
    this.#isAsked = true;
    this.#running ??= this.#all()
      .catch((err: unknown) => {
        if (this.#isStopping) return;
        this.#log.warn({ err }, 'What players are found by could not be taken in now: tried again soon');
        this.#timer = setTimeout(() => void this.run(), waitAfterFailure).unref();
      })
      .finally(() => (this.#running = undefined));
    return this.#running;
  }

  async stop(): Promise<void> {
    this.#isStopping = true;
    clearTimeout(this.#timer);
    await this.#running;
  }

  async #all(): Promise<void> {
    while (this.#isAsked && !this.#isStopping) {
      this.#isAsked = false;
      for (const row of await this.#store.reader.foundBy.unready()) await this.#takeIn(row);
    }
  }

  async #takeIn({ number: foundBy, environment, of, through }: FoundByRow): Promise<void> {
    const { longReads, writer } = this.#store;
    const place = this.#environments.numbered(environment);
    for (let after: number | null = through; after !== null && !this.#isStopping;) {
      const found = await longReads.foundValues(place, of, after, playersAtATime);
      const { isWanted } = await writer.do('takeInFound', { foundBy, ...found });
      after = isWanted ? found.through : null;
    }
  }
}
