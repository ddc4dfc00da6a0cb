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
import type { HistoryRow, Tables } from '../tables.js';
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
