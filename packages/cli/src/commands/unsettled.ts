import type { DealtWith, DealWithUnsettled, UnsettledQuery, UnsettledTransaction } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { ProgressBar } from '../output/progress-bar.js';
import { bold, faint, table } from '../output/table.js';
import { changeInWords, timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';

interface Filters {
  readonly player?: string;
  readonly host?: string;
  readonly reason?: string;
  readonly since?: string;
  readonly until?: string;
}
type ListOptions = ShowOptions & Filters & { readonly count: number; readonly after?: string };
type DealOptions = ShowOptions & Filters & { readonly all?: true; readonly dryRun?: true; readonly yes: boolean };

export function addUnsettled(program: Command): void {
  const unsettled = program
    .command('unsettled')
    .description('transactions that came too late, or were refused after the game had been told that they would hold');

  withFilters(unsettled.command('list').description('those that wait for a person, the newest first'))
    .option('--count <n>', 'how many at a time, up to 500', wholeNumber(1, 500), 100)
    .option('--after <cursor>', 'go on where the page before ended')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ListOptions) => {
      const query: UnsettledQuery = { ...filtersIn(options), count: options.count, after: options.after };
      const list = await signedInOperator(options.environment).unsettled(query);
      print(list, options, () => {
        if (list.total === 0) return 'Nothing is unsettled.';
        const many = `${list.unsettled.length} of ${list.isCapped ? 'more than ' : ''}${list.total}`;
        const next = list.next === null ? '' : `; go on with --after ${list.next}`;
        return `${listed(list.unsettled)}\n\n${faint(`${many}, which hold ${inWords(list.transactions)}${next}`)}`;
      });
    });

  unsettled
    .command('sums')
    .description('where they pile up: by reason and host, and the players who hold the most')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const summary = await signedInOperator(options.environment).unsettledSummary();
      print(summary, options, () => {
        if (summary.total === 0) return 'Nothing is unsettled.';
        const sums = summary.sums.map(({ reason, host, unlike, transactions }) => [
          reason,
          host ?? 'players’ own devices',
          String(unlike),
          String(transactions),
        ]);
        const players = summary.players.map(({ player, unlike, transactions, bytes }) => [
          player,
          String(unlike),
          String(transactions),
          `${Math.ceil(bytes / 1024)} KiB`,
        ]);
        return [
          bold(`${inWords(summary.transactions)}, ${summary.total} unlike`),
          table(['REASON', 'HOST', 'UNLIKE', 'TRANSACTIONS'], sums),
          table(['PLAYER', 'UNLIKE', 'TRANSACTIONS', 'SIZE'], players),
        ].join('\n\n');
      });
    });

  addDealing(unsettled, 'settle', 'apply them after all, through the same rules');
  addDealing(unsettled, 'drop', 'never apply them; what they held stays in the activity');
}

const words = {
  settle: { will: "will be applied to the player's records as they are now", ask: 'Settle?', done: 'settled' },
  drop: { will: 'will never be applied', ask: 'Drop?', done: 'dropped' },
};

/** `settle` and `drop`: some by their ids, or all that filters mean, shown before they are asked about. */
function addDealing(unsettled: Command, what: 'settle' | 'drop', description: string): void {
  withFilters(unsettled.command(`${what} [id...]`).description(description))
    .option('--all', 'all of the environment')
    .option('--dry-run', 'only say which they are')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (ids: readonly string[], options: DealOptions) => {
      const filters = filtersIn(options);
      const isFiltered = options.all === true || Object.values(filters).some((one) => one !== undefined);
      if (ids.length > 0 === isFiltered) {
        throw new WrongCommandLine(
          'Name ids, or say which are meant: --player, --host, --reason, --since, --until or --all.',
        );
      }
      if (ids.length > 0) return dealWithSome(what, ids, options);
      return dealWithMany(what, { ...filters, ...(options.all && { all: true as const }) }, options);
    });
}

