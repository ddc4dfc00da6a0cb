import { storedKeys, type Manifest, type ScoreDeclaration } from '@vekkon/core';
import { lastTurn, nextTurn, usualGrace } from '@vekkon/core/boards';
import { keptQuery } from '../kept-query.js';
import type { BoardRow, KnownBoard, SeasonRow } from '../tables.js';
import type { WriterContext } from './context.js';

type Place = Pick<WriterContext, 'db' | 'boards' | 'feed'>;

/** How many boards are kept in memory. */
const mostKept = 10_000;

/**
 * A board as it stands now, made if it is new, and turned if it is time: on
 * the second, whoever asks first.
 *
 * @param key without its kind: `gorge-run`, `valley/Gull Valley`
 * @param now the trusted time
 */
export async function boardNow(
  place: Place,
  environment: number,
  key: string,
  manifest: Manifest,
  now: number,
): Promise<KnownBoard> {
  const declaration = scoreDeclared(key, manifest);
  const known = (await findBoard(place, environment, key, manifest)) ?? (await addBoard(place, environment, key, now));
  return declaration === undefined ? known : upToDate(place, known, declaration, now);
}

/** A board that is there already, under its name of now or a former one. */
export async function findBoard(
  place: Place,
  environment: number,
  key: string,
  manifest: Manifest,
): Promise<KnownBoard | undefined> {
  const name = `${environment}/${key}`;
  const kept = place.boards.get(name);
  if (kept !== undefined) return kept;
  for (const stored of storedKeys(`score/${key}`, manifest)) {
    const [row] = await boardNamed(place.db, environment, stored.slice('score/'.length));
    if (row === undefined) continue;
    if (row.key !== key) await place.db.updateTable('boards').set({ key }).where('number', '=', row.number).execute();
    return keep(place, { ...row, key, seasons: await unclosedSeasons(place.db, row.number) });
  }
  return undefined;
}

export function scoreDeclared(key: string, manifest: Manifest): ScoreDeclaration | undefined {
  const declaration = manifest.records[`score/${key.split('/')[0]}`];
  return declaration?.kind === 'score' && declaration.public ? declaration : undefined;
}

/** Opens a first season, and turns what is due, or what is declared otherwise by now. */
export async function upToDate(
  place: Place,
  board: KnownBoard,
  declaration: ScoreDeclaration,
  now: number,
): Promise<KnownBoard> {
  const open = board.seasons.find((one) => one.turned_at === null);
  if (open === undefined) return openSeason(place, board, declaration, now, now);
  const isOther = open.better !== declaration.better || open.counts !== declaration.counts;
  // What was reached by another rule can't stand beside what comes now.
  if (isOther) return turn(place, board, declaration, now, now);
  if (open.turns_at !== null && open.turns_at <= now) return turn(place, board, declaration, open.turns_at, now);
  if (open.season === declaration.season) return board;
  const next = { ...open, season: declaration.season, turns_at: nextTurn(declaration.season, now) };
  const { season, turns_at } = next;
  await setSeason(place, board, next, { season, turns_at });
  return keep(place, withSeason(board, next));
}

/**
 * Turns the open season: from then on results count for the next one, but for
 * those that were made before, while the time of grace lasts.
 *
 * @param declaration undefined where the board is declared no more: then no other season opens
 * @param at          when it turned; where the service was down then, that is some time ago
 */
export async function turn(
  place: Place,
  board: KnownBoard,
  declaration: ScoreDeclaration | undefined,
  at: number,
  now: number,
): Promise<KnownBoard> {
  const open = board.seasons.find((one) => one.turned_at === null);
  if (open === undefined) return board;
  const grace = declaration?.grace === undefined ? usualGrace : declaration.grace * 1000;
  const turned = { ...open, turned_at: at, closes_at: at + grace };
  await setSeason(place, board, turned, { turned_at: turned.turned_at, closes_at: turned.closes_at });
  const after = keep(place, withSeason(board, turned));
  if (declaration === undefined) return after;
  // Of several turns that nobody saw, the last counts: seasons in which nobody could play are none.
  const since = lastTurn(declaration.season, at, now) ?? at;
  return openSeason(place, after, declaration, since, now);
}

async function openSeason(
  place: Place,
  board: KnownBoard,
  { season, better, counts }: ScoreDeclaration,
  openedAt: number,
  now: number,
): Promise<KnownBoard> {
  const [last] = await newestSeason(place.db, board.number);
  const row: SeasonRow = {
    board: board.number,
    number: (last?.number ?? 0) + 1,
    season,
    better,
    counts,
    opened_at: openedAt,
    turns_at: nextTurn(season, now),
    turned_at: null,
    closes_at: null,
    closed_at: null,
    closed_by: null,
    reason: null,
    standings: 0,
    rewards: null,
    ranked: 0,
    given: 0,
    done_at: null,
  };
  await place.db.insertInto('seasons').values(row).execute();
  place.feed.tell({ what: 'season', environment: board.environment, key: board.key, row });
  return keep(place, { ...board, seasons: [...board.seasons, row] });
}

type SeasonChange = Partial<Omit<SeasonRow, 'board' | 'number' | 'better' | 'counts' | 'opened_at'>>;

/** Writes what is different about a season, and tells others. */
export async function setSeason(
  { db, feed }: Place,
  { environment, key }: Pick<BoardRow, 'environment' | 'key'>,
  row: SeasonRow,
  change: SeasonChange,
): Promise<void> {
  await db.updateTable('seasons').set(change).where('board', '=', row.board).where('number', '=', row.number).execute();
  feed.tell({ what: 'season', environment, key, row });
}

/** A board as it stands once one of its seasons is another; a closed one is no longer among them. */
export function withSeason(board: KnownBoard, season: SeasonRow): KnownBoard {
  const seasons = board.seasons.map((one) => (one.number === season.number ? season : one));
  return { ...board, seasons: seasons.filter((one) => one.closed_at === null) };
}

export function keep({ boards }: Pick<WriterContext, 'boards'>, board: KnownBoard): KnownBoard {
  boards.set(`${board.environment}/${board.key}`, board);
  for (const oldest of boards.keys()) {
    if (boards.size <= mostKept) break;
    boards.delete(oldest);
  }
  return board;
}

/** Another commit changed it: it is read again. */
export function forgetBoard(
  { boards }: Pick<WriterContext, 'boards'>,
  board: Pick<BoardRow, 'environment' | 'key'>,
): void {
  boards.delete(`${board.environment}/${board.key}`);
}

async function addBoard(place: Place, environment: number, key: string, now: number): Promise<KnownBoard> {
  const { number } = await place.db
    .insertInto('boards')
    .values({ environment, key, created_at: now })
    .returning('number')
    .executeTakeFirstOrThrow();
  return keep(place, { number, environment, key, created_at: now, seasons: [] });
}

const boardNamed = keptQuery((db, environment: number, key: string) =>
  db.selectFrom('boards').selectAll().where('environment', '=', environment).where('key', '=', key),
);

const unclosedSeasons = keptQuery((db, board: number) =>
  db.selectFrom('seasons').selectAll().where('board', '=', board).where('closed_at', 'is', null).orderBy('number'),
);

const newestSeason = keptQuery((db, board: number) =>
  db.selectFrom('seasons').select('number').where('board', '=', board).orderBy('number', 'desc').limit(1),
);
