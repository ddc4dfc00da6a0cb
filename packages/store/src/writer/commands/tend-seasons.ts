import { rewardFor, rewardTransaction, type Manifest, type Reward } from '@vekkon/core';
import { keptQuery } from '../../kept-query.js';
import type { BoardRow, KnownBoard, SavingSession, SeasonRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import {
  boardNow,
  findBoard,
  forgetBoard,
  keep,
  scoreDeclared,
  setSeason,
  turn,
  upToDate,
  withSeason,
} from '../known-boards.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { openSessionOf } from '../sessions.js';
import { UnsettledInWork } from '../unsettled-in-work.js';
import { applyTransactions } from './apply-transactions.js';

/** How many seasons one command turns or closes, and how many places of a closed one it gives out. */
const seasonsAtATime = 20;
const placesAtATime = 50;

export interface Tended {
  /** There is more to do now. */
  readonly hasMore: boolean;
  /** When something is due next, in milliseconds since 1970; null if nothing is. */
  readonly nextAt: number | null;
}

/**
 * Does one step of what is due: turns seasons, closes those whose time of
 * grace is over, gives ranks and rewards to some places of a closed one. Each
 * step is a commit, so that a kill loses none and repeats none.
 */
export async function tendSeasons(context: WriterContext, { now, agesBy }: Stamp): Promise<Tended> {
  const { db } = context;
  const toTurn = await seasonsToTurn(db, agesBy, seasonsAtATime);
  for (const row of toTurn) {
    const { board, manifest } = await boardWith(context, row.board);
    await turn(context, board, scoreDeclared(board.key, manifest), row.turns_at ?? agesBy, agesBy);
  }
  if (toTurn.length > 0) return { hasMore: true, nextAt: null };
  const toClose = await seasonsToClose(db, agesBy, seasonsAtATime);
  for (const row of toClose) {
    const { board, manifest } = await boardWith(context, row.board);
    await closeNow(context, board, row, manifest, agesBy);
  }
  if (toClose.length > 0) return { hasMore: true, nextAt: null };
  const [toFinish] = await seasonsToFinish(db, 1);
  if (toFinish !== undefined) {
    await giveOut(context, toFinish, now, agesBy);
    return { hasMore: true, nextAt: null };
  }
  const [turns] = await nextTurns(db);
  const [closes] = await nextCloses(db);
  const times = [turns?.at, closes?.at].filter((at) => typeof at === 'number');
  return { hasMore: false, nextAt: times.length === 0 ? null : Math.min(...times) };
}

/** Closes a season that has turned: its standings stay as they are, and what it gives is fixed. */
export async function closeNow(
  context: WriterContext,
  board: KnownBoard,
  season: SeasonRow,
  manifest: Manifest,
  now: number,
  by: { readonly closed_by: string; readonly reason: string } | undefined = undefined,
): Promise<void> {
  const { rewards } = scoreDeclared(board.key, manifest) ?? {};
  const change = { closed_at: now, rewards: rewards === undefined ? null : JSON.stringify(rewards), ...by };
  const closed = { ...season, ...change };
  await setSeason(context, board, closed, change);
  keep(context, withSeason(board, closed));
}

/** Gives the next places of a closed season their ranks, and what the ranks are worth. */
async function giveOut(context: WriterContext, season: SeasonRow, now: number, agesBy: number): Promise<void> {
  const { db } = context;
  const { board, manifest } = await boardWith(context, season.board);
  const rewards = season.rewards === null ? [] : (JSON.parse(season.rewards) as readonly Reward[]);
  const [last] = season.ranked === 0 ? [] : await standingRanked(db, season.board, season.number, season.ranked);
  const places =
    last === undefined
      ? await firstPlaces(db, season.board, season.number, placesAtATime)
      : await placesAfter(db, season.board, season.number, last.worth, last.reached, last.player, placesAtATime);
  let given = season.given;
  for (const [index, { player }] of places.entries()) {
    const rank = season.ranked + index + 1;
    await setRank(db, rank, season.board, season.number, player);
    const line = rewardFor(rank, season.standings, rewards);
    const reward = line === undefined ? undefined : rewards[line];
    if (line === undefined || reward === undefined) continue;
    const transaction = rewardTransaction(reward, { board: board.key, season: season.number, rank }, manifest);
    const problem = await give(context, board, season.number, player, transaction, now, agesBy);
    const row = { board: season.board, season: season.number, player, rank, line, at: now, problem };
    await db.insertInto('rewards').values(row).execute();
    given++;
  }
  const ranked = season.ranked + places.length;
  const change = { ranked, given, done_at: places.length < placesAtATime ? now : null };
  await setSeason(context, board, { ...season, ...change }, change);
}

/** @returns why it could not be given: then it waits as unsettled; null if it was */
async function give(
  context: WriterContext,
  board: BoardRow,
  season: number,
  number: number,
  transaction: ReturnType<typeof rewardTransaction>,
  now: number,
  agesBy: number,
): Promise<string | null> {
  const { db } = context;
  const player = await db.selectFrom('players').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  const environment = await environmentOf(context, board.environment);
  const { rules } = await context.manifests.newestOf(environment);
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const by = `board ${board.key}`;
  const from = { id: `season ${season}`, environment: board.environment, player: number, host: by } as SavingSession;
  const unsettled = new UnsettledInWork(context, from, { number: season, digest: board.key, now });
  const {
    outcomes: [outcome],
    touched,
    rules: after,
  } = await applyTransactions(context, records, rules, player, [{ ...transaction, keep: true }], {
    environment,
    session: null,
    by,
    earliest: now,
    now,
    agesBy,
    keep: (unapplied) => unsettled.keep(unapplied),
  });
  await records.writeFor(player, now);
  await unsettled.write();
  await tellOutside(context, {
    player,
    open: await openSessionOf(context, player),
    keys: touched,
    records,
    rules: after,
  });
  return outcome?.applied === false ? outcome.problem.code : null;
}

async function boardWith(
  context: WriterContext,
  number: number,
): Promise<{ readonly board: KnownBoard; readonly manifest: Manifest }> {
  const row = await context.db.selectFrom('boards').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  const environment = await environmentOf(context, row.environment);
  const { manifest } = (await context.manifests.newestOf(environment)).rules;
  const board = await findBoard(context, row.environment, row.key, manifest);
  if (board === undefined) throw new Error(`Board ${number} is not there any more.`);
  return { board, manifest };
}

/** Makes the boards that a manifest declares, and turns those whose rule is another: their first season begins now. */
export async function declareBoards(
  context: WriterContext,
  environment: number,
  manifest: Manifest,
  { agesBy }: Pick<Stamp, 'agesBy'>,
): Promise<void> {
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.kind !== 'score' || !declaration.public) continue;
    const name = key.slice('score/'.length);
    if (declaration.family === undefined) {
      await boardNow(context, environment, name, manifest, agesBy);
      continue;
    }
    const members = await membersOf(context.db, environment, `${name}/`, `${name}0`);
    for (const { key: member } of members) {
      const board = await findBoard(context, environment, member, manifest);
      if (board !== undefined) await upToDate(context, board, declaration, agesBy);
    }
  }
}

