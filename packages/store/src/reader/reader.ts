import {
  compareManifests,
  keysToCheck,
  readRecords,
  storedKeys,
  underCurrentKeys,
  withNamesOverTime,
  type Difference,
  type Manifest,
  type Records,
  type StoredRecord,
} from '@vekkon/core';
import type { Spread } from '@vekkon/core/boards';
import type { MisfitCount } from '@vekkon/protocol';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import { manifestFrom, Manifests, type InstalledManifest } from '../manifests.js';
import { countBeside, recount, type CountedBeside } from '../misfits-beside.js';
import { countMisfits, misfitsUnder, type FoundMisfit } from '../misfits.js';
import type {
  CheckpointRow,
  DeviceRow,
  EnvironmentRow,
  LearnedRow,
  LedgerRow,
  PlayerRow,
  SessionRow,
  Tables,
  TrashRow,
} from '../tables.js';
import { recordOf } from '../writer/records-in-work.js';
import { BoardReads } from './boards.js';
import { TuningReads, type TuningBroken } from './tuning.js';
import { playersFound, playersPage, type PlayerPage } from './players.js';
import {
  countOfUnsettled,
  unsettledPage,
  unsettledSums,
  type UnsettledCount,
  type UnsettledFilters,
} from './unsettled.js';

/** Who a credential belongs to. */
export interface Credential {
  readonly sort: 'host-key' | 'device-key' | 'device' | 'operator' | 'first-admin';
  readonly hint: string | null;
  readonly environment: number | null;
  readonly operator: number | null;
  /** Of a device's token: the device, and its player. */
  readonly device_id: string | null;
  readonly player_id: string | null;
  readonly used_at: number | null;
  readonly expires_at: number | null;
  readonly revoked_at: number | null;
}

/** What installing a manifest would do. */
export interface ManifestDiff {
  readonly differences: readonly Difference[];
  /** Names that meant something else before: with these it can't be installed. */
  readonly conflicts: readonly string[];
  readonly misfits: readonly MisfitCount[];
  /** Hosts that players are on, built against a version that would break. */
  readonly hosts: readonly {
    readonly host: string;
    readonly version: number;
    readonly sessions: number;
    readonly breaks: readonly Difference[];
  }[];
  /** What is published or edited and would count no more. */
  readonly tuning: readonly TuningBroken[];
}

