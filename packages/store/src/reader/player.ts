import {
  readRecords,
  storedKeys,
  underCurrentKeys,
  type Manifest,
  type Records,
  type StoredRecord,
} from '@vekkon/core';
import type { ReadResponse } from '@vekkon/protocol';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { Manifests } from '../manifests.js';
import type {
  CheckpointRow,
  DeviceRow,
  EnvironmentRow,
  LedgerRow,
  PlayerRow,
  SessionRow,
  Tables,
  TrashRow,
} from '../tables.js';
import { recordsByKey } from '../records-by-key.js';
import { outsideSince } from '../writer/checkpoints-in-work.js';
import { recordOf } from '../writer/records-in-work.js';
import {
  playersFound,
  playersNumbered,
  playersPage,
  type PlayersAsked,
  type PlayerFilters,
  type PlayerPage,
} from './players.js';

/** Players, and everything that is kept of one. */
export class PlayerReads {
  readonly #db: Kysely<Tables>;
  readonly #manifests: Manifests;

  constructor(db: Kysely<Tables>, manifests: Manifests) {
    this.#db = db;
    this.#manifests = manifests;
  }

  /** A page of an environment's players, those who joined last first. */
  async page(environment: number, count: number, after?: string, filters?: PlayersAsked): Promise<PlayerPage> {
    return playersPage(this.#db, environment, count, after, filters);
  }

  /** Players whose name or id holds a text, or starts with it where it is short. */
  async found(
    environment: number,
    search: string,
    count: number,
    after?: string,
    filters?: PlayersAsked,
  ): Promise<PlayerPage> {
    return playersFound(this.#db, environment, search, count, after, filters);
  }

  /** Those of some players who are asked for, in the order in which they are named. */
  async numbered(numbers: readonly number[], filters: PlayerFilters & { readonly search?: string | undefined }) {
    return playersNumbered(this.#db, numbers, filters);
  }

  async one(environment: number, id: string) {
    return (await playerWithHost(this.#db, environment, id))[0];
  }

  /** A player's records as a game reads them. */
  async records(player: PlayerRow, environment: EnvironmentRow): Promise<Records> {
    const { rules } = await this.#manifests.newestOf(environment);
    return readRecords(await this.stored(player.number, rules.manifest), rules);
  }

  /**
   * A player's name and records as a game reads them, as JSON text.
   *
   * @param asked the keys that are wanted, each with the name under which it is told; all if left out
   * @returns undefined if nobody knows the player
   */
  async text(
    environment: EnvironmentRow,
    id: string,
    asked?: readonly (readonly [key: string, name: string])[],
  ): Promise<string | undefined> {
    const player = await this.one(environment.number, id);
    if (player === undefined) return undefined;
    const all = await this.records(player, environment);
    const wanted = asked?.flatMap(([key, name]) => {
      const record = all.get(key);
      return record === undefined ? [] : [[name, record] as const];
    });
    const records = recordsByKey(wanted === undefined ? all : new Map(wanted));
    return JSON.stringify({ name: player.name, records } satisfies ReadResponse['players'][string]);
  }

  /** A player's records as they are stored, under the keys of now. */
  async stored(player: number, manifest: Manifest): Promise<Records> {
    return underCurrentKeys(parsed(await recordsOfPlayer(this.#db, player)), manifest);
  }

  /**
   * What one record of a player holds, as it is stored, under its key of now or a former one.
   *
   * @returns undefined if nobody knows the player
   */
  async record(
    environment: number,
    id: string,
    key: string,
    manifest: Manifest,
  ): Promise<{ readonly stored: StoredRecord | undefined } | undefined> {
    const found = new Map<string, StoredRecord>();
    let isKnown = false;
    for (const one of storedKeys(key, manifest)) {
      const [row] = await recordOfPlayer(this.#db, one, environment, id);
      if (row === undefined) continue;
      isKnown = true;
      const { revision, value, removed } = row;
      if (revision !== null && value !== null) found.set(one, recordOf({ revision, value, removed: removed ?? 0 }));
    }
    return isKnown ? { stored: underCurrentKeys(found, manifest).get(key) } : undefined;
  }

  /** A player's records as they were after a commit, from their history. */
  async asOf(player: number, seen: number): Promise<Records> {
    const rows = await this.#db
      .selectFrom('history as one')
      .select(['one.key', 'one.revision', 'one.value', 'one.removed'])
      .where('one.player', '=', player)
      .where('one.seen', '<=', seen)
      .where(({ eb, selectFrom }) =>
        eb(
          'one.revision',
          '=',
          selectFrom('history as newest')
            .select(({ fn }) => fn.max('newest.revision').as('revision'))
            .whereRef('newest.player', '=', 'one.player')
            .whereRef('newest.key', '=', 'one.key')
            .where('newest.seen', '<=', seen),
        ),
      )
      .orderBy('one.key')
      .execute();
    return parsed(rows);
  }

  /** Movements of a player's currencies, the newest first. */
  async ledger(
    player: number,
    keys: readonly string[] | undefined,
    count: number,
    before: number | undefined,
  ): Promise<readonly LedgerRow[]> {
    let found = this.#db.selectFrom('ledger').selectAll().where('player', '=', player);
    if (keys !== undefined) found = found.where('key', 'in', keys);
    if (before !== undefined) found = found.where('number', '<', before);
    return found.orderBy('number', 'desc').limit(count).execute();
  }

  /** What the game saved for a player, the newest first. */
  async checkpoints(player: number) {
    return this.#db
      .selectFrom('checkpoints')
      .select(['name', 'summary', 'at', 'records'])
      .where('player', '=', player)
      .where('by_operator', '=', 0)
      .where('given_up_at', 'is', null)
      .orderBy('number', 'desc')
      .execute();
  }

  /** Every copy of a player's records, the newest first. */
  async copies(player: number): Promise<readonly CheckpointRow[]> {
    return this.#db
      .selectFrom('checkpoints')
      .selectAll()
      .where('player', '=', player)
      .orderBy('number', 'desc')
      .execute();
  }

  /** A copy of a player's records by its number, and what came from outside since. */
  async copy(player: number, number: number) {
    const row = await this.#db
      .selectFrom('checkpoints')
      .selectAll()
      .where('number', '=', number)
      .where('player', '=', player)
      .executeTakeFirst();
    return row && { row, outside: await outsideSince(this.#db, player, row.seen) };
  }

  async devices(player: number): Promise<readonly DeviceRow[]> {
    return this.#db.selectFrom('devices').selectAll().where('player', '=', player).orderBy('number').execute();
  }

  /** What was removed from a player, the newest first. */
  async trash(player: number): Promise<readonly TrashRow[]> {
    return this.#db
      .selectFrom('trash')
      .selectAll()
      .where('player', '=', player)
      .orderBy('number', 'desc')
      .limit(500)
      .execute();
  }

  async sessions(player: number, count: number): Promise<readonly SessionRow[]> {
    return this.#db
      .selectFrom('sessions')
      .selectAll()
      .where('player', '=', player)
      .orderBy('fence', 'desc')
      .limit(count)
      .execute();
  }
}

function parsed(
  rows: readonly { key: string; revision: number; value: string; removed: number }[],
): Map<string, StoredRecord> {
  return new Map(rows.map((row) => [row.key, recordOf(row)]));
}

const playerWithHost = keptQuery((db, environment: number, id: string) =>
  db
    .selectFrom('players')
    .leftJoin('sessions', (on) =>
      on.onRef('sessions.player', '=', 'players.number').on('sessions.ended_at', 'is', null),
    )
    .selectAll('players')
    .select('sessions.host as session_on')
    .where('players.environment', '=', environment)
    .where('players.id', '=', id),
);

const recordsOfPlayer = keptQuery((db, player: number) =>
  db.selectFrom('records').select(['key', 'revision', 'value', 'removed']).where('player', '=', player),
);

const recordOfPlayer = keptQuery((db, key: string, environment: number, id: string) =>
  db
    .selectFrom('players')
    .leftJoin('records', (on) => on.onRef('records.player', '=', 'players.number').on('records.key', '=', key))
    .select(['records.revision', 'records.value', 'records.removed'])
    .where('players.environment', '=', environment)
    .where('players.id', '=', id),
);
