import {
  applyTransaction,
  readRecords,
  type Applied,
  type Records,
  type Refused,
  type Rules,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';

interface Done {
  readonly transaction: Transaction;
  /** RFC 3339. */
  readonly at: string;
}

/**
 * The copy of a player's records that a game works on.
 *
 * What the service has acknowledged lies at the bottom; what the game did
 * since is applied on top, with the same rules as the service's.
 */
export class LocalRecords {
  readonly #rules: Rules;
  readonly #acknowledged: Map<string, StoredRecord>;
  #done: Done[] = [];
  #view: Map<string, StoredRecord>;

  constructor(loaded: RecordsByKey, rules: Rules) {
    this.#rules = rules;
    this.#acknowledged = new Map(Object.entries(loaded));
    this.#view = new Map(this.#acknowledged);
  }

  /** The records as the game sees them. */
  get records(): Records {
    return this.#view;
  }

  /** How many transactions the service has not acknowledged yet. */
  get pending(): number {
    return this.#done.length;
  }

  /** Does a transaction at once, whole or not at all. */
  do(transaction: Transaction, at: string): Applied | Refused {
    const outcome = applyTransaction(this.#view, transaction, this.#rules, at);
    if (!outcome.applied) return outcome;
    for (const [key, record] of outcome.changed) this.#view.set(key, record);
    this.#done.push({ transaction, at });
    return outcome;
  }

  /**
   * Takes in what the service sent. Revisions older than what is here are
   * left out; what is not acknowledged yet is applied again on top.
   *
   * @param records the records that the service sent
   * @param count   how many of the oldest transactions it has answered
   * @returns the keys under which the game now sees something else
   */
  acknowledge(records: RecordsByKey, count: number): ReadonlySet<string> {
    for (const [key, record] of Object.entries(records)) {
      if (record.revision >= (this.#acknowledged.get(key)?.revision ?? 0)) this.#acknowledged.set(key, record);
    }
    this.#done = this.#done.slice(count);
    const before = this.#view;
    this.#view = new Map(this.#acknowledged);
    for (const { transaction, at } of this.#done) {
      const outcome = applyTransaction(this.#view, transaction, this.#rules, at);
      // What can't be applied any more is not shown; the service decides, and says so.
      if (outcome.applied) for (const [key, record] of outcome.changed) this.#view.set(key, record);
    }
    return changedKeys(before, this.#view);
  }

  /** The record under a key, or the starting value of what is declared and not stored. */
  read(key: string): StoredRecord | undefined {
    return this.#view.get(key) ?? readRecords(new Map(), this.#rules.manifest).get(key);
  }
}

function changedKeys(before: Records, after: Records): ReadonlySet<string> {
  const changed = new Set<string>();
  for (const key of new Set([...before.keys(), ...after.keys()])) {
    if (JSON.stringify(before.get(key)?.value) !== JSON.stringify(after.get(key)?.value)) changed.add(key);
  }
  return changed;
}
