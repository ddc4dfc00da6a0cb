import type { Command } from 'commander';
import { NotThere } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

/** Copies of what a player had. */
export function addCheckpoints(player: Command): void {
  player
    .command('checkpoints <id>')
    .description("a player's checkpoints, with those that were given up")
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions) => {
      const { checkpoints } = await signedInOperator(options.environment).checkpoints(id);
      const rows = checkpoints.map((one) => [
        String(one.number),
        one.name,
        one.summary ?? '–',
        timeInWords(one.at),
        one.by ?? '–',
        `${one.records.length}`,
        one.keptUntil === null ? '–' : timeInWords(one.keptUntil),
      ]);
      print(checkpoints, options, () =>
        rows.length === 0
          ? 'There are no checkpoints.'
          : table(['NUMBER', 'NAME', 'SUMMARY', 'MADE', 'BY', 'RECORDS', 'GIVEN UP, KEPT UNTIL'], rows),
      );
    });
}

/** `player checkpoint`: a copy made by hand. */
export function addMakeCheckpoint(player: Command): void {
  player
    .command('checkpoint <id> <name>')
    .description('make a checkpoint of all that a player has; the game does not see it')
    .option('--summary <text>', 'one line for whoever chooses among them')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, name: string, options: ShowOptions & { readonly summary?: string }) => {
      const made = await signedInOperator(options.environment).makeCheckpoint(id, name, options.summary);
      print(made, options, () => `The checkpoint "${name}" of ${id} holds ${made.records} records.`);
    });
}

/** The devices on which a player plays. */
export function addDevices(player: Command): void {
  player
    .command('devices <id>')
    .description("a player's own devices")
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions) => {
      const { devices } = await signedInOperator(options.environment).devices(id);
      const rows = devices.map((one) => [
        one.device,
        one.name ?? '–',
        timeInWords(one.createdAt),
        one.revokedAt === null ? '–' : timeInWords(one.revokedAt),
      ]);
      print(devices, options, () =>
        rows.length === 0
          ? 'No device of this player is known.'
          : table(['DEVICE', 'NAME', 'FIRST SEEN', 'SHUT OUT'], rows),
      );
    });

  player
    .command('shut-out <id> <device>')
    .description('shut a device out: neither its token nor its secret is taken any more')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, device: string, options: ShowOptions & { readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const known = (await operator.devices(id)).devices.find((one) => one.device === device);
      if (known === undefined) throw new NotThere(`${id} has no device ${device}: see "vekkon player devices ${id}".`);
      await confirmed(`The device ${device} of ${id} can't play as this player any more. Shut it out?`, options.yes);
      await operator.revokeDevice(id, device);
      print({ revoked: device }, options, () => `${device} is shut out.`);
    });
}
