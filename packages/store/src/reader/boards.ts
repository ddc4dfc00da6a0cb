import { worthOf } from '@vekkon/core';
import { spreadOf, type Spread } from '@vekkon/core/boards';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { BoardRow, DoubtfulRow, SeasonRow, SetAsideTable, Tables } from '../tables.js';
import type { Selectable } from 'kysely';

/** A season that is not done with, and the board that it is of. */
export interface LiveSeason {
  readonly board: BoardRow;
  readonly season: SeasonRow;
}

/** A page of standings in their order, as columns: they cross from thread to thread in one go. */
export interface StandingsPage {
  readonly players: Uint32Array;
  /** What they are ordered by: the smaller, the better. */
  readonly worths: Float64Array;
  readonly reached: Float64Array;
  /** After which the next page begins; null at the end. */
  readonly next: PageStart | null;
}

export interface PageStart {
  readonly worth: number;
  readonly reached: number;
  readonly player: number;
}

/** A standing as it is stored. */
export interface StoredStanding {
  /** The player's number. */
  readonly player: number;
  readonly value: number;
  readonly reached: number;
}

export interface RankedStanding extends StoredStanding {
  readonly rank: number;
}

/** How many standings one page has: half a megabyte of plain data. */
const standingsAPage = 20_000;

