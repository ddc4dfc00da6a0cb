import type { Command } from 'commander';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { changeInWords, timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

type DealOptions = ShowOptions & { readonly yes: boolean };

export function addUnsettled(program: Command): void {
  const unsettled = program
    .command('unsettled')
    .description('transactions that came too late, or were refused after the game was told that they would hold');

  unsettled
    .command('list')
    .description('those that wait for a person, the newest first')
    .option('--player <id>', 'of one player only')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly player?: string }) => {
      const list = await signedInOperator(options.environment).unsettled(options.player);
      print(list, options, () => {
        if (list.total === 0) return 'Nothing is unsettled.';
        const rows = list.unsettled.map((one) => [
          one.id,
          one.player,
          timeInWords(one.at),
          one.reason,
          one.transaction.label ?? '–',
          one.transaction.changes.map(changeInWords).join(', '),
        ]);
        const shown = faint(`${list.unsettled.length} of ${list.total}`);
        return `${table(['ID', 'PLAYER', 'SINCE', 'REASON', 'LABEL', 'CHANGES'], rows)}\n\n${shown}`;
      });
    });

  unsettled
    .command('settle <id...>')
    .description('apply them after all, through the same rules')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .action(async (ids: readonly string[], options: DealOptions) => {
      await confirmed(`${inWords(ids)} will be applied to the player's records as they are now. Settle?`, options.yes);
      for (const id of ids) {
        await signedInOperator(options.environment).settle(id);
        process.stdout.write(`${id} is settled.\n`);
      }
    });

  unsettled
    .command('drop <id...>')
    .description('never apply them; what they held stays in the activity')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .action(async (ids: readonly string[], options: DealOptions) => {
      await confirmed(`${inWords(ids)} will never be applied. Drop?`, options.yes);
      for (const id of ids) {
        await signedInOperator(options.environment).drop(id);
        process.stdout.write(`${id} is dropped.\n`);
      }
    });
}

function inWords(ids: readonly string[]): string {
  return ids.length === 1 ? '1 transaction' : `${ids.length} transactions`;
}
