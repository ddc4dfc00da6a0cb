import { createReadStream, statSync, type ReadStream } from 'node:fs';
import { createInterface } from 'node:readline';
import type { Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import type { Json } from '@vekkon/core';
import { WrongCommandLine } from '../exit-status.js';
import { reasonOf } from '../text-of.js';

/** One line of a file that is imported. */
export interface LineIn {
  /** From 1. */
  readonly number: number;
  /** Undefined where it could not be read. */
  readonly value: Json | undefined;
  readonly fault: string | undefined;
}

/** A file of players, read line by line: never more of it than is looked at. */
export class LinesIn {
  /** How large the file is, in bytes. */
  readonly size: number;
  readonly #file: string;
  readonly #isPacked: boolean;
  readonly #isTable: boolean;
  #raw: ReadStream | undefined;

  /** @throws WrongCommandLine if it can't be read, or its form is not known */
  constructor(file: string) {
    const [, ending = '', packed] = /\.(ndjson|jsonl|csv)(\.gz)?$/i.exec(file) ?? [];
    if (ending === '')
      throw new WrongCommandLine(`${file}: let the name end in .ndjson or .csv, with .gz if it is packed.`);
    this.#file = file;
    this.#isPacked = packed !== undefined;
    this.#isTable = ending.toLowerCase() === 'csv';
    try {
      this.size = statSync(file).size;
    } catch (error) {
      throw new WrongCommandLine(`${file} can't be read: ${reasonOf(error)}.`);
    }
  }

  /** Is it a table, whose cells are text? */
  get isTable(): boolean {
    return this.#isTable;
  }

  /** How much of it was read, in bytes. */
  get read(): number {
    return this.#raw?.bytesRead ?? 0;
  }

  async *lines(): AsyncGenerator<LineIn> {
    const raw = createReadStream(this.#file);
    this.#raw = raw;
    const plain: Readable = this.#isPacked ? raw.pipe(createGunzip()) : raw;
    raw.on('error', (error) => plain.destroy(error));
    yield* this.#isTable ? rowsOf(plain) : documentsOf(plain);
  }
}

async function* documentsOf(plain: Readable): AsyncGenerator<LineIn> {
  let number = 0;
  for await (const line of createInterface({ input: plain, crlfDelay: Infinity })) {
    number++;
    if (line.trim() === '') continue;
    try {
      yield { number, value: JSON.parse(line) as Json, fault: undefined };
    } catch (error) {
      yield { number, value: undefined, fault: `it is no JSON: ${(error as Error).message}` };
    }
  }
}

async function* rowsOf(plain: Readable): AsyncGenerator<LineIn> {
  const { parse } = await import('csv-parse');
  const parser = plain.pipe(
    parse({ columns: true, bom: true, info: true, skip_empty_lines: true, relax_column_count: true }),
  );
  plain.on('error', (error) => parser.destroy(error));
  for await (const { record, info } of parser as AsyncIterable<{ record: Json; info: { lines: number } }>) {
    yield { number: info.lines, value: record, fault: undefined };
  }
}
