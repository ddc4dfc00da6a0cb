import type { PlayerList } from '@vekkon/protocol';
import { Option, type Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { anyNumber, environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';

interface FindOptions extends ShowOptions {
  readonly by?: string;
  readonly from?: number;
  readonly to?: number;
  readonly is?: string;
  readonly board?: string;
  readonly place?: number;
  readonly inSession?: true;
  readonly unsettled?: true;
  readonly joinedSince?: string;
  readonly sort?: 'joined' | 'name' | 'id' | 'made';
  readonly ascending?: true;
  readonly count: number;
  readonly after?: string;
}

export function addFind(player: Command): void {
  player
    .command('find [text]')
    .description('players by id or name, by what they hold, by their place on a board')
    .option('--by <what>', 'by what they hold there: currency/feather, progress/flight#/chapter, attribute/country')
    .option('--from <number>', 'with --by: at least so much', anyNumber)
    .option('--to <number>', 'with --by: at most so much', anyNumber)
    .option('--is <value>', 'with --by: exactly this')
    .option('--board <board>', 'only those on a board, in the order of their places')
    .option('--place <number>', 'with --board: at this place or above', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option('--in-session', 'only those who are in a session now')
    .option('--unsettled', 'only those who have unsettled transactions')
    .option('--joined-since <time>', 'only those who joined last since a time, such as 1h', timeFrom)
    .addOption(
      new Option('--sort <order>', 'by what they are ordered, without --by and --board').choices([
        'joined',
        'name',
        'id',
        'made',
      ]),
    )
    .option('--ascending', 'the least, or the earliest, first')
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 20)
    .option('--after <cursor>', 'go on where a page ended')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (search: string | undefined, options: FindOptions) => {
      const { inSession, unsettled, ascending, count, by, from, to, is, board, place, joinedSince, sort, after } =
        options;
      if (by !== undefined && board !== undefined) throw new WrongCommandLine('Say --by or --board, not both.');
      const list = await signedInOperator(options.environment).players({
        ...(search !== undefined && { search }),
        ...(inSession === true && { inSession: 'true' as const }),
        ...(unsettled === true && { hasUnsettled: 'true' as const }),
        ...(ascending === true && { order: 'ascending' as const }),
        ...(after !== undefined && { after }),
        ...{ count, by, from, to, is, board, place, joinedSince, sort },
      });
      print(list, options, () => listInWords(list, board === undefined ? by : 'place'));
    });
}

/** @param foundBy what stands in the column of what they were found by; undefined where there is none */
export function listInWords({ players, total, isCapped, next }: PlayerList, foundBy: string | undefined): string {
  const more = next === null ? '' : faint(`\n\nGo on with --after ${next}`);
  if (players.length === 0) return next === null ? 'No player matches.' : `None among those looked at.${more}`;
  const found = foundBy === undefined ? [] : [foundBy.toUpperCase()];
  const rows = players.map((one) => [
    one.id,
    one.name ?? '–',
    ...(foundBy === undefined ? [] : [String(one.found ?? '–')]),
    one.sessionOn ?? '–',
    timeInWords(one.lastJoinedAt),
    timeInWords(one.createdAt),
  ]);
  const shown = faint(`${players.length} of ${isCapped ? 'more than ' : ''}${total} players`);
  return `${table(['PLAYER', 'NAME', ...found, 'IN SESSION ON', 'LAST JOINED', 'FIRST SEEN'], rows)}\n\n${shown}${more}`;
}
