import {
  currentKey,
  isProblem,
  declarationOf,
  pointerTokens,
  startingRecordValue,
  storedKeys,
  underCurrentKeys,
  valueAt,
  type Json,
  type Manifest,
  type Rules,
  type ScoreValue,
} from '@vekkon/core';
import {
  attributeKeys,
  asPublished,
  attributesFromRecords,
  readEdition,
  type Attributes,
  type Measure,
  type TuningMisfit,
} from '@vekkon/core/tuning';
import { trialResults, type TrialResults } from '@vekkon/core/trials';
import { checkSchema } from '@vekkon/core/schema-check';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { EditionRow, Tables } from '../tables.js';
import { contentOf, tuningStateOf, type TuningState } from '../tuning.js';
import { recordOf } from '../writer/records-in-work.js';

/** What is known of a player when audiences are matched. */
export interface KnownPlayer {
  readonly id: string;
  readonly name: string | null;
  /** What their newest session sent at join. */
  readonly sent: Attributes;
  /** What their records say. */
  readonly read: Attributes;
}

/** Something that an edition or the draft says, and that a manifest would not allow. */
export interface TuningBroken extends TuningMisfit {
  /** `edition 14`, `draft`. */
  readonly where: string;
  /** Does it run now? */
  readonly isRunning: boolean;
}

/** How many editions are looked at that could be published again. */
const editionsLookedAt = 20;

/** How many players of a trial are measured before others have their turn. */
const playersAtATime = 500;

/** Editions, drafts, and what tuning must know of players. */
export class TuningReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  async state(environment: number): Promise<TuningState> {
    return tuningStateOf(this.#db, environment);
  }

