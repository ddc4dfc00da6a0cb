import type { AccountList, AccountResponse } from '@vekkon/protocol';
import type { Command } from 'commander';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { addProviders } from './account-provider.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

/** Players' accounts, as those who help them look after them. */
export function addAccount(program: Command): void {
  const account = program.command('account').description("players' accounts");

  account
    .command('list')
    .description('accounts, in the order of their addresses')
    .option('--search <text>', 'how the address starts')
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 50)
    .option('--after <cursor>', 'go on where a page ended')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { search?: string; count: number; after?: string }) => {
      const { search, count, after } = options;
      const list = await signedInOperator(options.environment).accounts.list({
        count,
        ...(search !== undefined && { search }),
        ...(after !== undefined && { after }),
      });
      print(list, options, () => listInWords(list));
    });

  account
    .command('show <player>')
    .description("a player's account, and where it is signed in")
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (player: string, options: ShowOptions) => {
      const found = await signedInOperator(options.environment).accounts.of(player);
      print(found, options, () => accountInWords(found));
    });

  account
    .command('send-reset <player>')
    .description('mail a link with which to set another password')
    .option(...environmentOption)
    .action(async (player: string, options: ShowOptions) => {
      await signedInOperator(options.environment).accounts.sendReset(player);
      process.stdout.write('A link was mailed: it works once, for an hour.\n');
    });

  account
    .command('sign-out <player>')
    .description('sign an account out on all devices')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .action(async (player: string, options: ShowOptions & { readonly yes: boolean }) => {
      await confirmed(`Every device of ${player} is signed out. Sign them out?`, options.yes);
      const { ended } = await signedInOperator(options.environment).accounts.signOut(player);
      process.stdout.write(`${ended} ${ended === 1 ? 'sign-in' : 'sign-ins'} ended.\n`);
    });

  account
    .command('shut-out <player>')
    .description('shut an account out; --undo lets it in again')
    .option('--undo', 'let it in again', false)
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .action(async (player: string, options: ShowOptions & { readonly undo: boolean; readonly yes: boolean }) => {
      const { undo } = options;
      if (!undo) await confirmed(`${player} is signed out, and can't sign in any more. Shut them out?`, options.yes);
      await signedInOperator(options.environment).accounts.disable(player, !undo);
      process.stdout.write(undo ? `${player} may sign in again.\n` : `${player} is shut out.\n`);
    });

  account
    .command('mails')
    .description('what would have been mailed, in an environment that is not live, where no mail server is set up')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const { mails } = await signedInOperator(options.environment).accounts.mails();
      print(mails, options, () =>
        mails.length === 0
          ? 'Nothing was mailed.'
          : mails
              .map(
                ({ at, to, subject, text }) => `${bold(subject)}  ${faint(`to ${to}, ${timeInWords(at)}`)}\n\n${text}`,
              )
              .join('\n'),
      );
    });

  addProviders(account);
}

function listInWords({ accounts, next }: AccountList): string {
  if (accounts.length === 0) return 'No account matches.';
  const rows = accounts.map((one) => [
    one.email ?? 'none',
    one.isConfirmed ? 'yes' : 'no',
    one.player,
    timeInWords(one.createdAt),
    one.disabledAt === null ? '–' : timeInWords(one.disabledAt),
  ]);
  const more = next === null ? '' : faint(`\n\nGo on with --after "${next}"`);
  return `${table(['E-MAIL', 'CONFIRMED', 'PLAYER', 'MADE', 'SHUT OUT'], rows)}${more}`;
}

function accountInWords(one: AccountResponse & { readonly disabledAt: string | null }): string {
  const state = one.disabledAt === null ? '' : `, shut out ${timeInWords(one.disabledAt)}`;
  const rows = one.signIns.map((stay) => [
    stay.name ?? stay.device,
    timeInWords(stay.at),
    timeInWords(stay.usedAt),
    stay.address,
    timeInWords(stay.endedAt),
  ]);
  return [
    bold(`${one.email ?? 'without an address'}  ${one.player}`),
    faint(`${one.isConfirmed ? 'confirmed' : 'not confirmed'}, made ${timeInWords(one.createdAt)}${state}`),
    ...one.identities.map(({ title, email, usedAt }) =>
      faint(`signs in with ${title}${email === null ? '' : ` as ${email}`}, last ${timeInWords(usedAt)}`),
    ),
    '',
    rows.length === 0 ? 'Signed in nowhere.' : table(['DEVICE', 'SIGNED IN', 'LAST USED', 'FROM', 'ENDED'], rows),
  ].join('\n');
}
