import { createWriteStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { shownResult } from '@vekkon/core';
import type { Board, ClosedSeason, DoubtfulResult, Placed, Season, SpreadResponse, Stretch } from '@vekkon/protocol';
import type { Command } from 'commander';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

type OfSeason = ShowOptions & { readonly season?: number };
type WithReason = ShowOptions & { readonly reason: string; readonly yes: boolean };

export function addBoard(program: Command): void {
  const board = program.command('board').description('leaderboards: standings, seasons, doubtful results');
  addReading(board);
  addSeasons(board);
  addHonesty(board);
}

function addReading(board: Command): void {
  board
    .command('list')
    .description('the boards, each with its open season')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const boards = await signedInOperator(options.environment).boards.list();
      print({ boards }, options, () =>
        boards.length === 0
          ? 'No board is declared: add one under "boards" in the manifest.'
          : table(
              ['BOARD', 'BETTER', 'COUNTS', 'UNIT', 'SEASONS', 'OPEN', 'STANDINGS', 'TURNS'],
              boards.flatMap(boardRows),
            ),
      );
    });

  ofSeason(board.command('top <board>').description('the first standings, or those from a rank on'))
    .option('--start <rank>', 'the first rank', wholeNumber(1, Number.MAX_SAFE_INTEGER), 1)
    .option('--count <n>', 'how many, up to 200', wholeNumber(1, 200), 20)
    .action(async (name: string, options: OfSeason & { readonly start: number; readonly count: number }) => {
      const { season, start, count } = options;
      const stretch = await signedInOperator(options.environment).boards.stretch(name, { season, start, count });
      print(stretch, options, () => stretchInWords(stretch, start));
    });

  ofSeason(board.command('around <board> <player>').description('a player with their neighbours'))
    .option('--span <n>', 'how many on each side, up to 100', wholeNumber(0, 100), 5)
    .action(async (name: string, player: string, options: OfSeason & { readonly span: number }) => {
      const { season, span } = options;
      const stretch = await signedInOperator(options.environment).boards.around(name, player, { season, span });
      print(stretch, options, () => stretchInWords(stretch, 1, player));
    });

  ofSeason(board.command('find <board> <player>').description("one player's rank, out of how many")).action(
    async (name: string, player: string, options: OfSeason) => {
      const { season } = options;
      const found = await signedInOperator(options.environment).boards.standing(name, player, { season });
      print(found, options, () => {
        const who = found.name === null ? found.player : `${found.name} (${found.player})`;
        const place = `rank ${found.rank} of ${found.of} in season ${found.season} of ${found.board}`;
        return `${bold(who)}: ${found.shown}, ${place}, at least as good as ${found.percentile}% of them.\n${faint(`reached ${timeInWords(found.reached)}`)}`;
      });
    },
  );

  ofSeason(board.command('spread <board>').description('how results are spread, so that the odd one shows')).action(
    async (name: string, options: OfSeason) => {
      const { season } = options;
      const spread = await signedInOperator(options.environment).boards.spread(name, { season });
      print(spread, options, () => {
        if (spread.count === 0) return `No results yet in season ${spread.season} of ${spread.board}.`;
        const most = Math.max(...spread.bins.map(({ count }) => count), 1);
        const rows = spread.bins.map(({ from, until, count }) => [
          `${shownIn(from, spread)} to ${shownIn(until, spread)}`,
          String(count),
          '█'.repeat(Math.ceil((count / most) * 40)),
        ]);
        if (spread.below > 0) rows.unshift(['far below', String(spread.below), '']);
        if (spread.above > 0) rows.push(['far above', String(spread.above), '']);
        const about = `${spread.count} results from ${shownIn(spread.lowest, spread)} to ${shownIn(spread.highest, spread)}, half of them up to ${shownIn(spread.median, spread)}`;
        return `${bold(about)}\n\n${table(['RESULTS', 'HOW MANY', ''], rows)}`;
      });
    },
  );

  board
    .command('export <board>')
    .description('all standings of a season as CSV (RFC 4180)')
    .option('--season <number>', 'the open season if left out', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option('--file <path>', 'where to write it; standard output if left out')
    .option(...environmentOption)
    .action(async (name: string, options: OfSeason & { readonly file?: string }) => {
      const { season, file } = options;
      const csv = await signedInOperator(options.environment).boards.export(name, { season });
      const from = Readable.fromWeb(csv as Parameters<typeof Readable.fromWeb>[0]);
      if (file === undefined) return pipeline(from, process.stdout, { end: false });
      await pipeline(from, createWriteStream(file));
      process.stdout.write(`${file} is written.\n`);
    });
}