  /** Editions, the newest first. */
  async editions(environment: number, count: number, before = Number.MAX_SAFE_INTEGER): Promise<readonly EditionRow[]> {
    return editionsBefore(this.#db, environment, before, count);
  }

  async edition(environment: number, number: number): Promise<EditionRow | undefined> {
    return (await editionNumbered(this.#db, environment, number))[0];
  }

  /** What made the draft what it is, the newest first. */
  async draftChanges(environment: number, count: number) {
    return this.#db
      .selectFrom('draft_changes')
      .selectAll()
      .where('environment', '=', environment)
      .orderBy('revision', 'desc')
      .limit(count)
      .execute();
  }

  /** What a manifest would break: of the running edition, of the draft, and of editions that could be published again. */
  async brokenBy(environment: number, manifest: Manifest): Promise<readonly TuningBroken[]> {
    const { edits } = await this.state(environment);
    const rows = await this.editions(environment, editionsLookedAt);
    const rules = { manifest, check: checkSchema };
    const looked = rows.map((row, index) => {
      return { where: `edition ${row.number}`, isRunning: index === 0, content: contentOf(row) };
    });
    const drafted = { where: 'draft', isRunning: false, content: asPublished(edits, {}) };
    return [...looked.slice(0, 1), drafted, ...looked.slice(1)].flatMap(({ where, isRunning, content }) =>
      readEdition(content, rules).misfits.map((misfit) => ({ where, isRunning, ...misfit })),
    );
  }

  /** When builds last asked for each tunable, the latest first. */
  async asked(environment: number) {
    return this.#db
      .selectFrom('tunables_asked')
      .select(['tunable', 'build', 'at'])
      .where('environment', '=', environment)
      .orderBy('at', 'desc')
      .execute();
  }

  /** @returns undefined if nobody knows the player */
  async player(environment: number, id: string, rules: Rules): Promise<KnownPlayer | undefined> {
    const [player] = await playerNamed(this.#db, environment, id);
    if (player === undefined) return undefined;
    const [session] = await newestSession(this.#db, player.number);
    const keys = [...attributeKeys(rules.manifest)].flatMap((key) => storedKeys(key, rules.manifest));
    const stored = new Map<string, ReturnType<typeof recordOf>>();
    for (const key of keys) {
      const [row] = await recordUnder(this.#db, player.number, key);
      if (row !== undefined) stored.set(key, recordOf(row));
    }
    return {
      id,
      name: player.name,
      sent: session === undefined ? {} : (JSON.parse(session.attributes) as Attributes),
      read: attributesFromRecords(underCurrentKeys(stored, rules.manifest), rules),
    };
  }

  /** A session's player, with what it sent at join; undefined if there is no such session. */
  async session(id: string) {
    return (await sessionWithPlayer(this.#db, id))[0];
  }

  /** Compares what the players of a trial came to, by a measure. */
  async trial(
    environment: number,
    trial: string,
    values: number,
    measure: Measure,
    manifest: Manifest,
  ): Promise<TrialResults> {
    const found = Array.from({ length: values }, () => ({ players: 0, results: [] as number[] }));
    for (let after = 0; ;) {
      const rows = await playersOfTrial(this.#db, environment, trial, after, playersAtATime);
      for (const { player, value, since } of rows) {
        const own = found[value];
        if (own === undefined) continue;
        own.players++;
        const result = await this.#measured(player, since, measure, manifest);
        if (result !== undefined) own.results.push(result);
      }
      const last = rows.at(-1);
      if (rows.length < playersAtATime || last === undefined) return trialResults(found);
      after = last.player;
      await new Promise((resolve) => setImmediate(resolve));
    }
  }

  /** What a player came to since they are in a trial; undefined where there is nothing yet. */
  async #measured(player: number, since: number, { key, path = '' }: Measure, manifest: Manifest) {
    const current = currentKey(key, manifest);
    const declared = declarationOf(current, manifest);
    if (isProblem(declared)) return undefined;
    const { declaration } = declared;
    const keys = storedKeys(current, manifest);
    if (declaration.kind === 'currency') {
      const row = await this.#db
        .selectFrom('ledger')
        .select(({ fn }) => fn.sum<number | null>('amount').as('earned'))
        .where('player', '=', player)
        .where('key', 'in', keys)
        .where('op', '=', 'credit')
        .where('at', '>=', since)
        .executeTakeFirst();
      return Number(row?.earned ?? 0);
    }
    if (declaration.kind === 'score') {
      const rows = await this.#db
        .selectFrom('history')
        .select('value')
        .where('player', '=', player)
        .where('key', 'in', keys)
        .where('at', '>=', since)
        .where('removed', '=', 0)
        .orderBy('revision')
        .execute();
      const results = rows.flatMap(({ value }) => (JSON.parse(value) as ScoreValue).latest ?? []);
      if (results.length === 0) return undefined;
      if (declaration.counts === 'sum') return results.reduce((sum, one) => sum + one, 0);
      return declaration.better === 'higher' ? Math.max(...results) : Math.min(...results);
    }
    for (const one of keys) {
      const [row] = await recordUnder(this.#db, player, one);
      const held = row === undefined ? undefined : valueAt(JSON.parse(row.value) as Json, pointerTokens(path) ?? []);
      if (typeof held === 'number') return held;
    }
    const starting = valueAt(startingRecordValue(declaration), pointerTokens(path) ?? []);
    return typeof starting === 'number' ? starting : undefined;
  }
}

const editionsBefore = keptQuery((db, environment: number, before: number, count: number) =>
  db
    .selectFrom('editions')
    .selectAll()
    .where('environment', '=', environment)
    .where('number', '<', before)
    .orderBy('number', 'desc')
    .limit(count),
);

const editionNumbered = keptQuery((db, environment: number, number: number) =>
  db.selectFrom('editions').selectAll().where('environment', '=', environment).where('number', '=', number),
);

const playerNamed = keptQuery((db, environment: number, id: string) =>
  db.selectFrom('players').select(['number', 'name']).where('environment', '=', environment).where('id', '=', id),
);

const newestSession = keptQuery((db, player: number) =>
  db.selectFrom('sessions').select('attributes').where('player', '=', player).orderBy('fence', 'desc').limit(1),
);

const recordUnder = keptQuery((db, player: number, key: string) =>
  db.selectFrom('records').select(['revision', 'value', 'removed']).where('player', '=', player).where('key', '=', key),
);

const sessionWithPlayer = keptQuery((db, id: string) =>
  db
    .selectFrom('sessions')
    .innerJoin('players', 'players.number', 'sessions.player')
    .select(['sessions.environment', 'host', 'attributes', 'manifest_version', 'ended_at'])
    .select(['players.id as player_id', 'players.name'])
    .where('sessions.id', '=', id),
);

const playersOfTrial = keptQuery((db, environment: number, trial: string, after: number, count: number) =>
  db
    .selectFrom('trial_players')
    .select(['player', 'value', 'since'])
    .where('environment', '=', environment)
    .where('trial', '=', trial)
    .where('player', '>', after)
    .orderBy('player')
    .limit(count),
);
