import type { InventoryValue } from '../manifest/manifest.js';
import type { Rules } from './rules.js';
import { checkFamilyRoom } from './family-room.js';
import { inventoryWith, placesTaken } from './inventory-changes.js';
import { isProblem, problem, type OrProblem } from '../keys/problem.js';
import { readRecord } from './read-record.js';
import { declarationOf } from '../manifest/declaration-of.js';
import type { LedgerLine, Records, StoredRecord, Trashed } from './record.js';

/** Whence a value is brought back. */
export interface BroughtFrom {
  /** What the ledger says of it. */
  readonly reason: string;
  /** Why what stood there went to the trash. */
  readonly by: Trashed['by'];
}

/** What lay in the trash. */
export const fromTrash: BroughtFrom = { reason: 'brought back from the trash', by: 'brought-back' };

export interface BroughtBack {
  /** Under the names of now. */
  readonly key: string;
  readonly record: StoredRecord;
  readonly ledger: readonly LedgerLine[];
  /** What stood there, which goes to the trash in its place. */
  readonly trash: readonly Trashed[];
}

/**
 * Brings a value back that a record held before, as a new revision of it.
 *
 * @param records what the player has now
 * @returns refused where it is not declared or does not fit any more, where
 *   its family is full, or where one of its pieces lies elsewhere by now
 */
export function bringBackValue(
  records: Records,
  before: { readonly key: string; readonly value: StoredRecord['value'] },
  rules: Pick<Rules, 'manifest' | 'check'>,
  { reason, by }: BroughtFrom = fromTrash,
): OrProblem<BroughtBack> {
  const declared = declarationOf(before.key, rules.manifest);
  if (isProblem(declared)) return declared;
  const { key, declaration } = declared;
  const held = records.get(key);
  const isThere = held !== undefined && held.removed !== true;
  const record = { revision: (held?.revision ?? 0) + 1, value: before.value };
  const read = readRecord(record, declaration, rules);
  if (read.misfit === true) return problem('record-misfit', `${key} does not fit the manifest any more.`, { key });
  const full = isThere ? undefined : checkFamilyRoom(declared, records.keys(), (one) => records.get(one));
  if (full !== undefined) return { problem: full };
  if (declaration.kind === 'inventory') {
    const value = read.value as InventoryValue;
    for (const piece of Object.keys(value.pieces)) {
      const where = inventoryWith(piece, records.keys(), (one) => (one === key ? undefined : records.get(one)));
      if (where !== undefined) {
        return problem('piece-exists', `The piece "${piece}" lies in ${where} by now: take it out there first.`, {
          key,
        });
      }
    }
    const { capacity = Infinity } = declaration;
    const taken = placesTaken(value, rules.manifest);
    if (taken > capacity) {
      return problem('inventory-full', `It takes ${taken} places, and ${key} has ${capacity} by now.`, { key });
    }
  }
  const balance = Number(before.value);
  const amount = balance - (isThere ? Number(held.value) : 0);
  const ledger: LedgerLine[] =
    declaration.kind === 'currency' ? [{ key, op: 'restore', amount, balance, reason, count: 1 }] : [];
  return { key, record, ledger, trash: isThere ? [{ key, record: held, by }] : [] };
}
