import { equalJson, isJsonArray, isJsonObject, type Json } from '../json.js';
import type { PreferenceDeclaration, ProgressDeclaration, Schema } from '../manifest/manifest.js';
import type { Collect, Discard, Increase, Merge, Outdo, ProgressChange, Put, Remove } from './change.js';
import { checkValue, type SchemaCheck } from '../keys/check-value.js';
import { pointerTokens, valueAt, withValueAt } from '../keys/json-pointer.js';
import { mergePatch } from './merge-patch.js';
import { problem, type OrProblem } from '../keys/problem.js';
import type { StoredRecord } from './record.js';

/**
 * The value that a progress record or a preference has after a change.
 *
 * @param current the record as it is, starting values filled in
 * @param check   the schema check; undefined where there is none to hand
 * @param at      when, RFC 3339: what a list that asks for it is stamped with
 */
export function changeProgress(
  change: Exclude<ProgressChange, Remove>,
  current: StoredRecord,
  declaration: ProgressDeclaration | PreferenceDeclaration,
  check: SchemaCheck | undefined,
  at: string,
): OrProblem<{ readonly value: Json }> {
  if (change.op !== 'increase') {
    // Before anything is built from it: a merge must not meet a name that reaches into an object's prototype.
    const unfit = checkValue(change.value);
    if (unfit !== undefined) return { problem: unfit };
  }
  const changed = valueAfter(change, current, declaration.schema, at);
  if (changed.problem !== undefined || equalJson(changed.value, current.value)) return changed;
  const unfit = change.op === 'put' ? undefined : checkValue(changed.value);
  if (unfit !== undefined) return { problem: unfit };
  const mismatch = check?.(declaration.schema, changed.value);
  if (mismatch === undefined) return changed;
  return problem('value-invalid', mismatch.detail, { pointer: mismatch.pointer });
}

type Outcome = { readonly value: Json; readonly problem?: undefined } | Refusal;
type Refusal = ReturnType<typeof problem>;

/** Refuses a change that says what it replaces where something else is stored. */
export function checkRevision({ ifRevision }: Put | Merge | Remove, current: StoredRecord): Refusal | undefined {
  const isNone = current.revision === 0 || current.removed === true;
  if (ifRevision === undefined || ifRevision === current.revision || (ifRevision === 0 && isNone)) return undefined;
  return problem(
    'revision-mismatch',
    `The record is at revision ${current.revision}, not ${ifRevision}: read it again and decide anew.`,
  );
}

function valueAfter(
  change: Exclude<ProgressChange, Remove>,
  current: StoredRecord,
  schema: Schema,
  at: string,
): Outcome {
  switch (change.op) {
    case 'put':
      return { value: change.value };
    case 'merge':
      return { value: mergePatch(current.value, change.value) };
    case 'increase':
      return increase(change, current.value);
    case 'outdo':
      return outdo(change, current.value);
    case 'collect':
    case 'discard':
      return inList(change, current.value, schema, at);
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

function inList(change: Collect | Discard, value: Json, schema: Schema, at: string): Outcome {
  const tokens = pointerTokens(change.path);
  const held = tokens && valueAt(value, tokens);
  if (tokens === undefined || held === undefined) return leadsNowhere(change.path);
  if (!isJsonArray(held)) {
    return problem('not-a-list', `"${change.path}" holds ${describe(held)}, not a list: check the path.`, {
      pointer: change.path,
    });
  }
  const isStamped = asksForStamps(schema, tokens);
  const isMeant = (one: Json) => equalJson(isStamped && isJsonObject(one) ? one['value'] : one, change.value);
  const isThere = held.some(isMeant);
  if (isThere === (change.op === 'collect')) return { value };
  const added = isStamped ? { value: change.value, at } : change.value;
  const list = isThere ? held.filter((one) => !isMeant(one)) : [...held, added];
  return { value: withValueAt(value, tokens, list) ?? value };
}

/** Does the schema want each item of a list as `{ value, at }`, with the time at which it was collected? */
function asksForStamps(schema: Schema, tokens: readonly string[]): boolean {
  let inside: Json | undefined = schema;
  for (const token of tokens) {
    if (!isJsonObject(inside)) return false;
    const properties: Json | undefined = inside['properties'];
    inside = isJsonObject(properties) && Object.hasOwn(properties, token) ? properties[token] : inside['items'];
  }
  const items = isJsonObject(inside) ? inside['items'] : undefined;
  const fields = isJsonObject(items) ? items['properties'] : undefined;
  if (!isJsonObject(fields) || fields['value'] === undefined) return false;
  return isJsonObject(fields['at']) && fields['at']['format'] === 'date-time';
}

function notANumber(pointer: string, held: Json): Refusal {
  return problem('not-a-number', `"${pointer}" holds ${describe(held)}, not a number: check the path.`, { pointer });
}

function describe(value: Json): string {
  if (value === null) return 'null';
  if (isJsonArray(value)) return 'a list';
  return typeof value === 'object' ? 'an object' : `a ${typeof value}`;
}
