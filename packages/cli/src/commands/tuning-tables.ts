import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { rowDifferences } from '@vekkon/core/tuning';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { faint } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { textOf, writeText } from '../text-of.js';
import { fileFrom, formatOf, formats, valueIn, type Format } from '../tuning/table-files.js';
import { tunableIn } from '../tuning/value-from.js';
import { environmentOption, jsonOption } from './options.js';

/** Whole tables of the game, as files that live in a repository or a spreadsheet. */
export function addTables(tuning: Command): void {
  tuning
    .command('pull [tunable]')
    .description('write base values as files: one to a file, or all of them into a folder')
    .option(
      '--file <path>',
      'where to write it, as JSON, YAML or CSV by how its name ends; standard output if left out',
    )
    .option('--folder <path>', 'where to write all of them, each as NAME.yaml')
    .option('--format <format>', `without a file: ${formats.join(', ')}`, 'yaml')
    .option('--published', 'what is published, in place of the draft')
    .option(...environmentOption)
    .action(
      async (
        name: string | undefined,
        options: ShowOptions & { file?: string; folder?: string; format: string; published?: true },
      ) => {
        const draft = await signedInOperator(options.environment).tuning.draft();
        const valueOf = (one: string) => {
          const { published, value, starting, schema } = tunableIn(draft, one);
          return { value: (options.published === true ? published.value : value) ?? starting, schema };
        };
        if (name === undefined) {
          const { folder } = options;
          if (folder === undefined) throw new WrongCommandLine('Name a tunable, or a --folder for all of them.');
          mkdirSync(folder, { recursive: true });
          for (const one of Object.keys(draft.tunables)) {
            const { value, schema } = valueOf(one);
            writeText(path.join(folder, `${one}.yaml`), await fileFrom(value, 'yaml', one, schema));
          }
          process.stdout.write(`${Object.keys(draft.tunables).length} tunables are written to ${folder}.\n`);
          return;
        }
        const { value, schema } = valueOf(name);
        const { file } = options;
        const format = file === undefined ? formatTyped(options.format) : formatOf(file);
        const text = await fileFrom(value, format, name, schema);
        if (file === undefined) return void process.stdout.write(text);
        writeText(file, text);
        process.stdout.write(`${file} is written.\n`);
      },
    );

  tuning
    .command('push <file...>')
    .description('bring base values from files into the draft, after saying what changes, row by row')
    .option('--tunable <name>', 'which one it is; by the name of the file if left out')
    .option('--publish', 'publish them at once, and nothing else of the draft')
    .option('--note <text>', 'why, for the activity')
    .option('--dry-run', 'only say what would change')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (files: string[], options: ShowOptions & PushTyped) => {
      if (options.tunable !== undefined && files.length > 1) {
        throw new WrongCommandLine('--tunable is for one file: several are known by their names.');
      }
      const { tuning: calls } = signedInOperator(options.environment);
      const draft = await calls.draft();
      // All are read before anything is sent: one that is wrong lets nothing through.
      const reading = files.map(async (file) => {
        const name = options.tunable ?? path.basename(file).replace(/\.[^.]*$/, '');
        const tunable = tunableIn(draft, name);
        const value = await valueIn(textOf(file), formatOf(file), file, name, tunable.schema);
        const differences = rowDifferences(tunable.value ?? tunable.starting, value);
        return { file, name, value, differences, adjustments: tunable.adjustments };
      });
      const pushed = await Promise.all(reading);
      const changed = pushed.filter(({ differences }) => differences.length > 0);
      const told = pushed.map(({ file, name, differences }) => ({ file, tunable: name, differences }));
      if (changed.length === 0 || options.dryRun === true) {
        return print({ pushed: told }, options, () => pushedInWords(told));
      }
      if (!options.json) process.stdout.write(`${pushedInWords(told)}\n\n`);
      const question = options.publish === true ? 'Publish it for all?' : 'Bring it into the draft?';
      await confirmed(question, options.yes);
      let { revision } = draft;
      for (const { name, value, adjustments } of changed) {
        ({ revision } = await calls.put(name, { value, adjustments, revision }));
      }
      if (options.publish !== true) {
        return print({ pushed: told, revision }, options, () =>
          faint(`in the draft, revision ${revision}; "vekkon tuning publish" makes it the next edition`),
        );
      }
      const note = options.note ?? `pushed ${changed.map(({ name }) => name).join(', ')}`;
      const published = await calls.publish({ note, revision, only: changed.map(({ name }) => name) });
      print({ pushed: told, ...published }, options, () => `Edition ${published.edition} is published.`);
    });
}

interface PushTyped {
  readonly tunable?: string;
  readonly publish?: true;
  readonly note?: string;
  readonly dryRun?: true;
  readonly yes: boolean;
}

function formatTyped(text: string): Format {
  if ((formats as readonly string[]).includes(text)) return text as Format;
  throw new WrongCommandLine(`"${text}" is no form: write one of ${formats.join(', ')}.`);
}

function pushedInWords(
  pushed: readonly { readonly file: string; readonly tunable: string; readonly differences: readonly string[] }[],
): string {
  return pushed
    .map(({ file, tunable, differences }) =>
      differences.length === 0
        ? `${tunable}: ${file} says the same.`
        : `${tunable}:\n${differences.map((one) => `  ${one}`).join('\n')}`,
    )
    .join('\n');
}
