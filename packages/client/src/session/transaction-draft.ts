import type { Change, Records, StoredRecord } from '@vekkon/core';
import { Playing } from './playing.js';

/** Changes that are written down to be applied together. It reads the records as they were before. */
export class TransactionDraft extends Playing<void> {
  readonly changes: Change[] = [];
  readonly #under: { readonly records: Records; readonly read: (key: string) => StoredRecord | undefined };

  constructor(under: { readonly records: Records; readonly read: (key: string) => StoredRecord | undefined }) {
    super();
    this.#under = under;
  }

  override get records(): Records {
    return this.#under.records;
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.#under.read(key);
  }

  protected override do(change: Change): void {
    // A copy, so that what the game changes later in the same object can't slip into a save.
    this.changes.push(structuredClone(change));
  }
}
