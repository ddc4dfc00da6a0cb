import type { Manifest } from '../manifest/manifest.js';
import { isProblem, problem, type ChangeProblem } from '../keys/problem.js';
import type { Change, Op, Transaction } from './change.js';
import { declaredPart } from '../keys/record-key.js';
import { turnedBack, type Restored } from './checkpoints.js';
import { mendingChanges } from './mending-changes.js';
import { beforeItWasStored } from './outside-changes.js';
import type { Records } from './record.js';
import type { Rules } from './rules.js';

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
