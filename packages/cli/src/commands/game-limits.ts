import type { LimitsRequest, LimitsResponse } from '@vekkon/protocol';
import { limitNames, type LimitName } from '@vekkon/protocol/names';
import { InvalidArgumentError, type Command } from 'commander';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, kebab, wholeNumber } from './options.js';

type Own = { readonly [Name in LimitName]?: number | null };

/** How much one caller may ask for in an environment. */
export function addLimits(game: Command): void {
  game
    .command('limits')
    .description('how much one caller may ask for, and who has asked for more; or set it')
    .option(
      '--set <name=number>',
      'such as device-calls=300; 0 for no bound, "usual" for the usual; may be given again',
      ownOf,
    )
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly set?: Own }) => {
      const { limits } = signedInOperator(options.environment);
      const before = await limits.read();
      const now = options.set === undefined ? before : await limits.set(changed(before, options.set));
      print(now, options, () => inWords(now));
    });
}

function ownOf(text: string, before: Own = {}): Own {
  const [name = '', number = ''] = text.split('=');
  const known = limitNames.find((one) => kebab(one) === name);
  if (known === undefined) throw new InvalidArgumentError(`There are ${limitNames.map(kebab).join(', ')}.`);
  return { ...before, [known]: number === 'usual' ? null : wholeNumber(0, 1_000_000_000)(number) };
}

function changed({ limits }: LimitsResponse, set: Own): LimitsRequest['limits'] {
  const all = limits.map(({ name, own }) => [name, set[name] === undefined ? own : set[name]] as const);
  return Object.fromEntries(all.filter(([, own]) => own !== null));
}

function inWords({ limits, ranInto }: LimitsResponse): string {
  const rows = limits.map(({ name, words, usual, own }) => [
    kebab(name),
    inFigures(own ?? usual),
    own === null ? 'as usual' : `usually ${inFigures(usual)}`,
    words,
  ]);
  const told =
    ranInto.length === 0
      ? faint('Nobody has asked for more since the service was started.')
      : table(
          ['LIMIT', 'WHO', 'TIMES', 'LAST'],
          ranInto.map(({ limit, who, times, at }) => [kebab(limit), who, String(times), timeInWords(at)]),
        );
  return `${table(['LIMIT', 'NUMBER', '', 'WHAT'], rows)}\n\n${told}`;
}

function inFigures(number: number): string {
  return number === 0 ? 'no bound' : number.toLocaleString('en');
}
