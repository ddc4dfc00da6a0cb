import type { Json, JsonObject } from '@vekkon/core';
import { columnsOf, rowsFromCells } from '@vekkon/core/tuning';
import { WrongCommandLine } from '../exit-status.js';

export const formats = ['json', 'yaml', 'csv'] as const;
export type Format = (typeof formats)[number];

/** The form of a file, by how its name ends. */
export function formatOf(file: string): Format {
  const [, ending = ''] = /\.([a-z]+)$/i.exec(file) ?? [];
  const lower = ending.toLowerCase();
  if (lower === 'yml') return 'yaml';
  if ((formats as readonly string[]).includes(lower)) return lower as Format;
  throw new WrongCommandLine(`${file}: let the name end in .json, .yaml or .csv, so that its form is known.`);
}

/** A tunable's value as a file holds it. */
export async function fileFrom(value: Json, format: Format, tunable: string, schema: Json): Promise<string> {
  if (format === 'json') return `${JSON.stringify(value, null, 2)}\n`;
  // Loaded here, as below: the other commands need neither.
  if (format === 'yaml') return (await import('yaml')).stringify(value);
  const columns = columnsFor(tunable, schema);
  const rows = (value as readonly JsonObject[]).map((row) => columns.map(({ name }) => cellOf(row[name])));
  const { stringify } = await import('csv-stringify/sync');
  return stringify([columns.map(({ name }) => name), ...rows]);
}

function cellOf(value: Json | undefined): string {
  return value === undefined || value === null ? '' : String(value);
}

function columnsFor(tunable: string, schema: Json) {
  const columns = columnsOf(schema);
  if (columns !== undefined) return columns;
  throw new WrongCommandLine(
    `${tunable} is no flat list (a list of objects that hold only texts, numbers and booleans): use JSON or YAML.`,
  );
}

/** A tunable's value as it stands in a file. @throws WrongCommandLine with every mistake and its place */
export async function valueIn(
  text: string,
  format: Format,
  file: string,
  tunable: string,
  schema: Json,
): Promise<Json> {
  if (format !== 'csv') {
    try {
      return (format === 'json' ? JSON.parse(text) : (await import('yaml')).parse(text)) as Json;
    } catch (error) {
      throw new WrongCommandLine(`${file} can't be read as ${format.toUpperCase()}: ${(error as Error).message}`);
    }
  }
  const columns = columnsFor(tunable, schema);
  const { parse } = await import('csv-parse/sync');
  let cells: string[][];
  try {
    cells = parse(text, { bom: true, skip_empty_lines: true, relax_column_count: false });
  } catch (error) {
    throw new WrongCommandLine(`${file} can't be read as CSV: ${(error as Error).message}.`);
  }
  const [heading = [], ...rows] = cells;
  const { rows: read, mistakes } = rowsFromCells(
    heading.map((name) => name.trim()),
    rows,
    columns,
  );
  if (mistakes.length > 0) {
    const lines = mistakes.slice(0, 20).map(({ row, column, detail }) => {
      const where = row === 0 ? 'heading' : `row ${row}${column === null ? '' : `, column ${column}`}`;
      return `  ${where}: ${detail}`;
    });
    throw new WrongCommandLine(`${file} is not as ${tunable} must be; nothing was pushed:\n${lines.join('\n')}`);
  }
  return read;
}
