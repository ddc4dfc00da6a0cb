import { existsSync, writeFileSync } from 'node:fs';
import { isDeclaredName } from '@vekkon/core';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';

interface InitOptions {
  readonly title?: string;
  readonly number?: string;
  readonly currency?: string;
  readonly file: string;
}

export function addInit(program: Command): void {
  program
    .command('init')
    .description('write a first manifest: three questions, or their answers as options')
    .option('--title <title>', 'the name of the game')
    .option('--number <name>', 'a number that must be there again tomorrow')
    .option('--currency <name>', 'a currency; "none" for none')
    .option('--file <file>', 'where to write it', 'game.yaml')
    .action(async (options: InitOptions) => {
      const { file } = options;
      if (existsSync(file)) throw new WrongCommandLine(`${file} is there already: choose another with --file.`);
      const title = options.title ?? (await ask('What is the game called?', 'Highfell Gliders'));
      const number = await nameFrom(options.number, 'Which number must be there again tomorrow?', 'climbs');
      const currency = await nameFrom(
        options.currency,
        'What do players pay with? ("none" for no currency)',
        'feather',
      );
      writeFileSync(file, firstManifest(title, number, currency === 'none' ? undefined : currency));
      process.stdout.write(
        [
          `${file} is written. Next:`,
          `  vekkon manifest check ${file}`,
          `  vekkon game create ${file}`,
          `Then, in the game: session.increase('${number}', 1).`,
          '',
        ].join('\n'),
      );
    });
}

async function ask(question: string, suggested: string): Promise<string> {
  if (!process.stdin.isTTY) {
    throw new WrongCommandLine(`${question} Without a terminal to ask on, add --title, --number and --currency.`);
  }
  const { input } = await import('@inquirer/prompts');
  return input({ message: question, default: suggested });
}

/** A name to declare, from an answer in plain words. */
async function nameFrom(given: string | undefined, question: string, suggested: string): Promise<string> {
  const words = given ?? (await ask(question, suggested));
  const name = nameOf(words);
  if (!isDeclaredName(name)) throw new WrongCommandLine(`"${words}" has no letters to make a name of.`);
  return name;
}

/** `Gorge Run!` as `gorge-run`. */
function nameOf(words: string): string {
  const plain = words.normalize('NFKD').toLowerCase();
  return plain
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^[-0-9]+|-+$/g, '')
    .slice(0, 63);
}

function firstManifest(title: string, number: string, currency: string | undefined): string {
  const game = nameOf(title);
  if (!isDeclaredName(game)) throw new WrongCommandLine(`"${title}" has no letters to make a name of.`);
  const lines = [
    '# What the game keeps for each player. Every word of it: docs/manifest.md',
    'manifest: 1',
    `game: ${game}`,
    `title: ${JSON.stringify(title)}`,
    '',
    'progress:',
    `  ${number}: 0 # a number that starts at 0`,
  ];
  if (currency !== undefined)
    lines.push('', 'currencies:', `  ${currency}: 0 # whole numbers, with a ledger of every movement`);
  return `${lines.join('\n')}\n`;
}
