import { readFileSync } from 'node:fs';
import type { ManifestResponse } from '@vekkon/protocol';
import type { Command } from 'commander';
import { exitStatus, WrongCommandLine } from '../exit-status.js';
import { diffInWords, mistakesInWords } from '../manifest/diff-in-words.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { recordInWords, timeInWords, valueInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { textOf, writeText } from '../text-of.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';
import { countOf } from './running.js';

export function addManifest(program: Command): void {
  const manifest = program.command('manifest').description('the file in which a game declares what it keeps');
  addCheck(manifest);
  addDiff(manifest);
  addInstall(manifest);
  addShow(manifest);
  addPull(manifest);
  addLearn(manifest);
  addTypes(manifest);
  addMisfits(manifest);
}

function addCheck(manifest: Command): void {
  manifest
    .command('check <file>')
    .description('say every mistake in a manifest file, and what to write instead')
    .option(...jsonOption)
    .action(async (file: string, options: ShowOptions) => {
      const read = await readManifest(file);
      if ('manifest' in read) {
        const { game, records, items, tunables } = read.manifest;
        const forged = Object.entries(records).flatMap(([key, { kind, player }]) =>
          player === 'write' && kind !== 'preference' ? key : [],
        );
        print({ mistakes: [], playersMayForge: forged }, options, () =>
          [
            `${file} is right: ${game}, ${count(records, 'record')}, ${count(items, 'item')}, ${count(tunables, 'tunable')}.`,
            ...forged.map((key) => `Players may write ${key} ("player: write"): what it holds can be forged.`),
          ].join('\n'),
        );
        return;
      }
      print({ mistakes: read.mistakes }, options, () => mistakesInWords(file, [...read.mistakes]));
      process.exitCode = exitStatus.refused;
    });
}

function count(of: object, word: string): string {
  const number = Object.keys(of).length;
  return `${number} ${word}${number === 1 ? '' : 's'}`;
}

/** Loaded here: the other commands need no reader of manifests. */
async function readManifest(file: string) {
  const { readManifestFile } = await import('@vekkon/core/manifest-file');
  return readManifestFile(textOf(file));
}

function addDiff(manifest: Command): void {
  manifest
    .command('diff <file>')
    .description('say what installing a file would change, what would no longer fit, and which hosts it would break')
    .option(
      '--fail-on-break',
      'end with status 1 if it would break something: a build, stored records, hosts, or what is tuned',
    )
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (file: string, options: ShowOptions & { readonly failOnBreak?: true }) => {
      const diff = await signedInOperator(options.environment).diffManifest(textOf(file));
      print(diff, options, () => diffInWords(diff));
      const { differences, conflicts, misfits, hosts, tuning } = diff;
      const counted = conflicts.length + misfits.length + hosts.length + tuning.length;
      const breaks = differences.some((one) => one.breaks) || counted > 0;
      if (options.failOnBreak === true && breaks) process.exitCode = exitStatus.refused;
    });
}

function addInstall(manifest: Command): void {
  manifest
    .command('install <file>')
    .description('make a file the next version, at once for all')
    .option('--accept-misfits', 'install it though stored records would not fit: they are kept', false)
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (file: string, options: ShowOptions & { readonly acceptMisfits: boolean; readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const text = textOf(file);
      if (!options.yes) {
        const diff = await operator.diffManifest(text);
        process.stderr.write(`${diffInWords(diff)}\n`);
        // Where nothing is different there is nothing to ask about.
        if (diff.differences.length > 0) await confirmed('Install it, at once for all?', false);
      }
      const installed = await operator.installManifest(text, { acceptMisfits: options.acceptMisfits });
      print(installed, options, () =>
        installed.unchanged
          ? `Version ${installed.version} says the same already: nothing changed.`
          : `Version ${installed.version} is installed.`,
      );
    });
}

function addShow(manifest: Command): void {
  manifest
    .command('show')
    .description('what is installed')
    .option('--version <number>', 'an older version', countOf)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly version?: number }) => {
      const operator = signedInOperator(options.environment);
      const installed = await operator.manifest(options.version);
      const { versions } = await operator.manifestVersions();
      print({ ...installed, versions }, options, () => {
        const older = versions
          .slice(0, 10)
          .map((one) => [String(one.version), timeInWords(one.installedAt), one.by ?? '–']);
        return `${manifestInWords(installed)}\n\n${table(['VERSION', 'INSTALLED', 'BY'], older)}`;
      });
    });
}

