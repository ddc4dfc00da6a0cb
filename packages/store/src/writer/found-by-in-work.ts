import {
  declarationOf,
  isProblem,
  readFoundBy,
  startingRecordValue,
  valueFoundBy,
  type FoundBy,
  type Json,
  type Manifest,
  type StoredRecord,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { FoundByRow, Tables } from '../tables.js';
import type { NotedMap } from './undoable.js';

type Wanted = readonly FoundByRow[];

/** What players are found by, kept up to date by whatever writes. Where nothing is declared it costs nothing. */
export class FoundByInWork {
  readonly #db: Kysely<Tables>;
  /** What is wanted in all environments: a few. */
  readonly #known: NotedMap<'all', Wanted>;
  readonly #read = new WeakMap<Manifest, Map<string, FoundBy | undefined>>();

  constructor(db: Kysely<Tables>, known: NotedMap<'all', Wanted>) {
    this.#db = db;
    this.#known = known;
  }

  /** It is declared otherwise from now on. */
  forget(): void {
    this.#known.delete('all');
  }

  /** Records of a player are others. */
  async changed(
    player: number,
    manifest: Manifest,
    changed: ReadonlyMap<string, { readonly record: StoredRecord }>,
  ): Promise<void> {
    const wanted = await this.#wanted();
    if (wanted.length === 0) return;
    let environment: number | undefined;
    for (const row of wanted) {
      const foundBy = this.#foundBy(row.of, manifest);
      const found = foundBy !== undefined && 'key' in foundBy ? changed.get(foundBy.key) : undefined;
      if (foundBy === undefined || !('key' in foundBy) || found === undefined) continue;
      environment ??= (await environmentOfPlayer(this.#db, player))[0]?.environment;
      if (environment !== row.environment) continue;
      await this.#keep(row, player, valueFoundBy(readValue(found.record, foundBy.key, manifest), foundBy.path));
    }
  }

  /** A player has joined, with these attributes. */
  async joined(
    environment: number,
    player: number,
    manifest: Manifest,
    attributes: { readonly [name: string]: string | number | boolean },
  ): Promise<void> {
    for (const row of await this.#wanted()) {
      if (row.environment !== environment) continue;
      const foundBy = this.#foundBy(row.of, manifest);
      if (foundBy === undefined || !('attribute' in foundBy)) continue;
      const { attribute } = foundBy;
      const value = Object.hasOwn(attributes, attribute) ? attributes[attribute] : undefined;
      await this.#keep(row, player, valueFoundBy(value, []));
    }
  }

  #keep({ number }: FoundByRow, player: number, found: number | string | null): Promise<unknown> {
    const [value, text] = foundColumns(found);
    return keepFound(this.#db, number, player, value, text);
  }

  async #wanted(): Promise<Wanted> {
    const known = this.#known.get('all');
    if (known !== undefined) return known;
    const rows = await this.#db.selectFrom('found_by').selectAll().where('dropped_at', 'is', null).execute();
    this.#known.set('all', rows);
    return rows;
  }

  /** Where it stands under a manifest; undefined where that declares it no more. */
  #foundBy(of: string, manifest: Manifest): FoundBy | undefined {
    const known = this.#read.get(manifest) ?? new Map<string, FoundBy | undefined>();
    if (!known.has(of)) {
      const read = readFoundBy(of, manifest);
      known.set(of, isProblem(read) ? undefined : read);
      this.#read.set(manifest, known);
    }
    return known.get(of);
  }
}

/** As a game reads it: what was removed is what everybody begins with, but for one of a family. */
function readValue(record: StoredRecord, key: string, manifest: Manifest): Json | undefined {
  if (record.removed !== true) return record.value;
  const declared = declarationOf(key, manifest);
  if (isProblem(declared) || declared.member !== undefined) return undefined;
  return startingRecordValue(declared.declaration);
}

/** The columns in which a value lies: of a number, and of a text. */
export function foundColumns(found: number | string | null): readonly [value: number | null, text: string | null] {
  return [typeof found === 'number' ? found : null, typeof found === 'string' ? found : null];
}

const environmentOfPlayer = keptQuery((db, player: number) =>
  db.selectFrom('players').select('environment').where('number', '=', player),
);

const keepFound = keptQuery((db, found_by: number, player: number, value: number | null, text: string | null) =>
  db
    .insertInto('found_values')
    .values({ found_by, player, value, text })
    .onConflict((conflict) =>
      conflict
        .columns(['found_by', 'player'])
        .doUpdateSet((row) => ({ value: row.ref('excluded.value'), text: row.ref('excluded.text') })),
    ),
);
