import type { Manifest } from '../manifest/manifest.js';
import { isProblem, problem, type ChangeProblem } from '../keys/problem.js';
import { replacesBlindly, type Change, type Op, type Transaction } from './change.js';
import { declaredPart } from '../keys/record-key.js';
import { turnedBack, type Restored } from './checkpoints.js';
import { mendingChanges } from './mending-changes.js';
import { beforeItWasStored } from './outside-changes.js';
import type { Records } from './record.js';
import type { Rules } from './rules.js';

/** What is given to many players. */
export type GiftContent =
  /** The same changes. */
  | { readonly changes: readonly Change[] }
  /** Their records as they were at a moment, in milliseconds since 1970, UTC; null for all of them. */
  | { readonly asOf: number; readonly keys: readonly string[] | null };

/** Why a gift does not reach a player. */
export interface GiftProblem {
  readonly code: string;
  readonly detail: string;
}

export function unknownToGift(id: string): GiftProblem {
  return { code: 'player-unknown', detail: `Nobody knows a player "${id}".` };
}

/** The changes that can be given to many at once, and taken back from each. */
const givable: ReadonlySet<Op> = new Set<Op>([
  'credit',
  'debit',
  'gain',
  'lose',
  'alter',
  'put',
  'merge',
  'remove',
  'increase',
  'outdo',
  'collect',
  'discard',
]);

/** Why a transaction can't be given to many; undefined where it can. */
export function notGivable({ changes }: Transaction): ChangeProblem | undefined {
  const other = changes.find(({ op }) => !givable.has(op));
  if (other === undefined) return undefined;
  const detail = `"${other.op}" is one player's own: many can be given ${[...givable].join(', ')}.`;
  return problem('op-not-for-kind', detail).problem;
}

/**
 * Why a gift can't reach a player, whatever they hold: whole values would
 * overwrite what a host does with them, and nobody has what they had before they were there.
 *
 * @param host the host that holds the player; null if none does
 */
export function whyNotGiven(
  content: GiftContent,
  { createdAt, host }: { readonly createdAt: number; readonly host: string | null },
): GiftProblem | undefined {
  const isAsOf = 'asOf' in content;
  if (isAsOf && createdAt > content.asOf) {
    return { code: 'player-unknown', detail: 'The player was not there yet at that moment.' };
  }
  if (host === null || !(isAsOf || content.changes.some(replacesBlindly))) return undefined;
  const detail = `"${host}" holds the player, and whole values would overwrite what it does: give again once they have left.`;
  return { code: 'player-in-session', detail };
}

/**
 * The changes that take back what was done to a player: balances move by as
 * much, inventories lose what they gained, and a value is as it was before,
 * unless it is changed again until then.
 *
 * @param before the records before it
 * @param after  the records after it
 * @param keys   those that it reached
 * @param reason what the ledger says of it
 */
export function takingBack(
  before: Records,
  after: Records,
  keys: Iterable<string>,
  { records }: Manifest,
  reason: string,
): Change[] {
  const back: Change[] = [];
  for (const key of keys) {
    const [was, is] = [before.get(key), after.get(key)];
    if (is === undefined || is.revision === was?.revision) continue;
    const declaration = records[declaredPart(key)];
    // A balance that was never stored was its starting value.
    const isAmount = declaration?.kind === 'currency' || declaration?.kind === 'inventory';
    const held = was ?? (isAmount ? beforeItWasStored(declaration) : undefined);
    const changes = mendingChanges(key, is, held?.removed === true ? undefined : held?.value, reason);
    if (!isProblem(changes)) back.push(...changes);
  }
  return back;
}

/** As `turnedBack`, but for scores: what results made stays, since it stands on boards. */
export function turnedBackForMany(
  then: Records,
  now: Records,
  rules: Rules,
  when: string,
  chosen: readonly string[] | null,
): Restored {
  const keys = [...new Set([...then.keys(), ...now.keys()])].filter((key) => !key.startsWith('score/'));
  return turnedBack(then, now, rules, when, chosen === null ? keys : keys.filter((key) => chosen.includes(key)));
}
