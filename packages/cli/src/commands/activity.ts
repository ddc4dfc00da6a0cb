import type { Command } from 'commander';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

const widestDetail = 90;

export function addActivity(program: Command): void {
  program
    .command('activity')
    .description('what was done to an environment, the newest first')
    .option('--count <number>', 'how many, at most 500', wholeNumber(1, 500), 30)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly count: number }) => {
      const { activity } = await signedInOperator(options.environment).activity(options.count);
      const rows = activity.map((one) => [
        timeInWords(one.at),
        one.what,
        one.by ?? 'the service',
        one.player ?? '–',
        one.detail.length > widestDetail ? `${one.detail.slice(0, widestDetail - 1)}…` : one.detail,
      ]);
      print(activity, options, () =>
        rows.length === 0 ? 'Nothing was done yet.' : table(['WHEN', 'WHAT', 'BY', 'PLAYER', 'DETAIL'], rows),
      );
    });
}
