import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

interface SetOptions extends ShowOptions {
  readonly title?: string;
  readonly issuer?: string;
  readonly clientId?: string;
  readonly askSecret: boolean;
}

/** The identity providers with which players of an environment may sign in. */
export function addProviders(account: Command): void {
  const provider = account.command('provider').description('identity providers with which players may sign in');

  provider
    .command('list')
    .description('with whom players may sign in')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const list = await signedInOperator(options.environment).identities.list();
      const rows = list.providers.map((one) => [
        one.name,
        one.title,
        one.issuer,
        one.clientId,
        one.hasSecret ? 'kept' : 'none',
      ]);
      const returns = faint(`\n\nRegister with each that it may send people back to ${list.returnTo}`);
      print(list, options, () =>
        rows.length === 0
          ? `Players sign in with e-mail and password only.${returns}`
          : `${table(['NAME', 'TITLE', 'ISSUER', 'CLIENT ID', 'SECRET'], rows)}${returns}`,
      );
    });

  provider
    .command('set <name>')
    .description('players may sign in with a provider, which is asked who it is first; or change something about it')
    .option('--title <text>', 'what players read on the button')
    .option('--issuer <url>', 'as the provider names itself, such as https://id.highfell.example')
    .option('--client-id <id>', 'what the game is known by there')
    .option('--ask-secret', "ask for the client's secret; or give it in VEKKON_CLIENT_SECRET", false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (name: string, options: SetOptions) => {
      const { identities } = signedInOperator(options.environment);
      const known = (await identities.list()).providers.find((one) => one.name === name);
      const issuer = options.issuer ?? known?.issuer;
      const clientId = options.clientId ?? known?.clientId;
      if (issuer === undefined || clientId === undefined) {
        throw new WrongCommandLine(`"${name}" is not set up yet: say --issuer and --client-id.`);
      }
      const clientSecret = await secretFor(options);
      const title = options.title ?? known?.title ?? name;
      const set = await identities.set(name, {
        title,
        issuer,
        clientId,
        ...(clientSecret !== undefined && { clientSecret }),
      });
      print(set, options, () => `Players may sign in with ${set.title}: ${set.issuer} has answered as it must.`);
    });

  provider
    .command('remove <name>')
    .description('nobody signs in with it any more')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .action(async (name: string, options: ShowOptions & { readonly yes: boolean }) => {
      await confirmed(
        `Players who sign in with "${name}" only can't sign in again; on their devices they play on. Remove it?`,
        options.yes,
      );
      await signedInOperator(options.environment).identities.remove(name);
      process.stdout.write(`Nobody signs in with "${name}" any more.\n`);
    });
}

/** Never on the command line, where other users of the machine could read it. */
async function secretFor({ askSecret }: SetOptions): Promise<string | undefined> {
  const given = process.env['VEKKON_CLIENT_SECRET'];
  if (given !== undefined || !askSecret) return given;
  const { password } = await import('@inquirer/prompts');
  return password({ message: "The client's secret" });
}
