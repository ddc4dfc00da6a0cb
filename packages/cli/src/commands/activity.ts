import type { ActivityEntry, ActivityQuery } from '@vekkon/protocol';
import type { Command } from 'commander';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';

const widestDetail = 90;

interface ActivityOptions extends ShowOptions {
  readonly count: number;
  readonly player?: string;
  readonly by?: string;
  readonly what?: string;
  readonly failed?: true;
  readonly since?: string;
  readonly until?: string;
  readonly before?: number;
  readonly follow?: true;
}

export function addActivity(program: Command): void {
  program
    .command('activity')
    .description('what happened in an environment, the newest first; plain saves are counted, not listed')
    .option('--player <id>', 'of one player only')
    .option('--by <name>', 'by one host, key or operator only')
    .option('--what <kind>', 'of one kind only, such as joined, left or save-refused')
    .option('--failed', 'only what did not come about as it was meant to')
    .option('--since <time>', 'at this time or later, such as 2h ago', timeFrom)
    .option('--until <time>', 'before this time', timeFrom)
    .option('--count <number>', 'how many, at most 500', wholeNumber(1, 500), 30)
    .option('--before <number>', 'go on where the page before ended', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option('--follow', 'go on with each line as it happens, until Ctrl-C')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ActivityOptions) => {
      const { count, player, by, what, failed, since, until, before } = options;
      const asked = { player, by, what, since, until, ...(failed === true && { failed: 'true' as const }) };
      const operator = signedInOperator(options.environment);
      if (options.follow === true) return follow(operator, asked, options);
      const { activity, next } = await operator.activity({ ...asked, count, before });
      print(activity, options, () => {
        if (activity.length === 0) return 'Nothing like that has happened.';
        const more = next === null ? '' : `\n\n${faint(`Earlier ones: --before ${next}`)}`;
        return `${table(['WHEN', 'WHAT', 'BY', 'PLAYER', 'DETAIL'], activity.map(cellsOf))}${more}`;
      });
    });
}

type Asked = Pick<ActivityQuery, 'player' | 'by' | 'what' | 'since' | 'until' | 'failed'>;

/** Prints each line as it happens: the stream says that there is something new, and the list what it is. */
async function follow(
  operator: ReturnType<typeof signedInOperator>,
  asked: Asked,
  { json = false }: ShowOptions,
): Promise<void> {
  const end = new AbortController();
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => end.abort());
  // A wrong word is said so at once; and what happened until now is not shown.
  let last = (await operator.activity({ count: 1 })).activity[0]?.number ?? 0;
  await operator.activity({ ...asked, count: 1 });
  if (!json) process.stderr.write('Waiting for what happens; Ctrl-C ends it.\n');
  let looking: Promise<void> | undefined;
  let isAskedAgain = false;
  const look = async () => {
    for (isAskedAgain = true; isAskedAgain;) {
      isAskedAgain = false;
      const { activity } = await operator.activity({ ...asked, after: last, count: 500 });
      for (const line of activity.toReversed()) {
        process.stdout.write(json ? `${JSON.stringify(line)}\n` : `${cellsOf(line).join('  ')}\n`);
      }
      last = Math.max(last, activity[0]?.number ?? 0);
    }
  };
  const lookSoon = () => {
    isAskedAgain = true;
    looking ??= look()
      .catch(() => undefined)
      .finally(() => (looking = undefined));
  };
  await operator.listen({ topics: ['activity'] }, { activity: lookSoon }, end.signal, lookSoon);
}

function cellsOf({ at, what, by, player, detail }: ActivityEntry): string[] {
  const short = detail.length > widestDetail ? `${detail.slice(0, widestDetail - 1)}…` : detail;
  return [timeInWords(at), what, by ?? 'the service', player ?? '–', short];
}
