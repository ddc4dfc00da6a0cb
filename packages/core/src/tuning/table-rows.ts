import { equalJson, isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import { nearestName } from '../keys/names.js';
import type { Schema } from '../manifest/manifest.js';
import { short } from '../short.js';

/** A column of a flat list: a list of objects that hold no others. */
export interface Column {
  readonly name: string;
  readonly type: 'string' | 'number' | 'integer' | 'boolean';
  readonly isNeeded: boolean;
  readonly choices?: readonly Json[];
}

/** The columns that a tunable has as a table; undefined if its schema is no flat list. */
export function columnsOf(schema: Schema | Json): readonly Column[] | undefined {
  if (!isJsonObject(schema) || schema['type'] !== 'array' || !isJsonObject(schema['items'])) return undefined;
  const { properties, required } = schema['items'];
  if (!isJsonObject(properties)) return undefined;
  const needed = isJsonArray(required) ? required : [];
  const columns: Column[] = [];
  for (const [name, one] of Object.entries(properties)) {
    if (!isJsonObject(one)) return undefined;
    const { type, enum: choices } = one;
    const known = isColumnType(type) ? type : isJsonArray(choices) ? typeOfChoices(choices) : undefined;
    if (known === undefined) return undefined;
    columns.push({ name, type: known, isNeeded: needed.includes(name), ...(isJsonArray(choices) && { choices }) });
  }
  return columns.length === 0 ? undefined : columns;
}

function isColumnType(type: unknown): type is Column['type'] {
  return type === 'string' || type === 'number' || type === 'integer' || type === 'boolean';
}

function typeOfChoices(choices: readonly Json[]): Column['type'] | undefined {
  return choices.every((one) => typeof one === 'string') ? 'string' : undefined;
}

/** A mistake in a table, and where: rows count from 1, without the heading. */
export interface TableMistake {
  readonly row: number;
  readonly column: string | null;
  readonly detail: string;
}

/**
 * Reads the cells of a table, as a spreadsheet has them, by the types of its columns.
 *
 * @param heading the names of the columns, in any order
 * @param rows    the cells as text; an empty cell is a member that is left out
 */
export function rowsFromCells(
  heading: readonly string[],
  rows: readonly (readonly string[])[],
  columns: readonly Column[],
): { readonly rows: readonly JsonObject[]; readonly mistakes: readonly TableMistake[] } {
  const mistakes: TableMistake[] = [];
  const names = columns.map(({ name }) => name);
  for (const { name, isNeeded } of columns) {
    if (isNeeded && !heading.includes(name)) {
      mistakes.push({
        row: 0,
        column: name,
        detail: `The column "${name}" is missing: the heading has ${heading.join(', ')}.`,
      });
    }
  }
  for (const name of heading) {
    if (names.includes(name)) continue;
    const nearest = nearestName(name, names);
    const advice = nearest === undefined ? `columns are ${names.join(', ')}` : `did you mean "${nearest}"?`;
    mistakes.push({ row: 0, column: name, detail: `"${name}" is no column: ${advice}` });
  }
  if (mistakes.length > 0) return { rows: [], mistakes };
  const read = rows.map((cells, index) => {
    const row: { [name: string]: Json } = {};
    for (const column of columns) {
      const { name } = column;
      const cell = cells[heading.indexOf(name)] ?? '';
      if (cell === '' && (column.type !== 'string' || !column.isNeeded)) continue;
      const value = cellValue(cell, column.type);
      if (value === undefined) {
        mistakes.push({ row: index + 1, column: name, detail: `"${cell}" is no ${inWords[column.type]}.` });
      } else row[name] = value;
    }
    return row;
  });
  return { rows: read, mistakes };
}

const inWords = { string: 'text', number: 'number', integer: 'whole number', boolean: 'true or false' } as const;

function cellValue(cell: string, type: Column['type']): Json | undefined {
  if (type === 'string') return cell;
  const trimmed = cell.trim();
  if (type === 'boolean') {
    const lower = trimmed.toLowerCase();
    return lower === 'true' ? true : lower === 'false' ? false : undefined;
  }
  const number = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(trimmed) ? Number(trimmed) : NaN;
  return Number.isFinite(number) && (type === 'number' || Number.isInteger(number)) ? number : undefined;
}

/**
 * What is different between two values, row by row where both are lists of
 * objects: rows are matched by a member that tells them apart, and by their
 * place where there is none.
 */
export function rowDifferences(before: Json, after: Json): readonly string[] {
  if (!isList(before) || !isList(after)) return equalJson(before, after) ? [] : [`${short(before)} → ${short(after)}`];
  const by = identifying(before, after);
  const differences: string[] = [];
  const named = (row: JsonObject, place: number) => (by === undefined ? `row ${place + 1}` : String(row[by]));
  const old = new Map(before.map((row, place) => [by === undefined ? place : row[by], row]));
  const met = new Set<unknown>();
  for (const [place, row] of after.entries()) {
    const key = by === undefined ? place : row[by];
    met.add(key);
    const was = old.get(key);
    if (was === undefined) differences.push(`new: ${membersInWords(row)}`);
    else if (!equalJson(was, row)) differences.push(`${named(row, place)}: ${changesInWords(was, row)}`);
  }
  for (const [place, row] of before.entries()) {
    if (!met.has(by === undefined ? place : row[by])) differences.push(`gone: ${membersInWords(row)}`);
  }
  const order = (rows: readonly JsonObject[]) => rows.map((row) => (by === undefined ? '' : String(row[by])));
  if (differences.length === 0 && !equalJson(order(before), order(after)))
    differences.push('the same rows in another order');
  return differences;
}

function isList(value: Json): value is readonly JsonObject[] {
  return isJsonArray(value) && value.every(isJsonObject);
}

/** The first member that in both lists no two rows have alike; texts go before numbers. */
function identifying(before: readonly JsonObject[], after: readonly JsonObject[]): string | undefined {
  const first = before[0] ?? after[0] ?? {};
  const names = Object.keys(first);
  const isText = (name: string) => typeof first[name] === 'string';
  const isUnique = (rows: readonly JsonObject[], name: string) =>
    rows.every((row) => Object.hasOwn(row, name)) && new Set(rows.map((row) => row[name])).size === rows.length;
  return [...names.filter(isText), ...names.filter((name) => !isText(name))].find(
    (name) => isUnique(before, name) && isUnique(after, name),
  );
}

function membersInWords(row: JsonObject): string {
  return Object.entries(row)
    .map(([name, value]) => `${name} ${short(value)}`)
    .join(', ');
}

function changesInWords(was: JsonObject, is: JsonObject): string {
  const names = [...new Set([...Object.keys(was), ...Object.keys(is)])].filter(
    (name) => !equalJson(was[name], is[name]),
  );
  return names.map((name) => `${name} ${shown(was[name])} → ${shown(is[name])}`).join(', ');
}

function shown(value: Json | undefined): string {
  return value === undefined ? 'nothing' : short(value);
}
