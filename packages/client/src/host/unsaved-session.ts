import {
  readRecords,
  startingRecords,
  type Change,
  type Records,
  type Rules,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import { ChangeRefused, checkpointUnknown } from '../errors.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import type { GameTuning } from '../session/game-tuning.js';
import { LocalRecords } from '../session/local-records.js';
import { Playing } from '../session/playing.js';
import { Listeners } from '../listeners.js';
import type { HostSession } from './host-session.js';

/**
 * A stay that is not saved, for a player who could not be joined: it starts
 * from starting values, plainly as such, and nothing of it is ever written.
 * It has no `save`. When the player can be joined after all, the real session
 * takes its place, and what was done here is dropped.
 */
export class UnsavedSession<Game extends GameShape = AnyGame> extends Playing<void, Game> {
  readonly isSaved = false;
  readonly player: string;
  readonly #local: LocalRecords;
  readonly #replaced = new Listeners<[session: HostSession<Game>, dropped: readonly Transaction[]]>();

  /** The tunables, as for nobody in particular. */
  readonly tuning: GameTuning<Game>;

  constructor(player: string, rules: Rules, tuning: GameTuning<Game>) {
    super();
    this.player = player;
    this.tuning = tuning;
    const starting = readRecords(startingRecords(rules.manifest).records, rules);
    this.#local = new LocalRecords(Object.fromEntries(starting), rules);
  }

  override get records(): Records {
    return this.#local.records;
  }

  /** Tells the game that the real session is here, and what is dropped for it. */
  onReplaced(listener: (session: HostSession<Game>, dropped: readonly Transaction[]) => void): () => void {
    return this.#replaced.add(listener);
  }

  /** @internal */
  replaceWith(session: HostSession<Game>): void {
    this.#replaced.tell(session, this.#local.unacknowledged);
  }

  protected override nothingDone(): void {
    // There is nothing to wait for.
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.#local.read(key);
  }

  protected override do(change: Change): void {
    if (change.op === 'restore' && !this.#local.holds(change.name)) throw checkpointUnknown(change.name, []);
    const outcome = this.#local.do({ changes: [change] }, new Date().toISOString());
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
  }
}
