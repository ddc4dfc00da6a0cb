import type { EnvironmentRow, Store } from '@vekkon/store';
import type { GiftAudience } from '@vekkon/protocol';
import type { Logger } from './log.js';
import type { PlayerSearch } from './player-search.js';

/** How many players one command deals with: others get their turn in between. */
const playersAtATime = 25;
/** How many are written down at a time. */
const writtenAtATime = 500;
/** After a step that failed, such as on a full disk. */
const waitAfterFailure = 5_000;

/** Gives what many players get, and takes it back, a few players at a time: after a start it goes on where it was. */
export class Gifts {
  readonly #store: Store;
  readonly #search: PlayerSearch;
  readonly #log: Logger;
  readonly #running = new Map<number, Promise<void>>();
  #isStopping = false;
  #wake: (() => void) | undefined;

  constructor(store: Store, search: PlayerSearch, log: Logger) {
    this.#store = store;
    this.#search = search;
    this.#log = log;
  }

  /** Those that were on their way when the service ended go on. */
  async goOn(): Promise<void> {
    for (const row of await this.#store.reader.gifts.underWay()) {
      // Nobody was told that it has begun: whoever asked for it asks again.
      if (row.state === 'gathering') await this.#store.writer.do('abandonGift', { gift: row.number });
      else this.run(row.number);
    }
  }

  /** Writes down who gets a gift, where they are not everybody, and begins with it. */
  async gather(gift: number, place: EnvironmentRow, audience: GiftAudience): Promise<void> {
    try {
      if (!('everybody' in audience)) await this.#writeDown(gift, place, audience);
    } catch (error) {
      await this.#store.writer.do('abandonGift', { gift }).catch(() => undefined);
      throw error;
    }
    this.run(gift);
  }

  async #writeDown(gift: number, place: EnvironmentRow, audience: GiftAudience): Promise<void> {
    const { writer } = this.#store;
    const seen = new Set<string>();
    let batch: string[] = [];
    for await (const id of this.#search.all(place, audience)) {
      if (seen.has(id)) continue;
      seen.add(id);
      batch.push(id);
      if (batch.length < writtenAtATime) continue;
      await writer.do('gatherGift', { gift, players: batch, isWhole: false });
      batch = [];
    }
    await writer.do('gatherGift', { gift, players: batch, isWhole: true });
  }

  /** Does what is left of a gift, as it stands now. */
  run(gift: number): void {
    if (this.#isStopping) return;
    const before = this.#running.get(gift) ?? Promise.resolve();
    const running = before
      .then(() => this.#allSteps(gift))
      .finally(() => {
        if (this.#running.get(gift) === running) this.#running.delete(gift);
      });
    this.#running.set(gift, running);
  }

  async stop(): Promise<void> {
    this.#isStopping = true;
    this.#wake?.();
    await Promise.all(this.#running.values());
  }

  async #allSteps(gift: number): Promise<void> {
    let atMost = playersAtATime;
    while (!this.#isStopping) {
      try {
        const { state } = await this.#store.writer.do('giftStep', { gift, atMost });
        if (state !== 'giving' && state !== 'taking-back') return;
        atMost = playersAtATime;
      } catch (err) {
        if (this.#isStopping) return;
        if (!this.#store.writer.isWritable) await this.#pause();
        // One by one it shows whose records can't be read: they are left out, and the others get it.
        else if (atMost > 1) atMost = 1;
        else {
          this.#log.error({ err, gift }, 'A player could not be given a gift, and was left out');
          await this.#store.writer.do('giftStep', { gift, atMost: 1, skips: true }).catch(() => this.#pause());
        }
      }
    }
  }

  #pause(): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, waitAfterFailure);
      timer.unref();
      this.#wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }
}
