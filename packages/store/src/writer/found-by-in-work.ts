import {
  isProblem,
  readFoundBy,
  recordFoundBy,
  valueFoundBy,
  type FoundBy,
  type Manifest,
  type StoredRecord,
} from '@vekkon/core';
import { keptWrite, type TakesWrites } from '../kept-query.js';
import type { FoundByRow } from '../tables.js';
import type { NotedMap } from './undoable.js';

/** What is wanted, by the numbers of environments. */
type Wanted = ReadonlyMap<number, readonly FoundByRow[]>;

/** What players are found by, kept up to date by whatever writes. Where nothing is declared it costs nothing. */
export class FoundByInWork {
  readonly #place: TakesWrites;
  /** What is wanted in all environments: a few. */
  readonly #known: NotedMap<'all', Wanted>;
  readonly #read = new WeakMap<Manifest, Map<string, FoundBy | undefined>>();

  constructor(place: TakesWrites, known: NotedMap<'all', Wanted>) {
    this.#place = place;
    this.#known = known;
  }

  /** It is declared otherwise from now on. */
  forget(): void {
    this.#known.delete('all');
  }

  /** Records of a player are others. @returns what must be waited for, if anything */
  changed(
    environment: number,
    player: number,
    manifest: Manifest,
    changed: ReadonlyMap<string, { readonly record: StoredRecord }>,
  ): Promise<void> | undefined {
    const take = (wanted: Wanted): void => {
      for (const row of wanted.get(environment) ?? []) {
        const foundBy = this.#foundBy(row.of, manifest);
        if (foundBy === undefined || !('key' in foundBy)) continue;
        const found = changed.get(foundBy.key);
        if (found !== undefined) this.#keep(row, player, recordFoundBy(found.record, foundBy, { manifest }));
      }
    };
    const known = this.#known.get('all');
    if (known === undefined) return this.#wanted().then(take);
    take(known);
    return undefined;
  }

  /** A player has joined, with these attributes. */
  async joined(
    environment: number,
    player: number,
    manifest: Manifest,
    attributes: { readonly [name: string]: string | number | boolean },
  ): Promise<void> {
    for (const row of (await this.#wanted()).get(environment) ?? []) {
      const foundBy = this.#foundBy(row.of, manifest);
      if (foundBy === undefined || !('attribute' in foundBy)) continue;
      const { attribute } = foundBy;
      const value = Object.hasOwn(attributes, attribute) ? attributes[attribute] : undefined;
      this.#keep(row, player, valueFoundBy(value, []));
    }
  }

  #keep({ number }: FoundByRow, player: number, found: number | string | null): void {
    const [value, text] = foundColumns(found);
    keepFound(this.#place, number, player, value, text);
  }

  async #wanted(): Promise<Wanted> {
    const known = this.#known.get('all');
    if (known !== undefined) return known;
    const rows = await this.#place.db.selectFrom('found_by').selectAll().where('dropped_at', 'is', null).execute();
    const wanted = new Map<number, FoundByRow[]>();
    for (const row of rows) wanted.set(row.environment, [...(wanted.get(row.environment) ?? []), row]);
    this.#known.set('all', wanted);
    return wanted;
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

/** The columns in which a value lies: of a number, and of a text. */
export function foundColumns(found: number | string | null): readonly [value: number | null, text: string | null] {
  return [typeof found === 'number' ? found : null, typeof found === 'string' ? found : null];
}

const keepFound = keptWrite((db, found_by: number, player: number, value: number | null, text: string | null) =>
  db
    .insertInto('found_values')
    .values({ found_by, player, value, text })
    .onConflict((conflict) =>
      conflict
        .columns(['found_by', 'player'])
        .doUpdateSet((row) => ({ value: row.ref('excluded.value'), text: row.ref('excluded.text') })),
    ),
);
