import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';
import {
  isOfCheckpoints,
  type Checkpoint,
  type CheckpointsAtHand,
  type Json,
  type MadeCheckpoint,
  type OutsideChange,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import { rfc3339 } from '../clock.js';
import { keptQuery } from '../kept-query.js';
import type { WriterContext } from './context.js';

type Place = Pick<WriterContext, 'db'>;

/**
 * One player's checkpoints while a command changes their records, and what
 * came from outside since. Read only where a transaction asks for them.
 */
export class CheckpointsInWork {
  readonly #place: Place;
  readonly #player: number;
  #byName: Map<string, Checkpoint> | undefined;
  #outside: readonly (OutsideChange & { readonly seen: number })[] = [];
  readonly #made: { readonly made: MadeCheckpoint; readonly by: string | null; readonly at: number }[] = [];
  readonly #noted: { readonly content: object; readonly at: number }[] = [];

  constructor(place: Place, player: number) {
    this.#place = place;
    this.#player = player;
  }

  /** Reads what transactions that make or load checkpoints need: the list, and what those hold that are loaded. */
  async load(transactions: readonly Transaction[]): Promise<void> {
    if (!areForCheckpoints(transactions)) return;
    const changes = transactions.flatMap((one) => one.changes);
    const restores = new Set(changes.flatMap((change) => (change.op === 'restore' ? [change.name] : [])));
    const rows = await checkpointsOf(this.#place.db, this.#player);
    this.#byName = new Map();
    for (const { name, summary, at, seen } of rows) {
      const held = restores.has(name) ? await recordsOfCheckpoint(this.#place.db, this.#player, name) : [];
      const records = held[0] === undefined ? undefined : recordsIn(held[0].records);
      this.#byName.set(name, { name, summary, at: rfc3339(at), seen, records });
    }
    if (restores.size === 0) return;
    const oldest = Math.min(...rows.flatMap((row) => (restores.has(row.name) ? [row.seen] : [])));
    const outside = await outsideRows(this.#place.db, this.#player, Number.isFinite(oldest) ? oldest : 0);
    this.#outside = outside.map((row) => ({ ...outsideOf(row), seen: row.seen }));
  }

  /** What came from outside after a commit, in order. */
  async outsideSince(seen: number): Promise<readonly OutsideChange[]> {
    return (await outsideRows(this.#place.db, this.#player, seen)).map(outsideOf);
  }

  /** What the rules are told; undefined where nothing was asked for. */
  atHand(seen: number): CheckpointsAtHand | undefined {
    const byName = this.#byName;
    if (byName === undefined) return undefined;
    const outsideSince = (since: number) => this.#outside.filter((one) => one.seen > since);
    return { byName, areAll: true, seen, outsideSince };
  }

  /** Takes over what a transaction made. */
  add(made: readonly MadeCheckpoint[], by: string | null, at: number): void {
    for (const one of made) {
      if (one.instead !== undefined) this.#byName?.delete(one.instead);
      this.#byName?.set(one.checkpoint.name, one.checkpoint);
      this.#made.push({ made: one, by, at });
    }
  }

  /** A change from outside, to be applied again by restores. */
  noteOutside(content: Readonly<Record<string, unknown>>, at: number): void {
    this.#noted.push({ content, at });
  }

  get hasSomethingToWrite(): boolean {
    return this.#made.length > 0 || this.#noted.length > 0;
  }

  /** @param seen the player's commit that this is part of */
  async write(seen: number): Promise<void> {
    const { db } = this.#place;
    const player = this.#player;
    for (const { made, by, at } of this.#made) {
      const { checkpoint, instead } = made;
      if (instead !== undefined) await giveUp(db, at, player, instead);
      const { name, summary, seen: known, records = new Map<string, StoredRecord>() } = checkpoint;
      const content = JSON.stringify(Object.fromEntries(records));
      const row = { player, name, summary, at, by, by_operator: 0, seen: known, records: content, given_up_at: null };
      await db.insertInto('checkpoints').values(row).execute();
    }
    if (this.#noted.length === 0 || (await anyCheckpoint(db, player)).length === 0) return;
    for (const { content, at } of this.#noted) {
      await db
        .insertInto('outside_changes')
        .values({ player, seen, at, content: JSON.stringify(content) })
        .execute();
    }
  }
}

/** Do transactions make or load checkpoints? Few do. */
export function areForCheckpoints(transactions: readonly Transaction[]): boolean {
  return transactions.some(({ changes }) => changes.some(isOfCheckpoints));
}

/** What came from outside to a player after a commit, in order. */
export async function outsideSince(
  db: Kysely<Tables>,
  player: number,
  seen: number,
): Promise<readonly OutsideChange[]> {
  return (await outsideRows(db, player, seen)).map(outsideOf);
}

/** What a checkpoint holds. */
export function recordsIn(text: string): ReadonlyMap<string, StoredRecord> {
  return new Map(Object.entries(JSON.parse(text) as { [key: string]: { revision: number; value: Json } }));
}

const checkpointsOf = keptQuery((db, player: number) =>
  db
    .selectFrom('checkpoints')
    .select(['name', 'summary', 'at', 'seen'])
    .where('player', '=', player)
    .where('by_operator', '=', 0)
    .where('given_up_at', 'is', null)
    .orderBy('number'),
);

const recordsOfCheckpoint = keptQuery((db, player: number, name: string) =>
  db
    .selectFrom('checkpoints')
    .select('records')
    .where('player', '=', player)
    .where('name', '=', name)
    .where('given_up_at', 'is', null),
);

function outsideOf({ at, content }: { readonly at: number; readonly content: string }): OutsideChange {
  return { ...(JSON.parse(content) as OutsideChange), at: rfc3339(at) };
}

const outsideRows = keptQuery((db, player: number, seen: number) =>
  db
    .selectFrom('outside_changes')
    .select(['seen', 'at', 'content'])
    .where('player', '=', player)
    .where('seen', '>', seen)
    .orderBy('number'),
);

const anyCheckpoint = keptQuery((db, player: number) =>
  db.selectFrom('checkpoints').select('number').where('player', '=', player).limit(1),
);

const giveUp = keptQuery((db, given_up_at: number, player: number, name: string) =>
  db
    .updateTable('checkpoints')
    .set({ given_up_at })
    .where('player', '=', player)
    .where('name', '=', name)
    .where('given_up_at', 'is', null),
);
