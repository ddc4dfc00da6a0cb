import {
  applyTransaction,
  readRecords,
  startingRecords,
  type Change,
  type Records,
  type Rules,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import { ChangeRefused } from '../errors.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import { Playing } from '../session/playing.js';
import { Listeners } from './events.js';
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
  #rules: Rules;
  readonly #records: Map<string, StoredRecord>;
  readonly #done: Transaction[] = [];
  readonly #replaced = new Listeners<[session: HostSession<Game>, dropped: readonly Transaction[]]>();

  constructor(player: string, rules: Rules) {
    super();
    this.player = player;
    this.#rules = rules;
    this.#records = new Map(readRecords(startingRecords(rules.manifest).records, rules));
  }

  override get records(): Records {
    return this.#records;
  }

  /** Tells the game that the real session is here, and what is dropped for it. */
  onReplaced(listener: (session: HostSession<Game>, dropped: readonly Transaction[]) => void): () => void {
    return this.#replaced.add(listener);
  }

  /** @internal */
  replaceWith(session: HostSession<Game>): void {
    this.#replaced.tell(session, this.#done);
  }

  protected override nothingDone(): void {
    // There is nothing to wait for.
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.#records.get(key);
  }

  protected override do(change: Change): void {
    const transaction: Transaction = { changes: [structuredClone(change)] };
    const outcome = applyTransaction(this.#records, transaction, this.#rules, new Date().toISOString());
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
    if (outcome.learned !== undefined) this.#rules = { ...this.#rules, manifest: outcome.learned };
    for (const [key, record] of outcome.changed) this.#records.set(key, record);
    this.#done.push(transaction);
  }
}