function manifestInWords({ manifest, version, newest, learns, installedAt }: ManifestResponse): string {
  const records = Object.entries(manifest.records).map(([key, declaration]) => [
    declaration.family === undefined ? key : `${key}/…`,
    declaration.kind === 'score'
      ? `${declaration.better} is better, ${declaration.counts}`
      : recordInWords(key, declaration.starting, 40),
    declaration.lasts,
    declaration.player,
    declaration.learned === true ? 'learned' : (declaration.about ?? ''),
  ]);
  const items = Object.entries(manifest.items).map(([name, item]) => [
    name,
    'unique' in item ? 'unique' : `stacks of ${item.stack}`,
    item.learned === true ? 'learned' : (item.about ?? ''),
  ]);
  const tunables = Object.entries(manifest.tunables).map(([name, { starting, about }]) => [
    name,
    valueInWords(starting, 50),
    about ?? '',
  ]);
  const age = version === newest ? 'installed' : `of ${newest}, installed`;
  const parts = [
    `${bold(manifest.title)}  ${faint(`version ${version}, ${age} ${timeInWords(installedAt)}${learns ? '; the environment learns' : ''}`)}`,
    table(['RECORD', 'STARTS AT', 'LASTS', 'PLAYER', 'ABOUT'], records),
  ];
  if (items.length > 0) parts.push(table(['ITEM', 'COMES AS', 'ABOUT'], items));
  if (tunables.length > 0) parts.push(table(['TUNABLE', 'STARTS AT', 'ABOUT'], tunables));
  return parts.join('\n\n');
}

function addPull(manifest: Command): void {
  manifest
    .command('pull [file]')
    .description('fetch the installed file, with what was learned since; to the screen if no file is named')
    .option('--version <number>', 'an older version', countOf)
    .option('--yes', 'overwrite the file without asking', false)
    .option(...environmentOption)
    .action(
      async (file: string | undefined, options: ShowOptions & { readonly version?: number; readonly yes: boolean }) => {
        const { text, version, learned } = await signedInOperator(options.environment).manifestFile(options.version);
        if (file === undefined) {
          process.stdout.write(text);
          return;
        }
        const held = contentOf(file);
        if (held !== undefined && held !== text)
          await confirmed(`${file} holds something else. Overwrite it?`, options.yes);
        writeText(file, text);
        const lines = learned.map(({ section, name }) => `  learned: ${section}/${name}`);
        process.stdout.write([`${file} is version ${version}.`, ...lines, ''].join('\n'));
      },
    );
}

function contentOf(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return undefined;
  }
}

function addLearn(manifest: Command): void {
  manifest
    .command('learn <on|off>')
    .description('let an environment that is not live declare keys from their first value, or no longer')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (word: string, options: ShowOptions) => {
      if (word !== 'on' && word !== 'off') throw new WrongCommandLine(`"${word}" is neither on nor off.`);
      const set = await signedInOperator(options.environment).setLearning(word === 'on');
      print(set, options, () =>
        set.learns
          ? 'It learns: what is not declared is declared from its first value. See it with "vekkon manifest pull".'
          : 'It no longer learns: what is not declared is refused. What was learned stays declared until you install a file without it.',
      );
    });
}

function addTypes(manifest: Command): void {
  manifest
    .command('types <file>')
    .description('write TypeScript types of what a manifest file declares, to the screen')
    .action(async (file: string) => {
      const read = await readManifest(file);
      if ('mistakes' in read) {
        process.stderr.write(`${mistakesInWords(file, [...read.mistakes])}\n`);
        process.exitCode = exitStatus.refused;
        return;
      }
      // Loaded here: it brings a formatter with it.
      const { typescriptOf } = await import('../manifest/typescript-of.js');
      process.stdout.write(await typescriptOf(read.manifest, file.split('/').at(-1) ?? file));
    });
}

function addMisfits(manifest: Command): void {
  manifest
    .command('misfits')
    .description('list stored values that the installed manifest does not allow')
    .option('--count <number>', 'how many, at most 1000', wholeNumber(1, 1_000), 100)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly count: number }) => {
      const { misfits, hasMore } = await signedInOperator(options.environment).misfits(options.count);
      print({ misfits, hasMore }, options, () => {
        if (misfits.length === 0) return 'Everything that is stored fits.';
        const rows = misfits.map((one) => [one.player, one.key, one.detail]);
        return `${table(['PLAYER', 'KEY', 'WHY'], rows)}${hasMore ? faint('\n\nThere are more: see --count.') : ''}`;
      });
    });
}
