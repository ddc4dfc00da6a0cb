import type { Command } from 'commander';
import { textOf } from '../text-of.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

export function addGame(program: Command): void {
  const game = program.command('game').description('games and their environments');

  game
    .command('create <manifest>')
    .description('make an environment, and its game if it is the first, from a manifest file')
    .option('--environment <name>', 'the name of the environment', 'dev')
    .option('--live', 'players play here: tools that could hurt them are refused', false)
    .option('--json', 'print JSON, for programs')
    .action(async (file: string, options: { environment: string; live: boolean; json?: boolean }) => {
      const made = await signedInOperator(undefined).createEnvironment({
        manifest: textOf(file),
        environment: options.environment,
        live: options.live,
      });
      print(made, options.json === undefined ? {} : { json: options.json }, () =>
        [
          `${made.title}: environment ${made.game}/${made.environment} is made. The keys are shown only now:`,
          `  Host key    ${made.hostKey}`,
          `  Device key  ${made.deviceKey}`,
        ].join('\n'),
      );
    });

  game
    .command('list')
    .description('games and their environments')
    .option('--json', 'print JSON, for programs')
    .action(async (options: ShowOptions) => {
      const { environments } = await signedInOperator(undefined).self();
      const rows = environments.map((one) => [
        `${one.game}/${one.environment}`,
        one.title,
        one.isLive ? 'live' : '–',
        one.manifestVersion === null ? 'none' : String(one.manifestVersion),
      ]);
      print(environments, options, () => table(['ENVIRONMENT', 'TITLE', 'LIVE', 'MANIFEST'], rows));
    });

  game
    .command('empty')
    .description('make every player of an environment new; never of a live one')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const { total } = await operator.players({ count: 1 });
      await confirmed(
        `${total} ${total === 1 ? 'player loses' : 'players lose'} all they have: it goes to the trash, and a checkpoint of each keeps a copy. Empty the environment?`,
        options.yes,
      );
      const emptied = await operator.makeAllNew();
      print(emptied, options, () => {
        const left = emptied.inSession === 0 ? '' : ` Left as they are, being in a session: ${emptied.inSession}.`;
        return `${emptied.made} players are new.${left}`;
      });
    });
}
