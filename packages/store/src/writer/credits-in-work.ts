import { creditPeriods, currentKey, storedKeys, type Manifest, type Transaction } from '@vekkon/core';
import { sql, type Kysely } from 'kysely';
import { keptQuery, keptWrite, type TakesWrites } from '../kept-query.js';
import type { Tables } from '../tables.js';

interface Credited {
  /** In milliseconds since 1970, UTC; of a whole minute, its last one. */
  readonly at: number;
  readonly amount: number;
}

const minute = 60_000;
const minuteOf = (at: number) => Math.floor(at / minute);

/**
 * What was credited to a player lately, for the limits: whole minutes as their
 * sums, and line by line only the minutes in which a period can begin. So it
 * costs the same whatever the length of the ledger.
 */
export class CreditsInWork {
  readonly #db: Kysely<Tables>;
  readonly #player: number;
  readonly #credited = new Map<string, Credited[]>();
  /** What is written, by key and minute. */
  readonly #added = new Map<string, Map<number, number>>();

  constructor(db: Kysely<Tables>, player: number) {
    this.#db = db;
    this.#player = player;
  }

  /**
   * Reads what was credited to the currencies that have a limit, where
   * transactions credit them.
   *
   * @param times when the transactions happened
   */
  async load(transactions: readonly Transaction[], manifest: Manifest, times: readonly number[]): Promise<void> {
    for (const { changes } of transactions) {
      for (const change of changes) {
        const limit = change.op === 'credit' ? limitOf(change.key, manifest) : undefined;
        if (limit !== undefined && !this.#credited.has(limit.key)) await this.#loadOne(limit, manifest, times);
      }
    }
  }

  async #loadOne({ key, period }: Limit, manifest: Manifest, times: readonly number[]): Promise<void> {
    const beginnings = new Set(times.map((at) => minuteOf(at - period)));
    const found: Credited[] = [];
    for (const one of storedKeys(key, manifest)) found.push(...(await this.#creditedSince(one, beginnings)));
    this.#credited.set(key, found);
  }

  /** How much was credited after a moment, what this command did included. */
  since(key: string, since: number): number {
    const credited = this.#credited.get(key) ?? [];
    return credited.reduce((sum, one) => (one.at > since ? sum + one.amount : sum), 0);
  }

  add(key: string, at: number, amount: number): void {
    this.#credited.get(key)?.push({ at, amount });
    const byMinute = this.#added.get(key) ?? new Map<number, number>();
    this.#added.set(key, byMinute.set(minuteOf(at), (byMinute.get(minuteOf(at)) ?? 0) + amount));
  }

  write(place: TakesWrites): void {
    for (const [key, byMinute] of this.#added) {
      for (const [at, amount] of byMinute) addCredited(place, this.#player, key, at, amount);
    }
  }

  async #creditedSince(key: string, beginnings: ReadonlySet<number>): Promise<Credited[]> {
    const found: Credited[] = [];
    for (const whole of await minutesSince(this.#db, this.#player, key, Math.min(...beginnings))) {
      if (!beginnings.has(whole.minute)) {
        found.push({ at: (whole.minute + 1) * minute - 1, amount: whole.amount });
        continue;
      }
      const from = whole.minute * minute;
      found.push(...(await creditsBetween(this.#db, this.#player, key, from, from + minute)));
    }
    return found;
  }
}

/** A currency that has a limit on credits. */
interface Limit {
  readonly key: string;
  /** In milliseconds. */
  readonly period: number;
}

function limitOf(named: string, manifest: Manifest): Limit | undefined {
  const key = currentKey(named, manifest);
  const declaration = manifest.records[key];
  if (declaration?.kind !== 'currency' || declaration.creditLimit === undefined) return undefined;
  return { key, period: creditPeriods[declaration.creditLimit.per] };
}

/** Do transactions credit a currency that has a limit? Then what was credited must be loaded. */
export function creditsWithLimit(transactions: readonly Transaction[], manifest: Manifest): boolean {
  return transactions.some(({ changes }) =>
    changes.some((change) => change.op === 'credit' && limitOf(change.key, manifest) !== undefined),
  );
}

/** In the words of the index that holds credits alone. */
const ofCredits = sql<boolean>`op = 'credit'`;

const minutesSince = keptQuery((db, player: number, key: string, first: number) =>
  db
    .selectFrom('credited')
    .select(['minute', 'amount'])
    .where('player', '=', player)
    .where('key', '=', key)
    .where('minute', '>=', first),
);

const creditsBetween = keptQuery((db, player: number, key: string, from: number, until: number) =>
  db
    .selectFrom('ledger')
    .select(['at', 'amount'])
    .where('player', '=', player)
    .where('key', '=', key)
    .where(ofCredits)
    .where('at', '>=', from)
    .where('at', '<', until),
);

const addCredited = keptWrite((db, player: number, key: string, at: number, amount: number) =>
  db
    .insertInto('credited')
    .values({ player, key, minute: at, amount })
    .onConflict((conflict) =>
      conflict.columns(['player', 'key', 'minute']).doUpdateSet((row) => ({
        amount: row('credited.amount', '+', row.ref('excluded.amount')),
      })),
    ),
);