/** What an erased player stood on. */
export async function eraseFromBoards(context: WriterContext, player: number): Promise<void> {
  await leaveOpenSeasons(context, player);
  const { db, feed } = context;
  // How many there were when a season closed stays: its ranks do too.
  const rows = await db.selectFrom('standings').select(['board', 'season']).where('player', '=', player).execute();
  for (const { board, season } of rows) feed.tell({ what: 'standing-moved', board, season, player, standing: null });
  for (const table of ['standings', 'set_aside', 'barred', 'doubtful', 'rewards'] as const) {
    await db.deleteFrom(table).where('player', '=', player).execute();
  }
}

/** Takes a player off all boards whose season is not closed. @returns what they had there */
export async function leaveOpenSeasons(context: WriterContext, player: number) {
  const { db, feed } = context;
  const rows = await db
    .selectFrom('standings')
    .innerJoin('boards', 'boards.number', 'standings.board')
    .innerJoin('seasons', (on) =>
      on.onRef('seasons.board', '=', 'standings.board').onRef('seasons.number', '=', 'standings.season'),
    )
    .select(['standings.board', 'standings.season', 'standings.value', 'standings.reached'])
    .select(['boards.environment', 'boards.key', 'seasons.standings'])
    .where('player', '=', player)
    .where('seasons.closed_at', 'is', null)
    .execute();
  for (const { board, season, environment, key, standings } of rows) {
    await db
      .deleteFrom('standings')
      .where('board', '=', board)
      .where('season', '=', season)
      .where('player', '=', player)
      .execute();
    await db
      .updateTable('seasons')
      .set({ standings: standings - 1 })
      .where('board', '=', board)
      .where('number', '=', season)
      .execute();
    forgetBoard(context, { environment, key });
    feed.tell({ what: 'standing-moved', board, season, player, standing: null });
  }
  return rows;
}

