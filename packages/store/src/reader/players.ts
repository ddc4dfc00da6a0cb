import { foldedText } from '@vekkon/core';
import { sql, type Expression, type ExpressionBuilder, type Kysely, type RawBuilder, type SqlBool } from 'kysely';
import { fewestLetters, playersWithPart } from '../engines/sqlite/player-search.js';
import { keptQuery } from '../kept-query.js';
import type { PlayerRow, Tables } from '../tables.js';

export type ListedPlayer = PlayerRow & {
  /** The host of the open session. */
  readonly session_on: string | null;
  /** What they were found by; undefined where they were not asked for by anything that they hold. */
  readonly found?: number | string | null;
};

export interface PlayerPage {
  readonly players: readonly ListedPlayer[];
  /** How many there are, up to a bound. */
  readonly total: number;
  /** There are more than that. */
  readonly isCapped: boolean;
  /** What to ask for as `after` to get the next page. */
  readonly next: string | null;
}

/** Only some of the players. */
export interface PlayerFilters {
  /** In a session now. */
  readonly inSession?: boolean | undefined;
  /** Transactions of theirs wait for a person. */
  readonly hasUnsettled?: boolean | undefined;
  /** Joined last at or after this, in milliseconds since 1970. */
  readonly joinedSince?: number | undefined;
}

/** In which order players are listed. */
export type PlayerOrder = 'joined' | 'name' | 'id' | 'made';

/** Which players are asked for, and in which order. */
export interface PlayersAsked extends PlayerFilters {
  /** By the last join, if left out. */
  readonly sort?: PlayerOrder | undefined;
  /** The smallest, or the earliest, first. */
  readonly isAscending?: boolean | undefined;
}

/** Where counting stops: of all players, and of those that a search finds. */
const mostCounted = 10_000;
const mostFound = 1_000;

/** Who never joined comes last. In the words of the index. */
const lastJoin = sql<number>`coalesce(players.last_joined_at, 0)`;

/** What players are ordered by, each by an index of the environment's players; of equal ones, by their numbers. */
const orders: { readonly [order in PlayerOrder]: RawBuilder<string | number> } = {
  joined: lastJoin,
  name: sql.ref<string>('players.folded'),
  id: sql.ref<string>('players.id'),
  made: sql.ref<number>('players.number'),
};

/** A page of an environment's players, those who joined last first unless another order is asked for. */
export async function playersPage(
  db: Kysely<Tables>,
  environment: number,
  count: number,
  after: string | undefined,
  asked: PlayersAsked = {},
): Promise<PlayerPage> {
  const some = await someOf(db, environment, asked);
  if (some !== undefined && some.length <= mostCounted) {
    return pageOf(db, await placedAmong(db, some, asked), count, after, asked);
  }
  // So many that they are met soon on the way through all of them.
  const { sort = 'joined', isAscending = false } = asked;
  const by = orders[sort];
  const direction = isAscending ? 'asc' : 'desc';
  const counted = await countOfPlayers(db, environment, asked.joinedSince ?? 0, mostCounted + 1);
  let page = listed(db)
    .select(by.as('by'))
    .where('players.environment', '=', environment)
    .where(isAmong(asked))
    .orderBy(by, direction)
    .orderBy('players.number', direction)
    .limit(count + 1);
  const cursor = readCursor(after, sort);
  if (cursor !== undefined) {
    const [further, than] = isAscending ? (['>=', '>'] as const) : (['<=', '<'] as const);
    // The first says where in the index to begin.
    page = page
      .where(by, further, cursor.by)
      .where((where) =>
        where.or([
          where(by, than, cursor.by),
          where.and([where(by, '=', cursor.by), where('players.number', than, cursor.number)]),
        ]),
      );
  }
  const rows = await page.execute();
  const last = rows.length > count ? rows[count - 1] : undefined;
  const total = some?.length ?? counted[0]?.players ?? 0;
  return countedPage(
    rows.slice(0, count),
    total,
    mostCounted,
    last === undefined ? null : cursorOf(last.by, last.number),
  );
}

/** A page of players of whom so many were counted, up to a bound. */
export function countedPage(
  players: readonly ListedPlayer[],
  counted: number,
  most: number,
  next: string | null,
): PlayerPage {
  return { players, total: Math.min(counted, most), isCapped: counted > most, next };
}

/** Where a page ends: what its last player is ordered by, and their number. */
function cursorOf(by: string | number, number: number): string {
  return `${encodeURIComponent(by)}.${number}`;
}

