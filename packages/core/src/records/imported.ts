import { equalJson, type Json } from '../json.js';
import { checkRecordSize, checkPlayerSize, utf8Bytes } from '../keys/check-value.js';
import { declarationOf } from '../manifest/declaration-of.js';
import { isProblem, type OrProblem } from '../keys/problem.js';
import { bringBackValue } from './bring-back.js';
import type { LedgerLine, Records, StoredRecord, Trashed } from './record.js';
import type { Rules } from './rules.js';

/** What an import leads to. */
export interface Imported {
  /** The records that hold something else than before. */
  readonly changed: ReadonlyMap<string, StoredRecord>;
  readonly ledger: readonly LedgerLine[];
  /** What they held before. */
  readonly trash: readonly Trashed[];
}

/**
 * Takes over values that come from elsewhere: each must be declared and fit.
 * What is equal already makes no revision, so that the same import twice is
 * the same as once; records that it does not name stay.
 *
 * @param values by key
 * @param now    what the player has
 * @returns the first problem, with its key
 */
export function imported(values: { readonly [key: string]: Json }, now: Records, rules: Rules): OrProblem<Imported> {
  const records = new Map(now);
  const changed = new Map<string, StoredRecord>();
  const [ledger, trash]: [LedgerLine[], Trashed[]] = [[], []];
  for (const [named, value] of Object.entries(values)) {
    const declared = declarationOf(named, rules.manifest);
    if (isProblem(declared)) return { problem: { ...declared.problem, key: named } };
    const { key } = declared;
    const held = records.get(key);
    if (held !== undefined && held.removed !== true && equalJson(held.value, value)) continue;
    const tooLarge = checkRecordSize(JSON.stringify(value));
    if (tooLarge !== undefined) return { problem: { ...tooLarge, key } };
    const back = bringBackValue(records, { key, value }, rules, { reason: 'imported', by: 'restore' });
    if (isProblem(back)) return { problem: { key, ...back.problem } };
    records.set(key, back.record);
    changed.set(key, back.record);
    ledger.push(...back.ledger);
    trash.push(...back.trash);
  }
  const bytes = [...records.values()].reduce((sum, { value }) => sum + utf8Bytes(JSON.stringify(value)), 0);
  const tooMuch = checkPlayerSize(bytes);
  return tooMuch === undefined ? { changed, ledger, trash } : { problem: tooMuch };
}
