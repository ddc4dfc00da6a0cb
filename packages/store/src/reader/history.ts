import {
  differenceInWords,
  valueDifferences,
  type Json,
  utf8Bytes,
  type Records,
  type StoredRecord,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { HistoryRow, LedgerRow, SessionRow, Tables } from '../tables.js';
import { firstAt } from './first-at.js';
import { recordOf } from '../writer/records-in-work.js';

/** One revision, and what it changed. */
export interface RevisionInWords extends Omit<HistoryRow, 'value' | 'digest'> {
  /** What its value takes, in bytes of UTF-8. */
  readonly bytes: number;
  /** What is different from the revision before it; null where that is kept no more. */
  readonly words: readonly string[] | null;
  /** How many differences there are beyond those. */
  readonly more: number;
}

/** A page of what a player's records held, the newest first. */
export interface HistoryPage {
  readonly revisions: readonly RevisionInWords[];
  /** What to ask for as `before` to get the next page; null on the last. */
  readonly next: number | null;
}

/** One save of a session, and what it changed. */
export interface SessionSave {
  /** The player's commit. */
  readonly seen: number;
  readonly at: number;
  readonly records: readonly RevisionInWords[];
  readonly moved: readonly LedgerRow[];
}

/** A page of a session's saves, the newest first. */
export interface SessionSaves {
  readonly saves: readonly SessionSave[];
  /** What to ask for as `before` to get the next page; null on the last. */
  readonly next: number | null;
}

/** How many movements of one save are told. */
const mostMoved = 50;
/** How many differences of one revision are told. */
const mostWords = 20;

/** Earlier revisions of a player's records, from their history. */
export class HistoryReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /**
   * A page of revisions, those of one commit together.
   *
   * @param keys   the stored keys to look at; all that the player has if left out
   * @param count  how many, or a few more where one commit wrote several
   * @param before only commits before this one, by the player's `seen`
   */
  async page(
    player: number,
    keys: readonly string[] | undefined,
    count: number,
    before = Number.MAX_SAFE_INTEGER,
  ): Promise<HistoryPage> {
    const rows: Pick<HistoryRow, 'key' | 'revision' | 'seen'>[] = [];
    // One key at a time, by its index, from the newest: no more of each than the page can hold, and their values later.
    for (const key of keys ?? (await this.#keysOf(player))) {
      rows.push(...(await revisionsBefore(this.#db, player, key, before, count + 1)));
    }
    rows.sort((one, other) => other.seen - one.seen || (one.key < other.key ? -1 : 1));
    const last = rows.at(Math.min(count, rows.length) - 1)?.seen;
    const revisions = rows.filter(({ seen }) => last !== undefined && seen >= last);
    const next = rows.length > revisions.length ? (last ?? null) : null;
    const inWords: RevisionInWords[] = [];
    for (const { key, revision } of revisions) {
      const row = await this.revision(player, key, revision);
      if (row !== undefined) inWords.push(await this.#inWords(row));
    }
    return { revisions: inWords, next };
  }

  /**
   * The saves of a session that changed something, the newest first.
   *
   * @param before only commits before this one, by the player's `seen`
   */
  async ofSession(
    session: Pick<SessionRow, 'id' | 'player' | 'joined_at' | 'ended_at' | 'seen_at_join' | 'seen_at_end'>,
    count: number,
    before = Number.MAX_SAFE_INTEGER,
  ): Promise<SessionSaves> {
    const { id, player, seen_at_join: first, seen_at_end: last } = session;
    const below = Math.min(before, (last ?? Number.MAX_SAFE_INTEGER - 1) + 1);
    const rows: Pick<HistoryRow, 'key' | 'revision' | 'seen'>[] = [];
    for (const key of await this.#keysOf(player)) {
      rows.push(...(await revisionsOfSession(this.#db, player, key, below, first, id, count + 1)));
    }
    const commits = [...new Set(rows.map(({ seen }) => seen))].sort((one, other) => other - one);
    const shown = commits.slice(0, count);
    const saves: SessionSave[] = [];
    for (const seen of shown) {
      const records: RevisionInWords[] = [];
      for (const { key, revision } of rows.filter((row) => row.seen === seen)) {
        const row = await this.revision(player, key, revision);
        if (row !== undefined) records.push(await this.#inWords(row));
      }
      const at = records[0]?.at ?? 0;
      const currencies = records.flatMap(({ key }) => (key.startsWith('currency/') ? key : []));
      saves.push({ seen, at, records, moved: await this.#moved(player, currencies, id, at) });
    }
    return { saves, next: commits.length > shown.length ? (shown.at(-1) ?? null) : null };
  }

  /** What was credited and debited by a session at a moment. */
  async #moved(player: number, keys: readonly string[], session: string, at: number): Promise<readonly LedgerRow[]> {
    if (keys.length === 0) return [];
    const [from, to] = [await firstAt(this.#db, 'ledger', at), await firstAt(this.#db, 'ledger', at + 1)];
    return this.#db
      .selectFrom('ledger')
      .selectAll()
      .where('player', '=', player)
      .where('key', 'in', [...keys])
      .where('number', '>=', from)
      .where('number', '<', to)
      .where('session', '=', session)
      .orderBy('number')
      .limit(mostMoved)
      .execute();
  }

  async #inWords({ value, digest: _, ...row }: HistoryRow): Promise<RevisionInWords> {
    const older =
      row.revision > 1 ? (await revisionsUpTo(this.#db, row.player, row.key, row.revision - 1))[0] : undefined;
    // Who kept what it follows says so; a gap means that what was between them is kept no more.
    const isFirst = row.revision === 1 || row.follows === 0;
    const isKnown = isFirst || (older !== undefined && (row.follows === null || row.follows === older.revision));
    const valueOf = (one: Pick<HistoryRow, 'value' | 'removed'> | undefined) =>
      one === undefined || one.removed === 1 ? undefined : (JSON.parse(one.value) as Json);
    const differences = isKnown ? valueDifferences(valueOf(older), valueOf({ value, removed: row.removed })) : [];
    return {
      ...row,
      bytes: utf8Bytes(value),
      words: isKnown ? differences.slice(0, mostWords).map(differenceInWords) : null,
      more: Math.max(0, differences.length - mostWords),
    };
  }

  /** One revision of a record. */
  async revision(player: number, key: string, revision: number): Promise<HistoryRow | undefined> {
    const [row] = await revisionsUpTo(this.#db, player, key, revision);
    return row?.revision === revision ? row : undefined;
  }

  /**
   * A player's records as they were at a moment, under the keys of then.
   *
   * @param at milliseconds since 1970, UTC
   */
  async asOf(player: number, at: number): Promise<Records> {
    const found = new Map<string, StoredRecord>();
    for (const key of await this.#keysOf(player)) {
      const [row] = await newestAt(this.#db, player, key, at);
      if (row !== undefined) found.set(key, recordOf(row));
    }
    return found;
  }

  /** The keys under which anything was ever stored: each is looked for after the one before it. */
  async #keysOf(player: number): Promise<readonly string[]> {
    const keys: string[] = [];
    for (let after = ''; ;) {
      const [row] = await nextKey(this.#db, player, after);
      if (row === undefined) return keys;
      keys.push(row.key);
      after = row.key;
    }
  }
}

const revisionsBefore = keptQuery((db, player: number, key: string, before: number, most: number) =>
  db
    .selectFrom('history')
    .select(['key', 'revision', 'seen'])
    .where('player', '=', player)
    .where('key', '=', key)
    .where('seen', '<', before)
    .orderBy('revision', 'desc')
    .limit(most),
);

const revisionsOfSession = keptQuery(
  (db, player: number, key: string, before: number, after: number, session: string, most: number) =>
    db
      .selectFrom('history')
      .select(['key', 'revision', 'seen'])
      .where('player', '=', player)
      .where('key', '=', key)
      .where('seen', '<', before)
      // What the join itself made is what was loaded.
      .where('seen', '>', after)
      .where('session', '=', session)
      .orderBy('revision', 'desc')
      .limit(most),
);

const revisionsUpTo = keptQuery((db, player: number, key: string, revision: number) =>
  db
    .selectFrom('history')
    .selectAll()
    .where('player', '=', player)
    .where('key', '=', key)
    .where('revision', '<=', revision)
    .orderBy('revision', 'desc')
    .limit(1),
);

const newestAt = keptQuery((db, player: number, key: string, at: number) =>
  db
    .selectFrom('history')
    .selectAll()
    .where('player', '=', player)
    .where('key', '=', key)
    .where('at', '<=', at)
    .orderBy('revision', 'desc')
    .limit(1),
);

const nextKey = keptQuery((db, player: number, after: string) =>
  db.selectFrom('history').select('key').where('player', '=', player).where('key', '>', after).orderBy('key').limit(1),
);