/** @returns undefined where it begins */
function readCursor(
  after: string | undefined,
  sort: PlayerOrder,
): { readonly by: string | number; readonly number: number } | undefined {
  const [, by, number] = /^(.*)\.(\d+)$/s.exec(after ?? '') ?? [];
  if (by === undefined || number === undefined) return undefined;
  const isOfTexts = sort === 'name' || sort === 'id';
  return { by: isOfTexts ? decoded(by) : Number(by), number: Number(number) };
}

/**
 * Players whose name or id holds a text, capitals or not; where there are more
 * than ten thousand and the text has only one or two letters, those whose name
 * or id starts with it. Those who joined last
 * come first; of more than a thousand, those who were made last.
 */
export async function playersFound(
  db: Kysely<Tables>,
  environment: number,
  search: string,
  count: number,
  after: string | undefined,
  asked: PlayersAsked = {},
): Promise<PlayerPage> {
  const text = foldedText(search);
  const made = /^made\.(\d+)$/.exec(after ?? '')?.[1];
  const before = made === undefined ? Number.MAX_SAFE_INTEGER : Number(made);
  const isShort = [...text].length < fewestLetters;
  const isSmall =
    isShort && ((await countOfPlayers(db, environment, 0, mostCounted + 1))[0]?.players ?? 0) <= mostCounted;
  const find = (most: number) => {
    if (!isShort) return playersWithPart(db, environment, text, most, before);
    if (isSmall) return playersThatHold(db, environment, text, most, before);
    return playersThatStart(db, environment, search, text, most, before);
  };
  const found = made === undefined ? await find(mostFound + 1) : await find(count + 1);
  const isCapped = found.length > mostFound || made !== undefined;
  if (isCapped) {
    const looked = found.slice(0, count);
    const players = await playersNumbered(db, looked, asked);
    return { players, total: mostFound, isCapped, next: found.length > count ? `made.${looked.at(-1)}` : null };
  }
  return pageOf(db, await placedAmong(db, found, asked), count, after, asked);
}

/** Those of some players who are asked for, in the order in which they are named. */
export async function playersNumbered(
  db: Kysely<Tables>,
  numbers: readonly number[],
  { search = '', ...filters }: PlayerFilters & { readonly search?: string | undefined },
): Promise<readonly ListedPlayer[]> {
  if (numbers.length === 0) return [];
  const rows = await listed(db)
    .where('players.number', 'in', [...numbers])
    .where(isAmong(filters))
    .where(isNamedLike(search))
    .execute();
  const byNumber = new Map(rows.map((row) => [row.number, row]));
  return numbers.flatMap((number) => byNumber.get(number) ?? []);
}

/** Does a text stand in a player's name or id, capitals or not? */
export function isNamedLike(search: string) {
  return ({ lit, ref }: ExpressionBuilder<Tables, 'players'>): Expression<SqlBool> => {
    if (search === '') return lit(true);
    const pattern = `%${foldedText(search).replaceAll(/[\\%_]/g, '\\$&')}%`;
    return sql<boolean>`${ref('players.folded')} like ${pattern} escape '\\'`;
  };
}

/** A player, and what they are ordered by. */
interface PlacedPlayer {
  readonly number: number;
  readonly by: string | number;
}

/** A page of players who are known by their numbers. */
async function pageOf(
  db: Kysely<Tables>,
  placed: readonly PlacedPlayer[],
  count: number,
  after: string | undefined,
  { sort = 'joined', isAscending = false }: PlayersAsked,
): Promise<PlayerPage> {
  const cursor = readCursor(after, sort);
  const compare = (one: PlacedPlayer, other: PlacedPlayer) => {
    const order = one.by < other.by ? -1 : one.by > other.by ? 1 : one.number - other.number;
    return isAscending ? order : -order;
  };
  const rest = placed.filter((one) => cursor === undefined || compare(one, cursor) > 0).toSorted(compare);
  const shown = rest.slice(0, count);
  const players = await playersNumbered(
    db,
    shown.map(({ number }) => number),
    {},
  );
  const last = rest.length > count ? shown.at(-1) : undefined;
  const next = last === undefined ? null : cursorOf(last.by, last.number);
  return { players, total: placed.length, isCapped: false, next };
}

/**
 * The numbers of those who are in a session or have something unsettled, where
 * that is asked for: few of many, found by indexes of their own.
 *
 * @returns one more than is counted, where there are more; undefined where neither is asked for
 */
async function someOf(
  db: Kysely<Tables>,
  environment: number,
  { inSession, hasUnsettled }: PlayerFilters,
): Promise<readonly number[] | undefined> {
  const open = inSession === true ? await openSessions(db, environment, mostCounted + 1) : undefined;
  const waiting = hasUnsettled === true ? await unsettledPlayers(db, environment, mostCounted + 1) : undefined;
  if (open === undefined || waiting === undefined) return (open ?? waiting)?.map(({ player }) => player);
  const also = new Set(waiting.map(({ player }) => player));
  return open.flatMap(({ player }) => (also.has(player) ? player : []));
}

