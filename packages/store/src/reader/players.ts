import { foldedText } from '@vekkon/core';
import { sql, type Expression, type ExpressionBuilder, type Kysely, type SqlBool } from 'kysely';
import { fewestLetters, playersWithPart } from '../engines/sqlite/player-search.js';
import { keptQuery } from '../kept-query.js';
import type { PlayerRow, Tables } from '../tables.js';

export type ListedPlayer = PlayerRow & {
  /** The host of the open session. */
  readonly session_on: string | null;
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

/** Where counting stops: of all players, and of those that a search finds. */
const mostCounted = 10_000;
const mostFound = 1_000;

/** Who never joined comes last. In the words of the index. */
const lastJoin = sql<number>`coalesce(players.last_joined_at, 0)`;

/** A page of an environment's players, those who joined last first. */
export async function playersPage(
  db: Kysely<Tables>,
  environment: number,
  count: number,
  after: string | undefined,
  filters: PlayerFilters = {},
): Promise<PlayerPage> {
  const some = await someOf(db, environment, filters);
  if (some !== undefined && some.length <= mostCounted) {
    return pageOf(await joinedIn(db, some, filters), count, after, (shown) => withNumbers(db, shown));
  }
  // So many that they are met soon on the way through all of them.
  const isOne = isAmong(filters);
  const counted = await countOfPlayers(db, environment, filters.joinedSince ?? 0, mostCounted + 1);
  let page = listed(db)
    .where('players.environment', '=', environment)
    .where(isOne)
    .orderBy(lastJoin, 'desc')
    .orderBy('players.number', 'desc')
    .limit(count + 1);
  const [joinedAt, number] = (after ?? '').split('.').map(Number);
  if (joinedAt !== undefined && number !== undefined) {
    // The first says where in the index to begin.
    page = page
      .where(lastJoin, '<=', joinedAt)
      .where((where) =>
        where.or([
          where(lastJoin, '<', joinedAt),
          where.and([where(lastJoin, '=', joinedAt), where('players.number', '<', number)]),
        ]),
      );
  }
  const rows = await page.execute();
  const players = rows.slice(0, count);
  const next = rows.length > count ? afterJoin(players.at(-1)) : null;
  const total = some?.length ?? counted[0]?.players ?? 0;
  return { players, total: Math.min(total, mostCounted), isCapped: total > mostCounted, next };
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
  filters: PlayerFilters = {},
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
    const rows = await withNumbers(db, await amongFound(db, environment, looked, filters));
    const players = rows.toSorted((one, other) => other.number - one.number);
    return { players, total: mostFound, isCapped, next: found.length > count ? `made.${looked.at(-1)}` : null };
  }
  const joined = await joinedIn(db, await amongFound(db, environment, found, filters), {});
  return pageOf(joined, count, after, (shown) => withNumbers(db, shown));
}

interface Joined {
  readonly number: number;
  readonly joinedAt: number;
}

/** A page of players who are known by their numbers, those who joined last first. */
async function pageOf(
  joined: readonly Joined[],
  count: number,
  after: string | undefined,
  read: (numbers: readonly number[]) => Promise<readonly ListedPlayer[]>,
): Promise<PlayerPage> {
  const [joinedAt = Infinity, number = 0] = after === undefined ? [] : after.split('.').map(Number);
  const rest = joined
    .filter((one) => one.joinedAt < joinedAt || (one.joinedAt === joinedAt && one.number < number))
    .toSorted((one, other) => other.joinedAt - one.joinedAt || other.number - one.number);
  const shown = rest.slice(0, count).map((one) => one.number);
  const place = new Map(shown.map((one, index) => [one, index]));
  const players = (await read(shown)).toSorted(
    (one, other) => (place.get(one.number) ?? 0) - (place.get(other.number) ?? 0),
  );
  const next = rest.length > count ? afterJoin(players.at(-1)) : null;
  return { players, total: joined.length, isCapped: false, next };
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
function isAmong({ inSession, hasUnsettled, joinedSince }: PlayerFilters) {
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

/** Those of the players found that are asked for, in the order in which they were found. */
async function amongFound(
  db: Kysely<Tables>,
  environment: number,
  found: readonly number[],
  filters: PlayerFilters,
): Promise<readonly number[]> {
  if (found.length === 0 || Object.values(filters).every((one) => one === undefined)) return found;
  const rows = await db
    .selectFrom('players')
    .select('players.number')
    .where('players.number', 'in', [...found])
    .where(isAmong(filters))
    .execute();
  const among = new Set(rows.map(({ number }) => number));
  return found.filter((number) => among.has(number));
}

function afterJoin(last: PlayerRow | undefined): string | null {
  return last === undefined ? null : `${last.last_joined_at ?? 0}.${last.number}`;
}

function listed(db: Kysely<Tables>) {
  return db
    .selectFrom('players')
    .leftJoin('sessions', (on) =>
      on.onRef('sessions.player', '=', 'players.number').on('sessions.ended_at', 'is', null),
    )
    .selectAll('players')
    .select('sessions.host as session_on');
}

async function withNumbers(db: Kysely<Tables>, numbers: readonly number[]): Promise<ListedPlayer[]> {
  if (numbers.length === 0) return [];
  return listed(db)
    .where('players.number', 'in', [...numbers])
    .execute();
}

/** When each of the players joined last; only those who did since a time, where that is asked for. */
async function joinedIn(
  db: Kysely<Tables>,
  numbers: readonly number[],
  { joinedSince = 0 }: PlayerFilters,
): Promise<readonly Joined[]> {
  if (numbers.length === 0) return [];
  const rows = await db
    .selectFrom('players')
    .select(['number', lastJoin.as('joinedAt')])
    .where('number', 'in', [...numbers])
    .execute();
  return rows.filter(({ joinedAt }) => joinedAt >= joinedSince);
}

/** The numbers of players whose name or id holds a text, looked for one by one; who was made last first. */
async function playersThatHold(
  db: Kysely<Tables>,
  environment: number,
  text: string,
  most: number,
  before: number,
): Promise<readonly number[]> {
  const pattern = `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`;
  const rows = await db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('number', '<', before)
    .where(({ ref }) => sql<boolean>`${ref('folded')} like ${pattern} escape '\\'`)
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
