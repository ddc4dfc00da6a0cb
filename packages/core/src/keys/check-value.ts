import { isJsonArray, type Json } from '../json.js';
import { limits } from '../limits.js';
import type { Schema } from '../manifest/manifest.js';
import { forbiddenNames } from './names.js';
import { escapePointerToken } from './json-pointer.js';
import { problem, type ChangeProblem } from './problem.js';

/** Checks a value against a JSON Schema. @returns what does not fit, and where */
export type SchemaCheck = (
  schema: Schema,
  value: Json,
) => { readonly pointer: string; readonly detail: string } | undefined;

/**
 * Checks what holds for every value, whatever its schema: depth, names that
 * would reach into JavaScript's own objects, numbers that are not exact, and
 * text that UTF-8 can't hold.
 *
 * @param deepest how many levels of lists and objects it may have
 * @returns the first problem, with its JSON Pointer, or undefined
 */
export function checkValue(value: Json, deepest: number = limits.jsonDepth): ChangeProblem | undefined {
  const found = walk(value, deepest);
  if (found === undefined) return undefined;
  const pointer = found.path
    .toReversed()
    .map((step) => `/${escapePointerToken(String(step))}`)
    .join('');
  return found.problemAt(pointer).problem;
}

/** What is wrong, and where: its path is put together on the way back, so that what is right costs nothing. */
interface Found {
  /** The innermost step first. */
  readonly path: (string | number)[];
  readonly problemAt: (pointer: string) => { readonly problem: ChangeProblem };
}

function walk(value: Json, levelsLeft: number): Found | undefined {
  if (typeof value === 'number') return Math.abs(value) <= Number.MAX_SAFE_INTEGER ? undefined : unfitNumber(value);
  if (typeof value === 'string') return unfitText(value);
  if (typeof value !== 'object' || value === null) return undefined;
  if (levelsLeft === 0) {
    const detail = `The value is nested too deeply: ${limits.jsonDepth} levels is what a record may have.`;
    return { path: [], problemAt: (pointer) => problem('value-too-deep', detail, { pointer }) };
  }
  if (isJsonArray(value)) {
    for (let index = 0; index < value.length; index++) {
      const found = walk(value[index] as Json, levelsLeft - 1);
      if (found !== undefined) return under(index, found);
    }
    return undefined;
  }
  for (const name of Object.keys(value)) {
    const found = unfitName(name) ?? walk(value[name] as Json, levelsLeft - 1);
    if (found !== undefined) return under(name, found);
  }
  return undefined;
}

function under(step: string | number, found: Found): Found {
  found.path.push(step);
  return found;
}

function unfitNumber(value: number): Found {
  const detail = `is ${value}: numbers are finite and within ±(2⁵³−1), where they are exact.`;
  return {
    path: [],
    problemAt: (pointer) => problem('number-out-of-range', `${place(pointer)} ${detail}`, { pointer }),
  };
}

function unfitName(name: string): Found | undefined {
  if (!forbiddenNames.has(name)) return unfitText(name);
  const detail = `"${name}" can't be a name in a value: choose another.`;
  return { path: [], problemAt: (pointer) => problem('name-forbidden', detail, { pointer }) };
}

function unfitText(text: string): Found | undefined {
  if (text.isWellFormed() && !text.includes('\0')) return undefined;
  const what = text.isWellFormed() ? 'the character NUL' : 'half of a surrogate pair';
  const detail = `holds ${what}, which can't be stored as text: take it out.`;
  return { path: [], problemAt: (pointer) => problem('text-invalid', `${place(pointer)} ${detail}`, { pointer }) };
}

function place(pointer: string): string {
  return pointer === '' ? 'The value' : `The value at ${pointer}`;
}

/** How many bytes of UTF-8 a text takes. */
export function utf8Bytes(text: string): number {
  let bytes = text.length;
  for (let index = 0; index < text.length; index++) {
    const unit = text.charCodeAt(index);
    if (unit < 0x80) continue;
    // The two halves of a surrogate pair take four bytes together.
    bytes += unit < 0x800 || (unit >= 0xd800 && unit <= 0xdfff) ? 1 : 2;
  }
  return bytes;
}

/** Refuses a record whose JSON text is over its bound. */
export function checkRecordSize(text: string): ChangeProblem | undefined {
  // UTF-8 takes at most three bytes for a UTF-16 unit: most values need no counting.
  if (text.length * 3 <= limits.recordBytes || utf8Bytes(text) <= limits.recordBytes) return undefined;
  return problem(
    'value-too-large',
    `The record would take more than ${limits.recordBytes / 1024} KiB: split it, or keep less in it.`,
  ).problem;
}

/** Refuses what would make a player's records, all together, larger than their bound. */
export function checkPlayerSize(bytes: number): ChangeProblem | undefined {
  if (bytes <= limits.playerBytes) return undefined;
  return problem(
    'player-too-large',
    `The player's records would take more than ${limits.playerBytes / 1024 / 1024} MiB together: keep less.`,
  ).problem;
}
