import { createWriteStream, existsSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import type { Writable } from 'node:stream';
import { createGzip } from 'node:zlib';
import { pointerTokens, valueAt, type Json } from '@vekkon/core';
import type { PlayerLine } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { ProgressBar } from '../output/progress-bar.js';
import { signedInOperator } from '../signed-in.js';
import { reasonOf } from '../text-of.js';
import { environmentOption, jsonOption } from './options.js';

interface ExportOptions extends ShowOptions {
  readonly columns?: readonly string[];
  readonly yes: boolean;
}

export function addExport(program: Command): void {
  program
    .command('export <file>')
    .description(
      'every player with their records, one JSON document a line (.ndjson), or chosen columns as a table (.csv); packed if the name ends in .gz',
    )
    .option(
      '--columns <columns...>',
      'of a table: player, name, createdAt, lastJoinedAt, a record such as currency/feather, or a place in one such as progress/flight#/chapter',
    )
    .option('--yes', 'overwrite the file without asking', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(exportTo);
}

async function exportTo(file: string, options: ExportOptions): Promise<void> {
  const [, ending = '', packed] = /\.(ndjson|jsonl|csv)(\.gz)?$/i.exec(file) ?? [];
  if (ending === '') throw new WrongCommandLine(`${file}: let the name end in .ndjson or .csv, and in .gz to pack it.`);
  const isTable = ending.toLowerCase() === 'csv';
  if (isTable !== (options.columns !== undefined)) {
    throw new WrongCommandLine(
      isTable
        ? 'Say which columns the table has: --columns player currency/feather.'
        : '--columns is for tables: let the name end in .csv.',
    );
  }
  const columns = (options.columns ?? []).map((one) => columnFrom(one));
  const operator = signedInOperator(options.environment);
  if (existsSync(file)) await confirmed(`${file} is there already. Overwrite it?`, options.yes);
  const { total, isCapped } = await operator.players({ count: 1 });
  const bar = new ProgressBar('players', options.json === true || isCapped);
  // Written beside it, and moved into its place when it is whole.
  const beside = `${file}.part`;
  const disk = createWriteStream(beside, { mode: 0o600 });
  const out: Writable = packed === undefined ? disk : createGzip();
  if (out !== disk) out.pipe(disk);
  let players = 0;
  try {
    await Promise.race([written(), finished(disk).then(() => undefined)]);
    await finished(disk);
  } catch (error) {
    disk.destroy();
    await rm(beside, { force: true });
    if ((error as NodeJS.ErrnoException).syscall === undefined) throw error;
    throw new WrongCommandLine(`${file} can't be written: ${reasonOf(error)}.`);
  }
  bar.end();
  await rename(beside, file);
  print({ file, players }, options, () => `${file} has ${players === 1 ? '1 player' : `${players} players`}.`);

  async function written(): Promise<void> {
    const { stringify } = await import('csv-stringify/sync');
    // A cell that a spreadsheet would run is written so that it does not.
    const row = (cells: readonly string[]) =>
      stringify([[...cells]], { escape_formulas: true, record_delimiter: 'windows' });
    const push = async (text: string) => {
      if (!out.write(text)) await once(out, 'drain');
    };
    if (isTable) await push(row(columns.map(({ title }) => title)));
    for await (const line of operator.transfer.export()) {
      await push(isTable ? row(columns.map((column) => cellOf(JSON.parse(line) as PlayerLine, column))) : `${line}\n`);
      bar.show(++players, Math.max(total, players));
    }
    out.end();
  }
}

interface Column {
  readonly title: string;
  /** A record, or undefined for what is known of the player. */
  readonly key: string | undefined;
  readonly tokens: readonly string[];
}

const ofPlayer = ['player', 'name', 'createdAt', 'firstJoinedAt', 'lastJoinedAt', 'lastLeftAt'];

function columnFrom(title: string): Column {
  if (ofPlayer.includes(title)) return { title, key: undefined, tokens: [title] };
  const [key = '', pointer = ''] = title.split(/#(.*)/s);
  const tokens = pointerTokens(pointer);
  if (!key.includes('/') || tokens === undefined) {
    throw new WrongCommandLine(
      `There is no column "${title}": there are ${ofPlayer.join(', ')}, records such as currency/feather, and places in them such as progress/flight#/chapter.`,
    );
  }
  return { title, key, tokens };
}

function cellOf(line: PlayerLine, { key, tokens }: Column): string {
  const value = key === undefined ? valueAt(line as unknown as Json, tokens) : valueIn(line, key, tokens);
  if (value === undefined || value === null) return '';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

function valueIn({ records }: PlayerLine, key: string, tokens: readonly string[]): Json | undefined {
  const value = records[key];
  return value === undefined ? undefined : valueAt(value, tokens);
}
