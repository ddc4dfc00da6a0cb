import { setTimeout as pause } from 'node:timers/promises';
import { ServiceRefused, ServiceUnreachable, type VekkonOperator } from '@vekkon/client/operator';
import type { Json, Manifest } from '@vekkon/core';
import type { ImportRequest, ImportResponse } from '@vekkon/protocol';
import { Option, type Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { ProgressBar } from '../output/progress-bar.js';
import { bold, faint, table } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { LinesIn } from '../transfer/lines-in.js';
import { mapped, readMapping, type Mapping } from '../transfer/mapping.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

interface ImportOptions extends ShowOptions {
  readonly mapping?: string;
  readonly existing: NonNullable<ImportRequest['existing']>;
  readonly revive?: true;
  readonly fromLine: number;
  readonly dryRun?: true;
  readonly yes: boolean;
}

/** How many players one call takes, and about how many characters. */
const mostAtOnce = 200;
const mostCharacters = 4_000_000;
/** How many faults are listed. */
const mostListed = 50;
/** How often a batch is sent again while the service can't be reached, and how long it waits before. */
const mostTries = 30;
const waitBetween = 1_000;

export function addImport(program: Command): void {
  program
    .command('import <file>')
    .description(
      'take players in from a file of one player a line (.ndjson), or from any .csv or .ndjson with a mapping: looked at before, each whole or not at all',
    )
    .option('--mapping <file>', 'which field goes where, for a file from elsewhere')
    .addOption(
      new Option('--existing <how>', 'players who are there already and have something else')
        .choices(['refuse', 'keep', 'update'])
        .default('refuse'),
    )
    .option('--revive', 'take in players who were erased, too')
    .option('--from-line <number>', 'go on with this line', wholeNumber(1, Number.MAX_SAFE_INTEGER), 1)
    .option('--dry-run', 'only say what would become of each')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(importFile);
}

interface Fault {
  readonly line: number;
  readonly code: string;
  readonly detail: string;
}

interface Told {
  readonly lines: number;
  readonly counts: { readonly [outcome in ImportResponse['results'][number]['outcome']]: number };
  readonly faults: readonly Fault[];
}

async function importFile(file: string, options: ImportOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  const lines = new LinesIn(file);
  if (lines.isTable && options.mapping === undefined) {
    throw new WrongCommandLine(`${file} is a table: say with --mapping which column goes where.`);
  }
  const mapping = options.mapping === undefined ? undefined : await readMapping(options.mapping);
  const { manifest } = await operator.manifest();
  const about: About = { operator, lines, mapping, manifest, options };
  const foreseen = await walk(about, true);
  if (options.dryRun) return print(foreseen, options, () => inWords(foreseen, 'would be'));
  if (!options.json) process.stdout.write(`${inWords(foreseen, 'would be')}\n\n`);
  const { new: made, updated } = foreseen.counts;
  if (made + updated === 0) return print(foreseen, options, () => 'Nothing is left to take in.');
  const left = foreseen.counts.refused > 0 ? `, and ${foreseen.counts.refused} are left out` : '';
  await confirmed(`${made} players are made and ${updated} changed${left}. Import them?`, options.yes);
  const done = await walk(about, false);
  print(done, options, () => inWords(done, 'were'));
}

interface About {
  readonly operator: VekkonOperator;
  readonly lines: LinesIn;
  readonly mapping: Mapping | undefined;
  readonly manifest: Manifest;
  readonly options: ImportOptions;
}

/** Goes through the whole file, some lines at a time; a service that is away for a while is waited for. */
async function walk({ operator, lines, mapping, manifest, options }: About, dryRun: boolean): Promise<Told> {
  const counts = { new: 0, updated: 0, same: 0, kept: 0, refused: 0 };
  const faults: Fault[] = [];
  let seen = 0;
  let batch: { readonly line: number; readonly value: Json }[] = [];
  let characters = 0;
  const bar = new ProgressBar(dryRun ? 'bytes looked at' : 'bytes taken in', options.json === true);
  const refuse = (fault: Fault) => {
    counts.refused++;
    if (faults.length < 10_000) faults.push(fault);
  };
  const send = async () => {
    if (batch.length === 0) return;
    const { existing, revive = false } = options;
    const request = { lines: batch.map(({ value }) => value), existing, revive, dryRun };
    const { results } = await patiently(() => operator.transfer.import(request));
    for (const [index, { outcome, code = '', detail = '' }] of results.entries()) {
      if (outcome === 'refused') refuse({ line: batch[index]?.line ?? 0, code, detail });
      else counts[outcome]++;
    }
    [batch, characters] = [[], 0];
    bar.show(lines.read, Math.max(lines.size, 1));
  };
  for await (const { number, value, fault } of lines.lines()) {
    if (number < options.fromLine) continue;
    seen++;
    const read = value === undefined || mapping === undefined ? value : mapped(value, mapping, manifest);
    if (read === undefined || fault !== undefined)
      refuse({ line: number, code: 'line-unreadable', detail: fault ?? '' });
    else if (typeof read === 'string') refuse({ line: number, code: 'line-unreadable', detail: read });
    else {
      batch.push({ line: number, value: read });
      characters += JSON.stringify(read).length;
    }
    if (batch.length >= mostAtOnce || characters >= mostCharacters) await send();
  }
  await send();
  bar.end();
  return { lines: seen, counts, faults: faults.sort((one, other) => one.line - other.line) };
}

/** The same twice is the same as once: whatever became of a call whose answer never came, it is sent again. */
async function patiently<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work();
    } catch (error) {
      const mayPass = error instanceof ServiceUnreachable || (error instanceof ServiceRefused && error.canRetry);
      if (!mayPass || tries >= mostTries) throw error;
      await pause(waitBetween);
    }
  }
}

function inWords({ lines, counts, faults }: Told, how: string): string {
  const { new: made, updated, same, kept, refused } = counts;
  const parts = [
    `${made} ${how} made`,
    ...(updated > 0 ? [`${updated} ${how} changed`] : []),
    ...(same > 0 ? [`${same} have the same already`] : []),
    ...(kept > 0 ? [`${kept} keep what they have`] : []),
    ...(refused > 0 ? [`${refused} ${how} refused`] : []),
  ];
  const head = bold(`${lines} players: ${parts.join(', ')}.`);
  if (faults.length === 0) return head;
  const rows = faults.slice(0, mostListed).map(({ line, code, detail }) => [String(line), code, detail]);
  const more = refused > mostListed ? faint(`\nand ${refused - mostListed} more: --json lists them.`) : '';
  return `${head}\n\n${table(['LINE', 'REASON', 'DETAIL'], rows)}${more}`;
}
