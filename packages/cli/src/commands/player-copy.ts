import type { Json } from '@vekkon/core';
import type { ImportRequest, PlayerLine } from '@vekkon/protocol';
import type { Command } from 'commander';
import { NotThere } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

interface CopyOptions extends ShowOptions {
  readonly to: string;
  readonly as?: string;
  readonly update?: true;
  readonly yes: boolean;
}

/** `player copy`: what a player has in one environment, in another. */
export function addCopy(player: Command): void {
  player
    .command('copy <id>')
    .description(
      "copy a player's records into another environment, such as a live player's into dev to look into a fault",
    )
    .requiredOption('--to <game/environment>', 'the environment that they are copied into')
    .option('--as <id>', 'under another id')
    .option('--update', 'a player who is there already gets what is copied')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: CopyOptions) => {
      const { to, as = id } = options;
      const line = JSON.parse(await signedInOperator(options.environment).transfer.one(id)) as PlayerLine;
      const there = signedInOperator(to);
      const request: ImportRequest = {
        lines: [{ ...line, player: as } as Json],
        existing: options.update ? 'update' : 'refuse',
      };
      const [foreseen] = (await there.transfer.import({ ...request, dryRun: true })).results;
      if (foreseen?.outcome === 'refused') {
        const hint = foreseen.code === 'player-exists' ? ' Add --update, or --as with another id.' : '';
        throw new NotThere(`${foreseen.detail ?? 'It was refused.'}${hint}`);
      }
      if (foreseen?.outcome === 'same') return print(foreseen, options, () => `${as} in ${to} has the same already.`);
      const what = foreseen?.outcome === 'updated' ? 'is changed' : 'is made';
      await confirmed(
        `${as} ${what} in ${to}, with ${Object.keys(line.records).length} records of ${id}. Copy?`,
        options.yes,
      );
      const [done] = (await there.transfer.import(request)).results;
      print(done, options, () => `${as} in ${to} has what ${id} has.`);
    });
}
