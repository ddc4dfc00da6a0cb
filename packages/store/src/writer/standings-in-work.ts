import {
  isDoubtful,
  standingAfter,
  worthOf,
  type Manifest,
  type Reached,
  type ScoreValue,
  type Submit,
} from '@vekkon/core';
import { seasonOfResult } from '@vekkon/core/boards';
import { keptQuery } from '../kept-query.js';
import type { KnownBoard, SavingPlayer, SeasonRow } from '../tables.js';
import type { WriterContext } from './context.js';
import { boardNow, keep, withSeason } from './known-boards.js';

/** What became of a result, as far as it does not depend on others: ranks are looked up when it is answered. */
export interface ResultTaken {
  /** The board's key, such as `gorge-run`. */
  readonly board: string;
  /** The board's number in the store, and its season; null for one that is not public. */
  readonly number: number | null;
  readonly season: number | null;
  readonly player: number;
  readonly value: number;
  /** It changed the player's standing, or personal best where there is no board. */
  readonly kept: boolean;
  /** It waits for a person. */
  readonly doubtful: boolean;
  /** The player is kept off the board. */
  readonly barred: boolean;
  readonly before: Reached | null;
}

/** A result that was taken into the player's own record. */
export interface TakenResult {
  readonly change: Submit;
  /** When it was made, in milliseconds since 1970. */
  readonly at: number;
  /** The score record before it. */
  readonly held: ScoreValue | undefined;
}

/** Whence results come. */
export interface ResultSource {
  readonly session: string | null;
  readonly host: string | null;
  readonly saveNumber: number | null;
  /** The trusted time. */
  readonly now: number;
}

type Place = Pick<WriterContext, 'db' | 'boards' | 'feed'>;

/** Takes one result onto its board: it stands, or waits for a person, or counts only for the player. */
export async function takeResult(
  place: Place,
  player: SavingPlayer,
  manifest: Manifest,
  { change, at, held }: TakenResult,
  source: ResultSource,
): Promise<ResultTaken | undefined> {
  const key = change.key.slice('score/'.length);
  const declaration = manifest.records[`score/${key.split('/')[0]}`];
  if (declaration?.kind !== 'score') return undefined;
  const doubtful = isDoubtful(change.value, declaration);
  const about = { board: key, player: player.number, value: change.value, doubtful, barred: false };
  const own = held?.best ?? null;
  if (!declaration.public && !doubtful) {
    const before = own === null ? undefined : { value: own, reached: 0 };
    const { kept } = standingAfter(before, { value: change.value, reached: at }, { ...declaration, counts: 'best' });
    return { ...about, number: null, season: null, kept, before: before ?? null };
  }
  const board = await boardNow(place, player.environment, key, manifest, source.now);
  if (doubtful) {
    await putAside(place, board, player, { change, at, held }, source);
    return { ...about, number: board.number, season: null, kept: false, before: null };
  }
  return { ...about, ...(await stand(place, board, player.number, { value: change.value, reached: at })) };
}

/** Lets a result count for the season that it was made in. */
export async function stand(
  place: Place,
  board: KnownBoard,
  player: number,
  result: Reached,
): Promise<Pick<ResultTaken, 'number' | 'season' | 'kept' | 'before' | 'barred'>> {
  const { number } = board;
  const season = seasonOfResult(board.seasons.map(asTimes), result.reached)?.row;
  if (season === undefined || (await isBarred(place, board.number, player))) {
    return { number, season: season?.number ?? null, kept: false, before: null, barred: season !== undefined };
  }
  const [row] = await standingOf(place.db, number, season.number, player);
  const before = row === undefined ? undefined : { value: row.value, reached: row.reached };
  const { kept, ...after } = standingAfter(before, result, season);
  if (kept) await setStanding(place, board, season, player, before, after);
  return { number, season: season.number, kept, before: before ?? null, barred: false };
}

/** Gives a player a standing, or takes it away. */
export async function setStanding(
  place: Place,
  board: KnownBoard,
  season: SeasonRow,
  player: number,
  before: Reached | undefined,
  after: Reached | undefined,
): Promise<KnownBoard> {
  const { db, feed } = place;
  const [number, of] = [board.number, season.number];
  if (after === undefined) await removeStanding(db, number, of, player);
  else await putStanding(db, number, of, player, after.value, worthOf(after.value, season.better), after.reached);
  feed.tell({ what: 'standing-moved', board: number, season: of, player, standing: after ?? null });
  const more = (after === undefined ? 0 : 1) - (before === undefined ? 0 : 1);
  if (more === 0) return board;
  const counted = { ...season, standings: season.standings + more };
  await countStandings(db, counted.standings, number, of);
  return keep(place, withSeason(board, counted));
}

export async function isBarred({ db }: Pick<WriterContext, 'db'>, board: number, player: number): Promise<boolean> {
  return (await barredFrom(db, board, player)).length > 0;
}

async function putAside(
  { db }: Place,
  board: KnownBoard,
  player: SavingPlayer,
  { change, at, held }: TakenResult,
  { session, host, saveNumber }: ResultSource,
): Promise<void> {
  await db
    .insertInto('doubtful')
    .values({
      environment: player.environment,
      board: board.number,
      key: board.key,
      player: player.number,
      value: change.value,
      at,
      name: change.name ?? null,
      note: change.note ?? null,
      session,
      host,
      save_number: saveNumber,
      before: JSON.stringify(held ?? null),
      state: 'waiting',
      decided_at: null,
      decided_by: null,
      reason: null,
    })
    .execute();
}

function asTimes(row: SeasonRow) {
  return { number: row.number, turnedAt: row.turned_at, closedAt: row.closed_at, row };
}

export const standingOf = keptQuery((db, board: number, season: number, player: number) =>
  db
    .selectFrom('standings')
    .select(['value', 'reached', 'rank'])
    .where('board', '=', board)
    .where('season', '=', season)
    .where('player', '=', player),
);

const putStanding = keptQuery(
  (db, board: number, season: number, player: number, value: number, worth: number, reached: number) =>
    db
      .insertInto('standings')
      .values({ board, season, player, value, worth, reached, rank: null })
      .onConflict((conflict) =>
        conflict.columns(['board', 'season', 'player']).doUpdateSet((row) => ({
          value: row.ref('excluded.value'),
          worth: row.ref('excluded.worth'),
          reached: row.ref('excluded.reached'),
        })),
      ),
);

const removeStanding = keptQuery((db, board: number, season: number, player: number) =>
  db.deleteFrom('standings').where('board', '=', board).where('season', '=', season).where('player', '=', player),
);

const countStandings = keptQuery((db, standings: number, board: number, number: number) =>
  db.updateTable('seasons').set({ standings }).where('board', '=', board).where('number', '=', number),
);

const barredFrom = keptQuery((db, board: number, player: number) =>
  db.selectFrom('barred').select('at').where('board', '=', board).where('player', '=', player),
);