/** Everything that is read. It has a connection of its own and never waits for the writer. */
export class Reader {
  readonly #db: Kysely<Tables>;
  readonly #manifests: Manifests;
  readonly boards: BoardReads;
  readonly tuning: TuningReads;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
    this.#manifests = new Manifests(db);
    this.boards = new BoardReads(db);
    this.tuning = new TuningReads(db);
  }

  async credential(hash: string): Promise<Credential | undefined> {
    return this.#db
      .selectFrom('credentials')
      .leftJoin('devices', 'devices.number', 'credentials.device')
      .leftJoin('players', 'players.number', 'devices.player')
      .select([
        'sort',
        'hint',
        'credentials.environment',
        'operator',
        'expires_at',
        'credentials.revoked_at',
        'used_at',
      ])
      .select(['devices.id as device_id', 'players.id as player_id'])
      .where('hash', '=', hash)
      .executeTakeFirst();
  }

  /** An environment's keys, the oldest first. */
  async keys(environment: number) {
    return this.#db
      .selectFrom('credentials')
      .select(['hash', 'hint', 'sort', 'created_at', 'revoked_at'])
      .where('environment', '=', environment)
      .where('sort', 'in', ['host-key', 'device-key'])
      .orderBy('created_at')
      .execute();
  }

  async operatorByEmail(email: string) {
    return this.#db.selectFrom('operators').selectAll().where('email', '=', email.toLowerCase()).executeTakeFirst();
  }

  async operator(number: number) {
    return this.#db.selectFrom('operators').selectAll().where('number', '=', number).executeTakeFirst();
  }

  async hasOperator(): Promise<boolean> {
    return (await this.#db.selectFrom('operators').select('number').executeTakeFirst()) !== undefined;
  }

  async environment(number: number): Promise<EnvironmentRow> {
    return this.#db.selectFrom('environments').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  }

  async environmentNamed(game: string, name: string): Promise<EnvironmentRow | undefined> {
    return this.#db
      .selectFrom('environments')
      .selectAll()
      .where('game', '=', game)
      .where('name', '=', name)
      .executeTakeFirst();
  }

  async environments(): Promise<readonly EnvironmentRow[]> {
    return this.#db.selectFrom('environments').selectAll().orderBy('number').execute();
  }

  async manifestOf(environment: EnvironmentRow): Promise<InstalledManifest> {
    return this.#manifests.newestOf(environment);
  }

  /** A page of an environment's players, those who joined last first. */
  async players(environment: number, count: number, after?: string): Promise<PlayerPage> {
    return playersPage(this.#db, environment, count, after);
  }

  /** Players whose name or id holds a text, or starts with it where it is short. */
  async playersFound(environment: number, search: string, count: number, after?: string): Promise<PlayerPage> {
    return playersFound(this.#db, environment, search, count, after);
  }

  async player(environment: number, id: string) {
    return (await playerWithHost(this.#db, environment, id))[0];
  }

  /** A player's records as a game reads them. */
  async records(player: PlayerRow, environment: EnvironmentRow): Promise<Records> {
    const { rules } = await this.#manifests.newestOf(environment);
    return readRecords(await this.stored(player.number, rules.manifest), rules);
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

  /** One version of an environment's manifest; the newest if none is named. */
  async manifestVersion(environment: EnvironmentRow, version: number | undefined): Promise<InstalledManifest> {
    if (version === undefined) return this.#manifests.newestOf(environment);
    return this.#manifests.versionOf(environment, version);
  }

  /** The file of a version, as it was sent. */
  async manifestSource(environment: number, version: number): Promise<string> {
    const row = await this.#db
      .selectFrom('manifests')
      .select('source')
      .where('environment', '=', environment)
      .where('version', '=', version)
      .executeTakeFirstOrThrow();
    return row.source;
  }

  /** The versions that were installed, the newest first. */
  async manifestVersions(environment: number) {
    return this.#db
      .selectFrom('manifests')
      .select(['version', 'installed_at', 'by'])
      .where('environment', '=', environment)
      .orderBy('version', 'desc')
      .limit(500)
      .execute();
  }

  async learnedBy(environment: number): Promise<readonly LearnedRow[]> {
    return this.#manifests.learnedBy(environment);
  }

  /** What a manifest would change, beside what is installed. */
  async diff(environment: EnvironmentRow, sent: Manifest): Promise<ManifestDiff> {
    if (environment.manifest_version === null) {
      return { differences: [], conflicts: [], misfits: [], hosts: [], tuning: [] };
    }
    const { before, conflicts, manifest } = await this.#asItWouldBe(environment, sent);
    const differences = compareManifests(before, manifest);
    const misfits = await countMisfits(this.#db, environment.number, manifest, keysToCheck(before, manifest));
    const hosts = await this.#hostsBrokenBy(environment, manifest);
    const tuning = await this.tuning.brokenBy(environment.number, manifest);
    return { differences, conflicts, misfits, hosts, tuning };
  }

  /**
   * The misfits that installing a manifest would make, counted beside the writer.
   */
  async misfitsBeside(environment: EnvironmentRow, sent: Manifest): Promise<readonly CountedBeside[]> {
    if (environment.manifest_version === null) return [];
    const { before, manifest } = await this.#asItWouldBe(environment, sent);
    return countBeside(this.#db, environment.number, manifest, keysToCheck(before, manifest));
  }

  /** The same after some players have changed meanwhile. */
  async misfitsBesideAgain(
    environment: EnvironmentRow,
    sent: Manifest,
    counted: readonly CountedBeside[],
    changed: readonly number[],
  ): Promise<readonly CountedBeside[]> {
    const { manifest } = await this.#asItWouldBe(environment, sent);
    return recount(this.#db, manifest, counted, changed);
  }

  /** What is installed, and a manifest as it would be in force. */
  async #asItWouldBe(environment: EnvironmentRow, sent: Manifest) {
    const before = (await this.#manifests.newestOf(environment)).rules.manifest;
    const { manifest: named, conflicts } = withNamesOverTime(sent, before);
    return { before, conflicts, manifest: await this.#manifests.withWhatStaysLearned(environment, named) };
  }

  /** Stored values that the installed manifest does not allow. */
  async misfits(environment: EnvironmentRow, count: number): Promise<readonly FoundMisfit[]> {
    const { manifest } = (await this.#manifests.newestOf(environment)).rules;
    const found: FoundMisfit[] = [];
    for (const declared of await this.#everDeclared(environment.number)) {
      for await (const misfit of misfitsUnder(this.#db, environment.number, manifest, declared)) {
        if (found.push(misfit) >= count) return found;
      }
    }
    return found;
  }

  /** Every `kind/name` under which something may be stored: nothing is that was never declared. */
  async #everDeclared(environment: number): Promise<ReadonlySet<string>> {
    const rows = await this.#db
      .selectFrom('manifests')
      .select('manifest')
      .where('environment', '=', environment)
      .execute();
    const declared = rows.flatMap(({ manifest }) => Object.keys(manifestFrom(manifest).records));
    const learned = await this.#manifests.learnedBy(environment);
    return new Set([...declared, ...learned.flatMap(({ section, name }) => (section === 'records' ? name : []))]);
  }

  /** Hosts with open sessions whose version a manifest would break. */
  async #hostsBrokenBy(environment: EnvironmentRow, next: Manifest): Promise<ManifestDiff['hosts']> {
    const rows = await this.#db
      .selectFrom('sessions')
      .select(['host', 'manifest_version'])
      .select((select) => select.fn.countAll<number>().as('sessions'))
      .where('environment', '=', environment.number)
      .where('ended_at', 'is', null)
      .groupBy(['host', 'manifest_version'])
      .orderBy('host')
      .execute();
    const hosts: ManifestDiff['hosts'][number][] = [];
    for (const { host, manifest_version: version, sessions } of rows) {
      const { manifest } = (await this.#manifests.versionOf(environment, version)).rules;
      const breaks = compareManifests(manifest, next).filter((one) => one.breaks);
      if (breaks.length > 0) hosts.push({ host, version, sessions, breaks });
    }
    return hosts;
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

  /** A host's newest sessions, with their players. */
  async sessionsOfHost(environment: number, host: string, count: number) {
    return this.#db
      .selectFrom('sessions')
      .innerJoin('players', 'players.number', 'sessions.player')
      .selectAll('sessions')
      .leftJoin('sessions as previous', (on) =>
        on
          .onRef('previous.player', '=', 'sessions.player')
          .on('previous.fence', '=', (fence) => fence('sessions.fence', '-', 1)),
      )
      .select(['players.id as player_id', 'players.seen as player_seen', 'previous.seen_at_end as previous_seen'])
      .where('sessions.environment', '=', environment)
      .where('sessions.host', '=', host)
      .orderBy('sessions.joined_at', 'desc')
      .limit(count)
      .execute();
  }

  /** A page of the transactions that wait for a person, the newest first. */
  async unsettled(environment: number, filters: UnsettledFilters, count: number, after?: string) {
    return unsettledPage(this.#db, environment, filters, count, after);
  }

  /** How many transactions wait for a person. */
  async countOfUnsettled(environment: number, filters: UnsettledFilters): Promise<UnsettledCount> {
    return countOfUnsettled(this.#db, environment, filters);
  }

  /** Where they pile up. */
  async unsettledSums(environment: number) {
    return unsettledSums(this.#db, environment);
  }

  /** What was done to an environment, and to the service as a whole, the newest first. */
  async activity(environment: number, count: number) {
    const lines = this.#db.selectFrom('activity').selectAll().orderBy('number', 'desc').limit(count);
    const own = await lines.where('environment', '=', environment).execute();
    const ofTheService = await lines.where('environment', 'is', null).execute();
    return [...own, ...ofTheService].toSorted((one, other) => other.number - one.number).slice(0, count);
  }

  /** How the results of a season are spread. */
  async spreadOfResults(board: number, season: number): Promise<Spread> {
    return this.boards.spread(board, season);
  }

  /** Compares what the players of a trial came to. */
  async resultsOfTrial(...asked: Parameters<TuningReads['trial']>): ReturnType<TuningReads['trial']> {
    return this.tuning.trial(...asked);
  }

  /** A page of a season's standings in their order. */
  async standingsPage(...asked: Parameters<BoardReads['page']>): ReturnType<BoardReads['page']> {
    return this.boards.page(...asked);
  }

  async session(environment: number, id: string): Promise<SessionRow | undefined> {
    return (await sessionNamed(this.#db, id, environment))[0];
  }

  /** A player's records as they were after a commit, from their history. */
  async recordsAsOf(player: number, seen: number): Promise<Records> {
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

const sessionNamed = keptQuery((db, id: string, environment: number) =>
  db.selectFrom('sessions').selectAll().where('id', '=', id).where('environment', '=', environment),
);