function addSeasons(board: Command): void {
  board
    .command('seasons <board>')
    .description('its seasons with their turns and rewards, the newest first')
    .option('--count <n>', 'how many, up to 200', wholeNumber(1, 200), 20)
    .option('--before <number>', 'only those before this one', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (name: string, options: ShowOptions & { readonly count: number; readonly before?: number }) => {
      const { count, before } = options;
      const which = { count, ...(before !== undefined && { before }) };
      const list = await signedInOperator(options.environment).boards.seasons(name, which);
      print(list, options, () => {
        if (list.seasons.length === 0)
          return `${list.board} has no season yet: its first begins with the first result.`;
        const next = list.next === null ? '' : `\n\n${faint(`go on with --before ${list.next}`)}`;
        return `${table(['SEASON', 'STATE', 'FROM', 'TURN', 'STANDINGS', 'GIVEN'], list.seasons.map(seasonRow))}${next}`;
      });
    });

  board
    .command('close <board>')
    .description('closes the open season now, after saying what that gives to whom')
    .option('--reason <text>', 'why, for the activity')
    .option('--dry-run', 'only say what it would give')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(
      async (
        name: string,
        options: ShowOptions & { readonly reason?: string; readonly dryRun?: true; readonly yes: boolean },
      ) => {
        const { boards } = signedInOperator(options.environment);
        const would = await boards.wouldClose(name);
        if (options.dryRun) return print(would, options, () => closeInWords(would));
        if (!options.json) process.stdout.write(`${closeInWords(would)}\n\n`);
        await confirmed(`Season ${would.season} of ${would.board} will be closed. Close it?`, options.yes);
        const closed = await boards.close(name, options.reason ?? 'closed by hand');
        print(closed, options, () => `Season ${closed.season} of ${closed.board} is closed; rewards are on their way.`);
      },
    );
}

function addHonesty(board: Command): void {
  board
    .command('doubtful')
    .description('results that wait for a person, with what led to them, the newest first')
    .option('--state <state>', 'waiting, accepted or rejected', 'waiting')
    .option('--count <n>', 'how many, up to 200', wholeNumber(1, 200), 50)
    .option('--after <id>', 'go on where the page before ended', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option(...environmentOption)
    .option(...jsonOption)
    .action(
      async (
        options: ShowOptions & {
          readonly state: DoubtfulResult['state'];
          readonly count: number;
          readonly after?: number;
        },
      ) => {
        const { state, count, after } = options;
        const which = { state, count, ...(after !== undefined && { after }) };
        const list = await signedInOperator(options.environment).boards.doubtful(which);
        print(list, options, () => {
          if (list.doubtful.length === 0) return state === 'waiting' ? 'No result is doubtful.' : `None was ${state}.`;
          const next = list.next === null ? '' : `\n\n${faint(`go on with --after ${list.next}`)}`;
          return `${table(['ID', 'BOARD', 'PLAYER', 'RESULT', 'BEST BEFORE', 'MADE', 'HOST', 'SAVE'], list.doubtful.map(doubtfulRow))}${next}`;
        });
      },
    );

  decide(board, 'accept', 'lets doubtful results count, as of when they were made', 'accepted');
  decide(board, 'reject', 'lets doubtful results count nowhere', 'rejected');
  toOne(board, 'take-off', "takes a player's standing of the open season off", 'will be taken off', 'is off');
  toOne(board, 'put-back', 'puts back what was taken off', 'will be put back', 'stands again');
  toOne(board, 'bar', 'keeps a player off a board until they are readmitted', 'will be kept off', 'is barred');
  toOne(board, 'readmit', 'lets a player onto a board again', 'will be let on again', 'is readmitted');
}

function decide(board: Command, what: 'accept' | 'reject', description: string, done: string): void {
  withReason(board.command(`${what} <id...>`).description(description)).action(
    async (ids: readonly string[], options: WithReason) => {
      const { boards } = signedInOperator(options.environment);
      await confirmed(
        `${ids.length === 1 ? '1 result' : `${ids.length} results`} will be ${done}. Go on?`,
        options.yes,
      );
      for (const id of ids) {
        await boards[what](id, options.reason);
        print({ [done]: id }, options, () => `${id} is ${done}.`);
      }
    },
  );
}

const callOf = { 'take-off': 'takeOff', 'put-back': 'putBack', bar: 'bar', readmit: 'readmit' } as const;

function toOne(board: Command, what: keyof typeof callOf, description: string, will: string, done: string): void {
  withReason(board.command(`${what} <board> <player>`).description(description)).action(
    async (name: string, player: string, options: WithReason) => {
      const { boards } = signedInOperator(options.environment);
      await confirmed(`On ${name}, ${player} ${will}. Go on?`, options.yes);
      await boards[callOf[what]](name, player, options.reason);
      print({ board: name, player, done: what }, options, () => `${player} ${done} on ${name}.`);
    },
  );
}

function withReason(command: Command): Command {
  return command
    .requiredOption('--reason <text>', 'why, for the activity')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption);
}

