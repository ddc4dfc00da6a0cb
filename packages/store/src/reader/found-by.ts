import {
  isProblem,
  readFoundBy,
  recordFoundBy,
  storedKeys,
  valueFoundBy,
  type FoundBy,
  type Json,
  type Rules,
  type StoredRecord,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import type { Manifests } from '../manifests.js';
import type { EnvironmentRow, FoundByRow, Tables } from '../tables.js';
import { recordOf } from '../writer/records-in-work.js';
import { countedPage, playersNumbered, type ListedPlayer, type PlayerFilters, type PlayerPage } from './players.js';

/** What of a value is meant: a range of numbers, with its ends, or one value. */
export interface FoundRange {
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  readonly is?: string | undefined;
  /** The least first; else the greatest. */
  readonly isAscending: boolean;
}

/** Of players, by their numbers, what they are found by. */
export interface FoundValues {
  readonly values: readonly (readonly [player: number, value: number | string | null])[];
  /** The last of them; null where nobody is left. */
  readonly through: number | null;
}

/** How many are counted at the most. */
const mostCounted = 1_000;
/** How many values are read at a time, and how many are looked at for one page. */
const readAtATime = 200;
const mostLookedAt = 2_000;

/** What players can be found by, beside their names. */
export class FoundByReads {
  readonly #db: Kysely<Tables>;
  readonly #manifests: Manifests;

  constructor(db: Kysely<Tables>, manifests: Manifests) {
    this.#db = db;
    this.#manifests = manifests;
  }

  /** What is wanted in an environment, in the order in which it was declared. */
  all(environment: number): Promise<readonly FoundByRow[]> {
    return this.#db
      .selectFrom('found_by')
      .selectAll()
      .where('environment', '=', environment)
      .where('dropped_at', 'is', null)
      .orderBy('number')
      .execute();
  }

  /** What has still to be taken in, of all environments. */
  unready(): Promise<readonly FoundByRow[]> {
    return this.#db
      .selectFrom('found_by')
      .selectAll()
      .where('ready_at', 'is', null)
      .where('dropped_at', 'is', null)
      .orderBy('number')
      .execute();
  }

  /** What is stored for the next players of an environment, to be taken in. */
  async values(environment: EnvironmentRow, of: string, after: number, count: number): Promise<FoundValues> {
    const { rules } = await this.#manifests.newestOf(environment);
    const foundBy = readFoundBy(of, rules.manifest);
    const players = await this.#db
      .selectFrom('players')
      .select('number')
      .where('environment', '=', environment.number)
      .where('number', '>', after)
      .orderBy('number')
      .limit(count)
      .execute();
    const numbers = players.map(({ number }) => number);
    const through = players.length < count ? null : (numbers.at(-1) ?? null);
    // It is declared no more: nobody has anything there.
    if (isProblem(foundBy) || numbers.length === 0) return { values: [], through };
    const found = await this.#stored(foundBy, rules, numbers);
    return { values: numbers.map((number) => [number, found.get(number) ?? null]), through };
  }

  async #stored(foundBy: FoundBy, rules: Rules, players: readonly number[]) {
    const found = new Map<number, number | string | null>();
    if ('attribute' in foundBy) {
      const rows = await this.#db
        .selectFrom('sessions')
        .innerJoin('players', (on) =>
          on.onRef('players.number', '=', 'sessions.player').onRef('players.fence', '=', 'sessions.fence'),
        )
        .select(['sessions.player', 'sessions.attributes'])
        .where('sessions.player', 'in', [...players])
        .execute();
      for (const { player, attributes } of rows) {
        const held = JSON.parse(attributes) as { readonly [name: string]: Json };
        found.set(
          player,
          valueFoundBy(Object.hasOwn(held, foundBy.attribute) ? held[foundBy.attribute] : undefined, []),
        );
      }
      return found;
    }
    const stored = new Map<number, StoredRecord>();
    // The key of now last: what lies under it counts.
    for (const key of [...storedKeys(foundBy.key, rules.manifest)].toReversed()) {
      const rows = await this.#db
        .selectFrom('records')
        .select(['player', 'revision', 'value', 'removed'])
        .where('player', 'in', [...players])
        .where('key', '=', key)
        .execute();
      for (const { player, ...row } of rows) stored.set(player, recordOf(row));
    }
    for (const player of players) found.set(player, recordFoundBy(stored.get(player), foundBy, rules));
    return found;
  }

  /**
   * Players by what they are found by, in its order. Where other filters leave
   * few of many, it looks at some thousand and says where to go on.
   */
  async page(
    foundBy: number,
    range: FoundRange,
    meant: PlayerFilters & { readonly search?: string | undefined },
    count: number,
    after?: string,
  ): Promise<PlayerPage> {
    const isNumber = range.is === undefined || (range.is.trim() !== '' && Number.isFinite(Number(range.is)));
    // A text may look like a number, such as that of a build.
    const column = isNumber && !(await this.#isOfTexts(foundBy)) ? ('value' as const) : ('text' as const);
    const direction = range.isAscending ? 'asc' : 'desc';
    const within = this.#within(foundBy, range, column);
    const counted = await this.#db
      .selectFrom(
        within
          .select('player')
          .limit(mostCounted + 1)
          .as('some'),
      )
      .select(({ fn }) => fn.countAll<number>().as('players'))
      .executeTakeFirstOrThrow();
    const found: { readonly player: number; readonly held: number | string | null }[] = [];
    const rows: ListedPlayer[] = [];
    let behind = readCursor(after);
    let isOver = false;
    for (let looked = 0; looked < mostLookedAt && rows.length <= count && !isOver; looked += readAtATime) {
      let some = within
        .select(['player', `${column} as held` as const])
        .orderBy(column, direction)
        .orderBy('player', direction)
        .limit(readAtATime);
      if (behind !== undefined) {
        const [held, player] = behind;
        const [further, than] = range.isAscending ? (['>=', '>'] as const) : (['<=', '<'] as const);
        some = some
          .where(column, further, held as never)
          .where((where) =>
            where.or([
              where(column, than, held as never),
              where.and([where(column, '=', held as never), where('player', than, player)]),
            ]),
          );
      }
      const read = await some.execute();
      isOver = read.length < readAtATime;
      const last = read.at(-1);
      if (last !== undefined) behind = [last.held as number | string, last.player];
      found.push(...read);
      const numbers = read.map(({ player }) => player);
      rows.push(...(await playersNumbered(this.#db, numbers, meant)));
    }
    const heldBy = new Map(found.map(({ player, held }) => [player, held]));
    const players = rows.slice(0, count).map((row) => ({ ...row, found: heldBy.get(row.number) ?? null }));
    const lastShown = players.at(-1);
    const next =
      rows.length > count && lastShown !== undefined
        ? cursorOf(lastShown.found, lastShown.number)
        : isOver || behind === undefined
          ? null
          : cursorOf(behind[0], behind[1]);
    return countedPage(players, counted.players, mostCounted, next);
  }

  #within(foundBy: number, { from, to, is }: FoundRange, column: 'value' | 'text') {
    let within = this.#db.selectFrom('found_values').where('found_by', '=', foundBy).where(column, 'is not', null);
    if (is !== undefined) within = within.where(column, '=', (column === 'value' ? Number(is) : is) as never);
    if (from !== undefined && column === 'value') within = within.where('value', '>=', from);
    if (to !== undefined && column === 'value') within = within.where('value', '<=', to);
    return within;
  }

  /** Does it hold texts and no numbers? */
  async #isOfTexts(foundBy: number): Promise<boolean> {
    const first = (column: 'value' | 'text') =>
      this.#within(foundBy, { isAscending: true }, column).select('player').limit(1).executeTakeFirst();
    return (await first('value')) === undefined && (await first('text')) !== undefined;
  }
}

function cursorOf(held: number | string | null, player: number): string {
  return Buffer.from(JSON.stringify([held, player])).toString('base64url');
}

/** @returns undefined for what is no cursor of ours: then it begins anew */
function readCursor(after: string | undefined): readonly [held: number | string, player: number] | undefined {
  if (after === undefined) return undefined;
  try {
    const [held, player] = JSON.parse(Buffer.from(after, 'base64url').toString()) as [number | string, number];
    return (typeof held === 'number' || typeof held === 'string') && typeof player === 'number'
      ? [held, player]
      : undefined;
  } catch {
    return undefined;
  }
}
