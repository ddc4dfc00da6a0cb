import { setTimeout as pause } from 'node:timers/promises';
import { currentKey, currentValue, fillIn, misfitOf, type Manifest } from '@vekkon/core';
import { checkSchema } from '@vekkon/core/schema-check';
import type { MisfitCount } from '@vekkon/protocol';
import type { Kysely } from 'kysely';
import { keptQuery } from './kept-query.js';
import { recordOf } from './writer/records-in-work.js';
import type { Tables } from './tables.js';

export const examplesShown = 3;
const playersAtATime = 1_000;

/**
 * Counts the stored records that a manifest would no longer read as they are.
 *
 * @param keys the declared keys, as they are now, under which it looks; all others fit
 */
export async function countMisfits(
  db: Kysely<Tables>,
  environment: number,
  manifest: Manifest,
  keys: ReadonlySet<string>,
): Promise<readonly MisfitCount[]> {
  const counts = new Map<string, { key: string; count: number; examples: MisfitCount['examples'][number][] }>();
  for (const declared of keys) {
    for await (const { player, key, detail } of misfitsUnder(db, environment, manifest, declared)) {
      const found = counts.get(declared) ?? { key: declared, count: 0, examples: [] };
      counts.set(declared, found);
      found.count++;
      if (found.examples.length < examplesShown) found.examples.push({ player, key, detail });
    }
  }
  return [...counts.values()];
}

/** A stored record that a manifest does not read as it is, and why. */
export interface FoundMisfit {
  /** The player's number, and id. */
  readonly number: number;
  readonly player: string;
  readonly key: string;
  readonly detail: string;
}

/** The misfits of one declared key, player by player. */
export async function* misfitsUnder(
  db: Kysely<Tables>,
  environment: number,
  manifest: Manifest,
  declared: string,
): AsyncGenerator<FoundMisfit> {
  let after = 0;
  const whyOf = new KnownMisfits(manifest);
  const breath = new Breath();
  for (;;) {
    const players = await numbersAfter(db, environment, after, playersAtATime);
    const last = players.at(-1)?.number;
    if (last === undefined) return;
    const bounds = [declared, `${declared}/`, afterMembers(declared)] as const;
    for (const row of await recordsOfPage(db, environment, after, last, ...bounds)) {
      const detail = whyOf.detail(row);
      if (detail !== undefined) yield { number: row.number, player: row.id, key: row.key, detail };
    }
    after = last;
    await breath.take();
  }
}

const numbersAfter = keptQuery((db, environment: number, after: number, most: number) =>
  db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('number', '>', after)
    .orderBy('number')
    .limit(most),
);

/** What stands under a declared key, or as a member of its family, of a page of players. */
const recordsOfPage = keptQuery(
  (db, environment: number, after: number, last: number, key: string, members: string, afterThem: string) =>
    db
      .selectFrom('players')
      .innerJoin('records', 'records.player', 'players.number')
      .select(['players.id', 'players.number', 'records.key', 'records.revision', 'records.value', 'records.removed'])
      .where('players.environment', '=', environment)
      .where('players.number', '>', after)
      .where('players.number', '<=', last)
      .where('records.removed', '=', 0)
      .where((where) =>
        where.or([
          where('records.key', '=', key),
          where.and([where('records.key', '>=', members), where('records.key', '<', afterThem)]),
        ]),
      ),
);

/** The misfits of one player under a declared key. */
export async function misfitsOfPlayer(
  db: Kysely<Tables>,
  number: number,
  manifest: Manifest,
  declared: string,
): Promise<readonly FoundMisfit[]> {
  const rows = await recordsOfPlayer(db, number, declared, afterMembers(declared));
  return rows.flatMap(({ id: player, key, ...row }) => {
    if (key !== declared && !key.startsWith(`${declared}/`)) return [];
    const detail = whyMisfit(key, recordOf(row).value, manifest);
    return detail === undefined ? [] : [{ number, player, key, detail }];
  });
}

const recordsOfPlayer = keptQuery((db, number: number, from: string, until: string) =>
  db
    .selectFrom('records')
    .innerJoin('players', 'players.number', 'records.player')
    .select(['players.id', 'records.key', 'records.revision', 'records.value', 'records.removed'])
    .where('records.player', '=', number)
    .where('records.key', '>=', from)
    .where('records.key', '<', until)
    .where('records.removed', '=', 0),
);

/** A family's members follow its key: "0" is the character after "/". */
function afterMembers(declared: string): string {
  return `${declared}0`;
}

/** For how long somebody reads in one go, and then does not, in milliseconds. */
const readsFor = 100;
const restsFor = 20;

/**
 * Others get their turn between pages. Now and then nothing is read for a
 * moment: the writer's log begins anew only while nobody reads, and grows
 * for as long as somebody always does.
 */
export class Breath {
  #since = performance.now();

  async take(): Promise<void> {
    if (performance.now() - this.#since < readsFor) return new Promise((resolve) => setImmediate(resolve));
    await pause(restsFor);
    this.#since = performance.now();
  }

  /** For short steps: nothing until it is time to rest. */
  async takeIfDue(): Promise<void> {
    if (performance.now() - this.#since >= readsFor) await this.take();
  }
}

/** How many values are remembered: most players hold what many others hold. */
const valuesRemembered = 20_000;
const longestRemembered = 1_000;

/** What does not fit, looked at once for each value. */
class KnownMisfits {
  readonly #manifest: Manifest;
  readonly #known = new Map<string, string | undefined>();

  constructor(manifest: Manifest) {
    this.#manifest = manifest;
  }

  detail(row: { readonly key: string; readonly revision: number; readonly value: string; readonly removed: number }) {
    const { key, value } = row;
    const text = `${key} ${value}`;
    if (this.#known.has(text)) return this.#known.get(text);
    const detail = whyMisfit(key, recordOf(row).value, this.#manifest);
    if (this.#known.size < valuesRemembered && text.length < longestRemembered) this.#known.set(text, detail);
    return detail;
  }
}

function whyMisfit(key: string, value: ReturnType<typeof recordOf>['value'], manifest: Manifest): string | undefined {
  const now = currentKey(key, manifest);
  const [kind, name, member] = now.split('/');
  const declaration = manifest.records[`${kind}/${name}`];
  if (declaration === undefined || (declaration.family === undefined) !== (member === undefined)) {
    return 'It is not declared: it is kept, and not read.';
  }
  const current = currentValue(value, declaration, manifest);
  const whole = 'schema' in declaration ? fillIn(current, declaration.schema) : current;
  return misfitOf(whole, declaration, { manifest, check: checkSchema })?.detail;
}