async function dealWithSome(what: 'settle' | 'drop', ids: readonly string[], options: DealOptions): Promise<void> {
  if (options.dryRun)
    throw new WrongCommandLine('--dry-run is for filters: "vekkon unsettled list" shows what an id is.');
  const { will, ask, done } = words[what];
  const operator = signedInOperator(options.environment);
  await confirmed(`${inWords(ids.length)} ${will}. ${ask}`, options.yes);
  for (const id of ids) {
    await operator[what](id);
    process.stdout.write(`${id} is ${done}.\n`);
  }
}

async function dealWithMany(what: 'settle' | 'drop', which: DealWithUnsettled, options: DealOptions): Promise<void> {
  const { will, ask, done } = words[what];
  const operator = signedInOperator(options.environment);
  const meant = await operator.dealWithUnsettled(what, { ...which, dryRun: true });
  if (options.dryRun || meant.found === 0) return print(meant, options, () => meantInWords(meant));
  if (!options.json) process.stdout.write(`${meantInWords(meant)}\n\n`);
  await confirmed(`${inWords(meant.transactions)} ${will}. ${ask}`, options.yes);
  const bar = new ProgressBar('unlike ones', options.json === true);
  const dealt = await operator.dealWithUnsettled(what, which, (so, of) => bar.show(so, of));
  bar.end();
  print(dealt, options, () => {
    const refused = dealt.refused.map(({ id, player, code, detail }) => [id, player, code, detail]);
    const stay = `\n${dealt.refused.length} stay, since they are refused:\n${table(['ID', 'PLAYER', 'REASON', 'DETAIL'], refused)}`;
    return `${unlike(dealt.done)} ${dealt.done === 1 ? 'is' : 'are'} ${done}.${refused.length > 0 ? stay : ''}`;
  });
}

function meantInWords({ found, transactions, isCapped, examples }: DealtWith): string {
  if (found === 0) return 'Nothing like that is unsettled.';
  const more = isCapped ? 'more than ' : '';
  const some = found > examples.length ? `the newest ${examples.length} of ${more}${unlike(found)}` : unlike(found);
  return `${listed(examples)}\n\n${faint(`${some}, which hold ${more}${inWords(transactions)}`)}`;
}

function listed(unsettled: readonly UnsettledTransaction[]): string {
  const rows = unsettled.map((one) => [
    one.id,
    one.player,
    String(one.count),
    timeInWords(one.at),
    one.reason,
    one.transaction.label ?? '–',
    one.transaction.changes.map(amountInWords).join(', '),
  ]);
  return table(['ID', 'PLAYER', 'COUNT', 'LAST', 'REASON', 'LABEL', 'CHANGES'], rows);
}

/** "credit currency/feather 90": with the amount, where there is one. */
function amountInWords(change: UnsettledTransaction['transaction']['changes'][number]): string {
  const amount = 'amount' in change ? change.amount : 'by' in change ? change.by : undefined;
  return amount === undefined ? changeInWords(change) : `${changeInWords(change)} ${amount}`;
}

function withFilters(command: Command): Command {
  return command
    .option('--player <id>', 'of one player only')
    .option('--host <name>', 'of one host only')
    .option('--reason <code>', 'for one reason only, such as session-ended')
    .option('--since <time>', 'at this time or later, such as 2026-11-23T12:00:00Z, or 2h ago', timeFrom)
    .option('--until <time>', 'before this time', timeFrom);
}

function filtersIn({ player, host, reason, since, until }: Filters): Filters {
  return {
    ...(player !== undefined && { player }),
    ...(host !== undefined && { host }),
    ...(reason !== undefined && { reason }),
    ...(since !== undefined && { since }),
    ...(until !== undefined && { until }),
  };
}

function unlike(count: number): string {
  return count === 1 ? '1 unlike one' : `${count} unlike ones`;
}

function inWords(count: number): string {
  return count === 1 ? '1 transaction' : `${count} transactions`;
}
