import type { Change, Records, StoredRecord } from '@vekkon/core';
import type { AnyGame, GameShape } from './game-shape.js';
import { keyOf, Playing } from './playing.js';

/** Changes that are written down to be applied together. It reads the records as they were before; balances as they will be. */
export class TransactionDraft<Game extends GameShape = AnyGame> extends Playing<void, Game> {
  readonly changes: Change[] = [];
  readonly #under: { readonly records: Records; readonly read: (key: string) => StoredRecord | undefined };

  constructor(under: { readonly records: Records; readonly read: (key: string) => StoredRecord | undefined }) {
    super();
    this.#under = under;
  }

  override get records(): Records {
    return this.#under.records;
  }

  override balance(currency: Game['currencies']): number {
    const key = keyOf('currency', currency);
    return this.changes.reduce((balance, change) => {
      if ((change.op !== 'credit' && change.op !== 'debit') || change.key !== key) return balance;
      return change.op === 'credit' ? balance + change.amount : balance - change.amount;
    }, super.balance(currency));
  }

  protected override nothingDone(): void {
    // Nothing is written down.
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.#under.read(key);
  }

  protected override do(change: Change): void {
    this.changes.push(copyOf(change));
  }
}

/** A copy, so that what the game changes later in the same object can't slip into a save. */
function copyOf(change: Change): Change {
  try {
    return structuredClone(change);
  } catch {
    // It holds what can't be sent either: whoever checks the transaction says so.
    return change;
  }
}
