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

/** What becomes of players who are there already, and have something else. */
export type Existing = 'refuse' | 'keep' | 'update';

/** Why a player is not taken in. */
export interface ImportProblem {
  readonly code: string;
  readonly detail: string;
  readonly key?: string | undefined;
}

/** What becomes of a player who is to be taken in. */
export type ImportDecision =
  | { readonly outcome: 'new' | 'updated'; readonly taken: Imported }
  | { readonly outcome: 'same' | 'kept' }
  | { readonly outcome: 'refused'; readonly problem: ImportProblem };

/** Who is to be taken in, as far as they are known. */
export interface ImportedPlayer {
  /** What they have; undefined if nobody knows them. */
  readonly held: Records | undefined;
  /** They were erased, and nobody said that they may come back. */
  readonly isErased: boolean;
  readonly isInSession: boolean;
}

/** Whether a player is taken in, and what that leads to. */
export function decideImport(
  values: { readonly [key: string]: Json },
  { held, isErased, isInSession }: ImportedPlayer,
  existing: Existing,
  rules: Rules,
): ImportDecision {
  const refused = (code: string, detail: string): ImportDecision => ({ outcome: 'refused', problem: { code, detail } });
  if (isErased) return refused('player-erased', 'This player was erased: take them in again only if they want it.');
  const taken = imported(values, held ?? new Map(), rules);
  if (isProblem(taken)) return { outcome: 'refused', problem: taken.problem };
  if (held === undefined) return { outcome: 'new', taken };
  if (taken.changed.size === 0) return { outcome: 'same' };
  if (existing === 'keep') return { outcome: 'kept' };
  if (existing === 'refuse') {
    const detail = 'There is a player with this id, who has something else: keep what they have, or update it.';
    return refused('player-exists', detail);
  }
  if (isInSession) return refused('player-in-session', 'The player is in a session: import again once they have left.');
  return { outcome: 'updated', taken };
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
