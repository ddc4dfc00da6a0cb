import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

/** `player erase`: the one thing without a way back, for which the id is typed in. */
export function addErase(player: Command): void {
  player
    .command('erase <id>')
    .description('erase a player for good: everything that is kept of them, everywhere; nothing brings it back')
    .option('--confirm <id>', 'the id once more, in place of typing it when asked')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions & { readonly confirm?: string }) => {
      const operator = signedInOperator(options.environment);
      const [{ name, records }, { sessions }] = await Promise.all([operator.player(id), operator.sessionsOf(id, 200)]);
      const held = `${Object.keys(records).length} records, ${sessions.length < 200 ? sessions.length : 'more than 200'} sessions`;
      process.stderr.write(
        `${name === null ? id : `${name} (${id})`} has ${held}. Erasing takes all of it, with history, ledger, checkpoints, trash, standings and devices. There is no way back; "vekkon player export ${id} FILE" keeps a copy.\n`,
      );
      if ((options.confirm ?? (await typed())) !== id) {
        throw new WrongCommandLine('That is not the id: nothing was erased.');
      }
      await operator.erase(id);
      print({ erased: id }, options, () => `${id} is erased.`);
    });
}

async function typed(): Promise<string> {
  if (!process.stdin.isTTY) {
    throw new WrongCommandLine('Nothing was erased: without a terminal to ask on, write the id again after --confirm.');
  }
  const { input } = await import('@inquirer/prompts');
  return input({ message: 'Type the id to erase the player:' });
}