const seasonsToTurn = keptQuery((db, now: number, atMost: number) =>
  db
    .selectFrom('seasons')
    .selectAll()
    .where('turned_at', 'is', null)
    .where('turns_at', 'is not', null)
    .where('turns_at', '<=', now)
    .orderBy('turns_at')
    .limit(atMost),
);

const seasonsToClose = keptQuery((db, now: number, atMost: number) =>
  db
    .selectFrom('seasons')
    .selectAll()
    .where('closed_at', 'is', null)
    .where('closes_at', 'is not', null)
    .where('closes_at', '<=', now)
    .orderBy('closes_at')
    .limit(atMost),
);

const seasonsToFinish = keptQuery((db, atMost: number) =>
  db
    .selectFrom('seasons')
    .selectAll()
    .where('closed_at', 'is not', null)
    .where('done_at', 'is', null)
    .orderBy('closed_at')
    .limit(atMost),
);

const nextTurns = keptQuery((db) =>
  db
    .selectFrom('seasons')
    .select('turns_at as at')
    .where('turned_at', 'is', null)
    .where('turns_at', 'is not', null)
    .orderBy('turns_at')
    .limit(1),
);

const nextCloses = keptQuery((db) =>
  db
    .selectFrom('seasons')
    .select('closes_at as at')
    .where('closed_at', 'is', null)
    .where('closes_at', 'is not', null)
    .orderBy('closes_at')
    .limit(1),
);

const standingRanked = keptQuery((db, board: number, season: number, rank: number) =>
  db
    .selectFrom('standings')
    .select(['worth', 'reached', 'player'])
    .where('board', '=', board)
    .where('season', '=', season)
    .where('rank', '=', rank),
);

const firstPlaces = keptQuery((db, board: number, season: number, atMost: number) =>
  db
    .selectFrom('standings')
    .select('player')
    .where('board', '=', board)
    .where('season', '=', season)
    .orderBy('worth')
    .orderBy('reached')
    .orderBy('player')
    .limit(atMost),
);

const placesAfter = keptQuery(
  (db, board: number, season: number, worth: number, reached: number, player: number, atMost: number) =>
    db
      .selectFrom('standings')
      .select('player')
      .where('board', '=', board)
      .where('season', '=', season)
      .where(({ eb, refTuple, tuple }) =>
        eb(refTuple('worth', 'reached', 'player'), '>', tuple(worth, reached, player)),
      )
      .orderBy('worth')
      .orderBy('reached')
      .orderBy('player')
      .limit(atMost),
);

const setRank = keptQuery((db, rank: number, board: number, season: number, player: number) =>
  db
    .updateTable('standings')
    .set({ rank })
    .where('board', '=', board)
    .where('season', '=', season)
    .where('player', '=', player),
);

const membersOf = keptQuery((db, environment: number, from: string, until: string) =>
  db
    .selectFrom('boards')
    .select('key')
    .where('environment', '=', environment)
    .where('key', '>=', from)
    .where('key', '<', until),
);