/** Everything that is read of boards. */
export class BoardReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** Of every board, the seasons that are not done with. */
  async live(): Promise<readonly LiveSeason[]> {
    const seasons = await this.#db.selectFrom('seasons').selectAll().where('done_at', 'is', null).execute();
    const boards = new Map((await this.#db.selectFrom('boards').selectAll().execute()).map((one) => [one.number, one]));
    return seasons.flatMap((season) => {
      const board = boards.get(season.board);
      return board === undefined ? [] : [{ board, season }];
    });
  }

  /** A page of a season's standings in their order. @param after the last of the page before */
  async page(board: number, season: number, after: PageStart | null): Promise<StandingsPage> {
    const { worth, reached, player } = after ?? { worth: -Number.MAX_VALUE, reached: 0, player: 0 };
    const rows = await pageOf(this.#db, board, season, worth, reached, player, standingsAPage);
    const last = rows.length < standingsAPage ? undefined : rows.at(-1);
    return {
      players: Uint32Array.from(rows, (row) => row.player),
      worths: Float64Array.from(rows, (row) => row.worth),
      reached: Float64Array.from(rows, (row) => row.reached),
      next: last === undefined ? null : { worth: last.worth, reached: last.reached, player: last.player },
    };
  }

  async named(environment: number, key: string): Promise<BoardRow | undefined> {
    return (await boardNamed(this.#db, environment, key))[0];
  }

  /** The boards of a family that there are, by name. */
  async members(environment: number, family: string, count: number): Promise<readonly string[]> {
    const rows = await membersOf(this.#db, environment, `${family}/`, `${family}0`, count);
    return rows.map(({ key }) => key);
  }

  async season(board: number, number: number): Promise<SeasonRow | undefined> {
    return (await seasonNumbered(this.#db, board, number))[0];
  }

  /** Seasons of a board, the newest first. */
  async seasons(board: number, count: number, before = Number.MAX_SAFE_INTEGER): Promise<readonly SeasonRow[]> {
    return seasonsOf(this.#db, board, before, count);
  }

  /** Places of a season that is done with. */
  async ranked(board: number, season: number, start: number, count: number): Promise<readonly RankedStanding[]> {
    return rankedOf(this.#db, board, season, start, start + count - 1) as Promise<readonly RankedStanding[]>;
  }

  async rankedOf(board: number, season: number, player: number): Promise<RankedStanding | undefined> {
    const [row] = await rankOf(this.#db, board, season, player);
    return row?.rank === null ? undefined : (row as RankedStanding | undefined);
  }

  /** Ids and display names, by number. */
  async names(
    players: readonly number[],
  ): Promise<ReadonlyMap<number, { readonly id: string; readonly name: string | null }>> {
    if (players.length === 0) return new Map();
    const rows = await this.#db
      .selectFrom('players')
      .select(['number', 'id', 'name'])
      .where('number', 'in', [...players])
      .execute();
    return new Map(rows.map(({ number, id, name }) => [number, { id, name }]));
  }

  /** The numbers of players, by id; of those who are known. */
  async numbers(environment: number, ids: readonly string[]): Promise<ReadonlyMap<string, number>> {
    if (ids.length === 0) return new Map();
    const rows = await this.#db
      .selectFrom('players')
      .select(['number', 'id'])
      .where('environment', '=', environment)
      .where('id', 'in', [...ids])
      .execute();
    return new Map(rows.map(({ number, id }) => [id, number]));
  }

  async player(environment: number, id: string) {
    return (await playerNamed(this.#db, environment, id))[0];
  }

  /** How the results of a season are spread. */
  async spread(board: number, season: number): Promise<Spread> {
    const values: number[] = [];
    const better = (await this.season(board, season))?.better ?? 'lower';
    for (let after: PageStart | null = null; ;) {
      const page: StandingsPage = await this.page(board, season, after);
      for (const worth of page.worths) values.push(worthOf(worth, better));
      if (page.next === null) break;
      after = page.next;
      await new Promise((resolve) => setImmediate(resolve));
    }
    return spreadOf(values.toSorted((one, other) => one - other));
  }

  /** Doubtful results, the newest first, with their players. */
  async doubtful(
    environment: number,
    state: DoubtfulRow['state'],
    count: number,
    before = Number.MAX_SAFE_INTEGER,
  ): Promise<readonly (DoubtfulRow & { readonly player_id: string; readonly player_name: string | null })[]> {
    return doubtfulOf(this.#db, environment, state, before, count);
  }

  /** How many doubtful results wait; counting stops. */
  async countOfDoubtful(environment: number): Promise<number> {
    return (await waitingDoubtful(this.#db, environment, mostCounted)).length;
  }

  /** A player's standings, the open seasons first. */
  async ofPlayer(player: number) {
    return standingsOfPlayer(this.#db, player, 100);
  }

  /** What was taken off a player, and where they are barred. */
  async asideOf(player: number): Promise<{
    readonly aside: readonly (Selectable<SetAsideTable> & { readonly key: string })[];
    readonly barred: readonly {
      readonly key: string;
      readonly reason: string;
      readonly by: string;
      readonly at: number;
    }[];
  }> {
    return { aside: await asideOfPlayer(this.#db, player, 100), barred: await barredOfPlayer(this.#db, player, 100) };
  }
}

const mostCounted = 1_000;

const pageOf = keptQuery(
  (db, board: number, season: number, worth: number, reached: number, player: number, count: number) =>
    db
      .selectFrom('standings')
      // All of it stands in the index: no row is looked up.
      .select(['player', 'worth', 'reached'])
      .where('board', '=', board)
      .where('season', '=', season)
      .where(({ eb, refTuple, tuple }) =>
        eb(refTuple('worth', 'reached', 'player'), '>', tuple(worth, reached, player)),
      )
      .orderBy('worth')
      .orderBy('reached')
      .orderBy('player')
      .limit(count),
);

const boardNamed = keptQuery((db, environment: number, key: string) =>
  db.selectFrom('boards').selectAll().where('environment', '=', environment).where('key', '=', key),
);

const membersOf = keptQuery((db, environment: number, from: string, until: string, count: number) =>
  db
    .selectFrom('boards')
    .select('key')
    .where('environment', '=', environment)
    .where('key', '>=', from)
    .where('key', '<', until)
    .orderBy('key')
    .limit(count),
);

const seasonNumbered = keptQuery((db, board: number, number: number) =>
  db.selectFrom('seasons').selectAll().where('board', '=', board).where('number', '=', number),
);

const seasonsOf = keptQuery((db, board: number, before: number, count: number) =>
  db
    .selectFrom('seasons')
    .selectAll()
    .where('board', '=', board)
    .where('number', '<', before)
    .orderBy('number', 'desc')
    .limit(count),
);

const rankedOf = keptQuery((db, board: number, season: number, from: number, until: number) =>
  db
    .selectFrom('standings')
    .select(['player', 'value', 'reached', 'rank'])
    .where('board', '=', board)
    .where('season', '=', season)
    .where('rank', '>=', from)
    .where('rank', '<=', until)
    .orderBy('rank'),
);

const rankOf = keptQuery((db, board: number, season: number, player: number) =>
  db
    .selectFrom('standings')
    .select(['player', 'value', 'reached', 'rank'])
    .where('board', '=', board)
    .where('season', '=', season)
    .where('player', '=', player),
);

const playerNamed = keptQuery((db, environment: number, id: string) =>
  db.selectFrom('players').select(['number', 'id', 'name']).where('environment', '=', environment).where('id', '=', id),
);

const doubtfulOf = keptQuery((db, environment: number, state: DoubtfulRow['state'], before: number, count: number) =>
  db
    .selectFrom('doubtful')
    .innerJoin('players', 'players.number', 'doubtful.player')
    .selectAll('doubtful')
    .select(['players.id as player_id', 'players.name as player_name'])
    .where('doubtful.environment', '=', environment)
    .where('doubtful.state', '=', state)
    .where('doubtful.number', '<', before)
    .orderBy('doubtful.number', 'desc')
    .limit(count),
);

const waitingDoubtful = keptQuery((db, environment: number, count: number) =>
  db
    .selectFrom('doubtful')
    .select('number')
    .where('environment', '=', environment)
    .where('state', '=', 'waiting')
    .limit(count),
);

const standingsOfPlayer = keptQuery((db, player: number, count: number) =>
  db
    .selectFrom('standings')
    .innerJoin('boards', 'boards.number', 'standings.board')
    .innerJoin('seasons', (on) =>
      on.onRef('seasons.board', '=', 'standings.board').onRef('seasons.number', '=', 'standings.season'),
    )
    .select(['boards.key', 'standings.board', 'standings.season', 'value', 'reached', 'rank'])
    .select(['seasons.standings as of', 'seasons.closed_at'])
    .where('player', '=', player)
    .orderBy('standings.season', 'desc')
    .limit(count),
);

const asideOfPlayer = keptQuery((db, player: number, count: number) =>
  db
    .selectFrom('set_aside')
    .innerJoin('boards', 'boards.number', 'set_aside.board')
    .selectAll('set_aside')
    .select('boards.key')
    .where('player', '=', player)
    .limit(count),
);

const barredOfPlayer = keptQuery((db, player: number, count: number) =>
  db
    .selectFrom('barred')
    .innerJoin('boards', 'boards.number', 'barred.board')
    .select(['boards.key', 'reason', 'by', 'at'])
    .where('player', '=', player)
    .limit(count),
);
