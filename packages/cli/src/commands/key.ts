import { scopes, type Scope } from '@vekkon/protocol/names';
import { Option, type Command } from 'commander';
import { NotThere } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { durationFrom, environmentOption, jsonOption } from './options.js';

interface CreateOptions extends ShowOptions {
  readonly sort: 'host-key' | 'device-key';
  readonly name?: string;
  readonly scope?: Scope[];
  readonly endsIn?: number;
}

export function addKey(program: Command): void {
  const key = program.command('key').description('the keys that game servers and devices show');

  key
    .command('list')
    .description("an environment's keys, without their secrets")
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const { keys } = await signedInOperator(options.environment).keys();
      const rows = keys.map((one) => [
        `${one.id}…`,
        one.name ?? '–',
        one.sort,
        one.scopes === null ? 'everything' : one.scopes.join(', '),
        timeInWords(one.createdAt),
        one.lastUsedAt === null ? 'never' : `${timeInWords(one.lastUsedAt)} from ${one.lastUsedFrom}`,
        one.revokedAt !== null
          ? `revoked ${timeInWords(one.revokedAt)}`
          : one.expiresAt === null
            ? 'never'
            : timeInWords(one.expiresAt),
      ]);
      print(keys, options, () => table(['KEY', 'NAME', 'SORT', 'GOOD FOR', 'MADE', 'LAST USED', 'ENDS'], rows));
    });

  key
    .command('create')
    .description('make a key; it is shown only then')
    .addOption(new Option('--sort <sort>', 'who shows it').choices(['host-key', 'device-key']).default('host-key'))
    .option('--name <name>', 'what it is called, such as "ridge-eu"')
    .addOption(
      new Option(
        '--scope <scope...>',
        'what it is good for; everything if left out. Of a device key: what devices that come with it may do',
      ).choices(scopes),
    )
    .option('--ends-in <time>', 'when it is over by itself, such as 90d', durationFrom)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: CreateOptions) => {
      const { sort, name, scope, endsIn } = options;
      const made = await signedInOperator(options.environment).createKey({
        sort,
        ...(name !== undefined && { name }),
        ...(scope !== undefined && { scopes: scope }),
        ...(endsIn !== undefined && { expiresAt: new Date(Date.now() + endsIn).toISOString() }),
      });
      print(made, options, () => made.key);
    });

  key
    .command('revoke <id>')
    .description('end a key, by its first characters as the list shows them')
    .option(...environmentOption)
    .option('--yes', 'do not ask', false)
    .action(async (id: string, options: ShowOptions & { readonly yes: boolean }) => {
      const plainId = id.replace(/…$/, '');
      const operator = signedInOperator(options.environment);
      const known = (await operator.keys()).keys.find((one) => one.id === plainId);
      if (known === undefined) throw new NotThere(`There is no key ${plainId}… here: see "vekkon key list".`);
      if (known.revokedAt !== null) throw new NotThere(`${plainId}… was revoked ${timeInWords(known.revokedAt)}.`);
      await confirmed(`Everything that shows the key ${plainId}… is refused from then on. Revoke it?`, options.yes);
      await operator.revokeKey(plainId);
      process.stdout.write(`${plainId}… is revoked.\n`);
    });
}