/** Is a player among those that are asked for? */
export function isAmong({ inSession, hasUnsettled, joinedSince }: PlayerFilters) {
  return ({ eb, and, exists, selectFrom }: ExpressionBuilder<Tables, 'players'>) => {
    const asked: Expression<SqlBool>[] = [];
    if (inSession === true) {
      const open = selectFrom('sessions').select('sessions.id').where('sessions.ended_at', 'is', null);
      asked.push(exists(open.whereRef('sessions.player', '=', 'players.number')));
    }
    if (hasUnsettled === true) {
      const waiting = selectFrom('unsettled_of_players').select('transactions').where('transactions', '>', 0);
      asked.push(exists(waiting.whereRef('unsettled_of_players.player', '=', 'players.number')));
    }
    if (joinedSince !== undefined) asked.push(eb(lastJoin, '>=', joinedSince));
    return and(asked);
  };
}

export function listed(db: Kysely<Tables>) {
  return db
    .selectFrom('players')
    .leftJoin('sessions', (on) =>
      on.onRef('sessions.player', '=', 'players.number').on('sessions.ended_at', 'is', null),
    )
    .selectAll('players')
    .select('sessions.host as session_on');
}

/** Those of some players who are asked for, each with what they are ordered by. */
async function placedAmong(
  db: Kysely<Tables>,
  numbers: readonly number[],
  { sort = 'joined', ...filters }: PlayersAsked,
): Promise<readonly PlacedPlayer[]> {
  if (numbers.length === 0) return [];
  const rows = await db
    .selectFrom('players')
    .select(['players.number', orders[sort].as('by')])
    .where('players.number', 'in', [...numbers])
    .where(isAmong(filters))
    .execute();
  return rows;
}

/** The numbers of players whose name or id holds a text, looked for one by one; who was made last first. */
async function playersThatHold(
  db: Kysely<Tables>,
  environment: number,
  text: string,
  most: number,
  before: number,
): Promise<readonly number[]> {
  const rows = await db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('number', '<', before)
    .where(isNamedLike(text))
    .orderBy('number', 'desc')
    .limit(most)
    .execute();
  return rows.map(({ number }) => number);
}

/** The numbers of players whose name, or whose id as it is written or in small letters, starts with a text; who was made last first. */
async function playersThatStart(
  db: Kysely<Tables>,
  environment: number,
  search: string,
  text: string,
  most: number,
  before: number,
): Promise<readonly number[]> {
  // The last character that there is: no text that starts alike comes after it.
  const end = '\u{10ffff}';
  const named = await startOfName(db, environment, text, `${text}${end}`, before, most);
  const known = await startOfId(db, environment, search, `${search}${end}`, before, most);
  const knownSmall = await startOfId(db, environment, text, `${text}${end}`, before, most);
  const numbers = new Set([...named, ...known, ...knownSmall].map(({ number }) => number));
  return [...numbers].toSorted((one, other) => other - one).slice(0, most);
}

const countOfPlayers = keptQuery((db, environment: number, joinedSince: number, most: number) =>
  db
    .selectFrom(
      db
        .selectFrom('players')
        .select('number')
        .where('environment', '=', environment)
        .where(lastJoin, '>=', joinedSince)
        .limit(most)
        .as('some'),
    )
    .select((select) => select.fn.countAll<number>().as('players')),
);

/**
 * From the first player on, by the index of open sessions, which are few: adding nothing keeps the database from
 * walking all sessions of an environment.
 */
const openSessions = keptQuery((db, environment: number, most: number) =>
  db
    .selectFrom('sessions')
    .select('player')
    .where('ended_at', 'is', null)
    .where('player', '>', 0)
    .where(sql<number>`environment + 0`, '=', environment)
    .limit(most),
);

const unsettledPlayers = keptQuery((db, environment: number, most: number) =>
  db
    .selectFrom('unsettled_of_players')
    .select('player')
    .where('environment', '=', environment)
    .where('transactions', '>', 0)
    .limit(most),
);

const startOfName = keptQuery((db, environment: number, from: string, until: string, before: number, most: number) =>
  db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('folded', '>=', from)
    .where('folded', '<', until)
    .where('number', '<', before)
    .limit(most),
);

const startOfId = keptQuery((db, environment: number, from: string, until: string, before: number, most: number) =>
  db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('id', '>=', from)
    .where('id', '<', until)
    .where('number', '<', before)
    .limit(most),
);

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