function ofSeason(command: Command): Command {
  return command
    .option('--season <number>', 'the open season if left out', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option(...environmentOption)
    .option(...jsonOption);
}

function boardRows(board: Board): readonly (readonly string[])[] {
  const { season } = board;
  const about = [board.better, board.counts, board.unit ?? '–', board.seasons];
  if (!board.family) {
    const open = season === null ? ['–', '0', '–'] : [String(season.season), String(season.of), turnInWords(season)];
    return [[board.board, ...about, ...open]];
  }
  const members = board.members.length === 0 ? 'none yet' : board.members.map((one) => one.split('/')[1]).join(', ');
  return [[`${board.board}/…`, ...about, '', members, '']];
}

function turnInWords({ turnsAt }: Season): string {
  return turnsAt === null ? 'never' : timeInWords(turnsAt);
}

function seasonRow(season: Season): readonly string[] {
  const { state, of, ranked, given, isDone, closedBy } = season;
  const closed = isDone ? 'closed' : `closing, ${ranked} of ${of} places`;
  const shown = state === 'closed' ? closed : state;
  return [
    String(season.season),
    closedBy === null ? shown : `${shown} by ${closedBy}`,
    timeInWords(season.openedAt),
    turnInWords(season),
    String(of),
    season.rewards.length === 0 && given === 0 ? '–' : String(given),
  ];
}

function shownIn(value: number | null, { unit }: SpreadResponse): string {
  return shownResult(value ?? 0, unit ?? undefined);
}

function stretchInWords({ board, season, of, standings }: Stretch, start: number, marked?: string): string {
  if (standings.length === 0) {
    return of === 0
      ? `No results yet in season ${season} of ${board}.`
      : `Season ${season} of ${board} has ${of} standings: none from rank ${start} on.`;
  }
  const rows = standings.map((one) => [...placedRow(one), one.player === marked ? '◂' : '']);
  const many = `${standings.length} of ${of} in season ${season} of ${board}`;
  return `${table(['RANK', 'PLAYER', 'NAME', 'RESULT', 'REACHED', ''], rows)}\n\n${faint(many)}`;
}

function placedRow({ rank, player, name, shown, reached }: Placed): readonly string[] {
  return [String(rank), player, name ?? '–', shown, timeInWords(reached)];
}

function doubtfulRow({ id, board, player, shown, bestBefore, at, host, number }: DoubtfulResult): readonly string[] {
  const save = number === null ? '–' : String(number);
  return [id, board, player, shown, bestBefore ?? 'none', timeInWords(at), host ?? '–', save];
}

function closeInWords({ board, season, of, rewards, nextTurn }: ClosedSeason): string {
  const next =
    nextTurn === null ? 'The next one never turns by itself.' : `The next one turns ${timeInWords(nextTurn)}.`;
  const about = `Season ${season} of ${board} has ${of} ${of === 1 ? 'standing' : 'standings'}. ${next}`;
  if (rewards.length === 0) return `${about}\nIt gives nothing.`;
  const rows = rewards.map(({ shown, players, first }) => {
    const some = first.map(({ rank, player }) => `${rank}. ${player}`).join(', ');
    return [shown, String(players), players > first.length ? `${some}, …` : some];
  });
  return `${about}\n\n${table(['GIVES', 'PLAYERS', 'TO'], rows)}`;
}
