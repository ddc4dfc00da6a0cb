import { equalJson, isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import { escapePointerToken } from '../keys/json-pointer.js';
import { short } from '../short.js';
import type { Records } from './record.js';

/** One thing that is different between two values. */
export interface ValueDifference {
  /** JSON Pointer (RFC 6901) of what is different; `/-` at the end where it was added to a list or taken out of it. */
  readonly pointer: string;
  /** What was there; undefined for nothing. */
  readonly was?: Json;
  /** What is there; undefined for nothing. */
  readonly is?: Json;
}

/** More than anybody reads of one value. */
const mostDifferences = 200;

/**
 * What is different between two values, the smallest parts that differ:
 * objects by their members, lists of plain values by what was added and taken
 * out, other lists by their places.
 *
 * @param was undefined where there was nothing
 * @param is  undefined where there is nothing
 * @returns at most 200 of them
 */
export function valueDifferences(was: Json | undefined, is: Json | undefined): readonly ValueDifference[] {
  const found: ValueDifference[] = [];
  compare(was, is, '', found);
  return found.slice(0, mostDifferences);
}

/** A difference as a person reads it: `chapter: 3 → 4`, `charted: + "gull-ridge"`. */
export function differenceInWords({ pointer, was, is }: ValueDifference): string {
  const isOfList = pointer.endsWith('/-');
  const path = (isOfList ? pointer.slice(0, -2) : pointer).slice(1).replaceAll('/', ' · ');
  const named = path.replaceAll('~1', '/').replaceAll('~0', '~');
  const place = named === '' ? '' : `${named}: `;
  if (is === undefined) return `${place}${isOfList ? '− ' : ''}${short(was ?? null)}${isOfList ? '' : ' → nothing'}`;
  if (was === undefined) return `${place}${isOfList ? '+ ' : 'nothing → '}${short(is)}`;
  return `${place}${short(was)} → ${short(is)}`;
}

/** What is different under one key between two states of a player's records. */
export interface RecordDifference {
  readonly key: string;
  /** Undefined where there is no such record. */
  readonly was: Json | undefined;
  readonly is: Json | undefined;
  readonly differences: readonly ValueDifference[];
}

/** The records that differ between two states, by key. */
export function recordDifferences(was: Records, is: Records): readonly RecordDifference[] {
  const valueIn = (records: Records, key: string) => {
    const record = records.get(key);
    return record === undefined || record.removed === true ? undefined : record.value;
  };
  return [...new Set([...was.keys(), ...is.keys()])].sort().flatMap((key) => {
    const [before, after] = [valueIn(was, key), valueIn(is, key)];
    const differences = valueDifferences(before, after);
    return differences.length === 0 ? [] : [{ key, was: before, is: after, differences }];
  });
}

/** How much of a line what was changed may take. */
const longestLine = 1_000;

/** What is different between two states of a player's records, as one line: `currency/feather 310 → 340; …`. */
export function changedInWords(was: Records, is: Records): string {
  const parts = recordDifferences(was, is).map(
    ({ key, differences }) => `${key} ${differences.map(differenceInWords).join(', ')}`,
  );
  const line = parts.join('; ');
  return line.length <= longestLine ? line : `${line.slice(0, longestLine - 1)}…`;
}

function compare(was: Json | undefined, is: Json | undefined, pointer: string, found: ValueDifference[]): void {
  if (found.length > mostDifferences || equalJson(was, is)) return;
  if (isJsonObject(was) && isJsonObject(is)) {
    const names = new Set([...Object.keys(was), ...Object.keys(is)]);
    for (const name of names) {
      compare(memberOf(was, name), memberOf(is, name), `${pointer}/${escapePointerToken(name)}`, found);
    }
  } else if (isJsonArray(was) && isJsonArray(is)) compareLists(was, is, pointer, found);
  else found.push({ pointer, ...(was !== undefined && { was }), ...(is !== undefined && { is }) });
}

function compareLists(was: readonly Json[], is: readonly Json[], pointer: string, found: ValueDifference[]): void {
  const isPlain = [...was, ...is].every((one) => typeof one !== 'object' || one === null);
  const [gone, added] = [leftOver(was, is), leftOver(is, was)];
  if (isPlain && gone.length + added.length > 0) {
    for (const one of gone) found.push({ pointer: `${pointer}/-`, was: one });
    for (const one of added) found.push({ pointer: `${pointer}/-`, is: one });
  } else if (isPlain) found.push({ pointer, was, is });
  else {
    for (let index = 0; index < Math.max(was.length, is.length); index++) {
      compare(was[index], is[index], `${pointer}/${index}`, found);
    }
  }
}

/** What stands in a list of plain values oftener than in another. */
function leftOver(list: readonly Json[], other: readonly Json[]): readonly Json[] {
  const there = new Map<Json, number>();
  for (const one of other) there.set(one, (there.get(one) ?? 0) + 1);
  return list.filter((one) => {
    const many = there.get(one) ?? 0;
    if (many > 0) there.set(one, many - 1);
    return many === 0;
  });
}

function memberOf(value: JsonObject, name: string): Json | undefined {
  return Object.hasOwn(value, name) ? value[name] : undefined;
}
