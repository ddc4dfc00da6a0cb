import { kinds, type Change, type Json, type Kind, type Records, type StoredRecord } from '@vekkon/core';

/** What does not start with a kind is a name, or one of a family, of the kind that the change is for. */
export function keyOf(kind: Kind, nameOrKey: string): string {
  const isKey = kinds.some((one) => nameOrKey.startsWith(`${one}/`));
  return isKey ? nameOrKey : `${kind}/${nameOrKey}`;
}

/**
 * What a game does with a player's records: the same in a session, inside a
 * transaction, and where nothing is saved.
 *
 * @typeParam Done what each change gives back
 */
export abstract class Playing<Done> {
  /** The player's records by key, with everything that was done here. */
  abstract get records(): Records;

  protected abstract read(key: string): StoredRecord | undefined;
  protected abstract do(change: Change): Done;

  /** What a record holds: `value('flight')`, `value('preference/invert-pitch')`. What names no kind is of progress. */
  value(key: string): Json | undefined {
    return this.read(keyOf('progress', key))?.value;
  }

  /** The balance of a currency. */
  balance(currency: string): number {
    return Number(this.read(keyOf('currency', currency))?.value ?? 0);
  }

  /** Adds to a currency; `reason` stands in the ledger. */
  credit(currency: string, amount: number, reason: string): Done {
    return this.do({ op: 'credit', key: keyOf('currency', currency), amount, reason });
  }

  /** Takes from a currency; refused if it would fall below its floor. */
  debit(currency: string, amount: number, reason: string): Done {
    return this.do({ op: 'debit', key: keyOf('currency', currency), amount, reason });
  }

  /** Replaces a value. With `ifRevision` only if that revision is stored. */
  put(key: string, value: Json, { ifRevision }: { readonly ifRevision?: number } = {}): Done {
    return this.do({ op: 'put', key: keyOf('progress', key), value, ...(ifRevision !== undefined && { ifRevision }) });
  }

  /** Applies a JSON Merge Patch (RFC 7396). */
  merge(key: string, value: Json): Done {
    return this.do({ op: 'merge', key: keyOf('progress', key), value });
  }

  /** Adds to the number at a JSON Pointer (RFC 6901); the whole value is the number if there is none. */
  increase(key: string, by: number, path = ''): Done {
    return this.do({ op: 'increase', key: keyOf('progress', key), path, by });
  }

  /** Keeps the better of the two numbers; one that was never set loses to any. */
  outdo(
    key: string,
    value: number,
    { path = '', better }: { readonly path?: string; readonly better: 'higher' | 'lower' },
  ): Done {
    return this.do({ op: 'outdo', key: keyOf('progress', key), path, value, better });
  }

  /** Appends to the list at a JSON Pointer, unless it is there already. */
  collect(key: string, value: Json, path = ''): Done {
    return this.do({ op: 'collect', key: keyOf('progress', key), path, value });
  }

  /** Takes a value out of the list at a JSON Pointer. */
  discard(key: string, value: Json, path = ''): Done {
    return this.do({ op: 'discard', key: keyOf('progress', key), path, value });
  }

  /** A result for a board. */
  submit(board: string, value: number, details: { readonly name?: string; readonly note?: string } = {}): Done {
    return this.do({ op: 'submit', key: keyOf('score', board), value, ...details });
  }

  /** Does with the records what a change says. */
  make(change: Change): Done {
    return this.do(change);
  }
}
