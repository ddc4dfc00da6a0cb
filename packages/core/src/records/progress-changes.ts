import equal from 'fast-deep-equal';
import { isJsonArray, type Json } from '../json.js';
import type { PreferenceDeclaration, ProgressDeclaration } from '../manifest/manifest.js';
import type { Collect, Discard, Increase, Outdo, ProgressChange } from './change.js';
import { checkValue } from './check-value.js';
import { pointerTokens, valueAt, withValueAt } from './json-pointer.js';
import { mergePatch } from './merge-patch.js';
import { problem, type OrProblem } from './problem.js';
import type { StoredRecord } from './record.js';

/** Checks a value against the schema of the record declared under a key. */
export type SchemaCheck = (
  declaredKey: string,
  value: Json,
) => { readonly pointer: string; readonly detail: string } | undefined;

/**
 * The value that a progress record or a preference has after a change.
 *
 * @param current the record as it is, starting values filled in
 * @param check   the schema check; undefined where there is none to hand
 */
export function changeProgress(
  change: ProgressChange,
  current: StoredRecord,
  declaredKey: string,
  declaration: ProgressDeclaration | PreferenceDeclaration,
  check: SchemaCheck | undefined,
): OrProblem<{ readonly value: Json }> {
  if (declaration.kind === 'preference' && change.op !== 'put') {
    return problem('op-not-for-kind', `A preference knows put and remove, not ${change.op}: send a put.`);
  }
  if (change.op !== 'increase') {
    // Before anything is built from it: a merge must not meet a name that reaches into an object's prototype.
    const unfit = checkValue(change.value);
    if (unfit !== undefined) return { problem: unfit };
  }
  const changed = valueAfter(change, current);
  if (changed.problem !== undefined || equal(changed.value, current.value)) return changed;
  const unfit = change.op === 'put' ? undefined : checkValue(changed.value);
  if (unfit !== undefined) return { problem: unfit };
  const mismatch = check?.(declaredKey, changed.value);
  if (mismatch === undefined) return changed;
  return problem('value-invalid', mismatch.detail, { pointer: mismatch.pointer });
}

type Outcome = { readonly value: Json; readonly problem?: undefined } | Refusal;
type Refusal = ReturnType<typeof problem>;

function valueAfter(change: ProgressChange, current: StoredRecord): Outcome {
  switch (change.op) {
    case 'put':
    case 'merge':
      if (change.ifRevision !== undefined && change.ifRevision !== current.revision) {
        return problem(
          'revision-mismatch',
          `The record is at revision ${current.revision}, not ${change.ifRevision}: read it again and decide anew.`,
        );
      }
      return { value: change.op === 'put' ? change.value : mergePatch(current.value, change.value) };
    case 'increase':
      return increase(change, current.value);
    case 'outdo':
      return outdo(change, current.value);
    case 'collect':
    case 'discard':
      return inList(change, current.value);
  }
}

function leadsNowhere(pointer: string): Refusal {
  return problem(
    'path-not-found',
    `"${pointer}" leads nowhere in the record: check the path, or put the value there first.`,
    { pointer },
  );
}

function increase(change: Increase, value: Json): Outcome {
  const tokens = pointerTokens(change.path);
  const held = tokens && valueAt(value, tokens);
  if (tokens === undefined || held === undefined) return leadsNowhere(change.path);
  if (typeof held !== 'number') return notANumber(change.path, held);
  const sum = held + change.by;
  if (!Number.isFinite(sum) || (Number.isInteger(held) && Number.isInteger(change.by) && !Number.isSafeInteger(sum))) {
    return problem('number-out-of-range', `${held} + ${change.by} is beyond what a number can hold exactly.`, {
      pointer: change.path,
    });
  }
  return { value: withValueAt(value, tokens, sum) ?? value };
}

function outdo(change: Outdo, value: Json): Outcome {
  const tokens = pointerTokens(change.path);
  if (tokens === undefined) return leadsNowhere(change.path);
  const held = valueAt(value, tokens) ?? null;
  if (held !== null && typeof held !== 'number') return notANumber(change.path, held);
  const isBetter = held === null || (change.better === 'higher' ? change.value > held : change.value < held);
  if (!isBetter) return { value };
  const outdone = withValueAt(value, tokens, change.value);
  return outdone === undefined ? leadsNowhere(change.path) : { value: outdone };
}

function inList(change: Collect | Discard, value: Json): Outcome {
  const tokens = pointerTokens(change.path);
  const held = tokens && valueAt(value, tokens);
  if (tokens === undefined || held === undefined) return leadsNowhere(change.path);
  if (!isJsonArray(held)) {
    return problem('not-a-list', `"${change.path}" holds ${describe(held)}, not a list: check the path.`, {
      pointer: change.path,
    });
  }
  const isThere = held.some((one) => equal(one, change.value));
  if (isThere === (change.op === 'collect')) return { value };
  const list = isThere ? held.filter((one) => !equal(one, change.value)) : [...held, change.value];
  return { value: withValueAt(value, tokens, list) ?? value };
}

function notANumber(pointer: string, held: Json): Refusal {
  return problem('not-a-number', `"${pointer}" holds ${describe(held)}, not a number: check the path.`, { pointer });
}

function describe(value: Json): string {
  if (value === null) return 'null';
  if (isJsonArray(value)) return 'a list';
  return typeof value === 'object' ? 'an object' : `a ${typeof value}`;
}
