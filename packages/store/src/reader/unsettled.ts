import type { ExpressionBuilder, Kysely } from 'kysely';
import type { Tables, UnsettledRow } from '../tables.js';
import { countedHost } from '../writer/unsettled-sums.js';

/** Which of the unsettled transactions are meant; times in milliseconds since 1970, UTC. */
export interface UnsettledFilters {
  /** The player's id. */
  readonly player?: string | undefined;
  readonly host?: string | undefined;
  readonly reason?: string | undefined;
  /** The last of the alike ones came at or after this, and before that. */
  readonly since?: number | undefined;
  readonly until?: number | undefined;
}

export type UnsettledOfPlayer = UnsettledRow & { readonly player_id: string };

/** How many match, and how many transactions that is with all the alike ones. */
export interface UnsettledCount {
  readonly unlike: number;
  readonly transactions: number;
  /** Counting stopped: there are more. */
  readonly isCapped: boolean;
}

/** Where counting stops that no sum knows. */
const mostCounted = 10_000;

/** The transactions that wait for a person. */
export class UnsettledReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /**
   * A page of what is unsettled, the newest first.
   *
   * @param after what the page before gave as `next`
   */
  async page(
    environment: number,
    filters: UnsettledFilters,
    count: number,
    after?: string,
  ): Promise<{ readonly rows: readonly UnsettledOfPlayer[]; readonly next: string | null }> {
    const player = await numberOf(this.#db, environment, filters.player);
    if (player === null) return { rows: [], next: null };
    let found = matching(this.#db, environment, filters, player)
      .innerJoin('players', 'players.number', 'unsettled.player')
      .selectAll('unsettled')
      .select('players.id as player_id');
    const [at, id] = splitCursor(after);
    if (at !== undefined && id !== undefined) {
      found = found.where((where) =>
        where.or([
          where('unsettled.last_at', '<', at),
          where.and([where('unsettled.last_at', '=', at), where('unsettled.id', '<', id)]),
        ]),
      );
    }
    const rows = await found
      .orderBy('unsettled.last_at', 'desc')
      .orderBy('unsettled.id', 'desc')
      .limit(count + 1)
      .execute();
    const page = rows.slice(0, count);
    const last = page.at(-1);
    return { rows: page, next: rows.length > count && last !== undefined ? `${last.last_at}.${last.id}` : null };
  }

  /** Counts what matches, from sums where there are any, else as far as counting goes. */
  async count(environment: number, filters: UnsettledFilters): Promise<UnsettledCount> {
    const { player: named, host, reason, since, until } = filters;
    const player = await numberOf(this.#db, environment, named);
    if (player === null) return { unlike: 0, transactions: 0, isCapped: false };
    const isByTime = since !== undefined || until !== undefined;
    const isOnOneDevice = host !== undefined && countedHost(host) !== host;
    if (!isByTime && !isOnOneDevice && player === undefined) return sumOf(this.#db, environment, host, reason);
    if (!isByTime && player !== undefined && host === undefined && reason === undefined)
      return ofPlayer(this.#db, player);
    const counted = matching(this.#db, environment, filters, player)
      .select('unsettled.count')
      .limit(mostCounted + 1)
      .as('counted');
    const { unlike, transactions } = await this.#db
      .selectFrom(counted)
      .select(({ fn }) => [
        fn.countAll<number>().as('unlike'),
        fn.sum<number | null>('counted.count').as('transactions'),
      ])
      .executeTakeFirstOrThrow();
    const isCapped = unlike > mostCounted;
    return { unlike: Math.min(unlike, mostCounted), transactions: transactions ?? 0, isCapped };
  }

  /** Where unsettled transactions pile up: by reason and host, and the players who hold the most. */
  async sums(environment: number) {
    const all = await sumOf(this.#db, environment, undefined, undefined);
    const sums = await this.#db
      .selectFrom('unsettled_sums')
      .select(['reason', 'host', 'unlike', 'transactions'])
      .where('environment', '=', environment)
      .orderBy('transactions', 'desc')
      .orderBy('reason')
      .orderBy('host')
      .limit(100)
      .execute();
    const players = await this.#db
      .selectFrom('unsettled_of_players')
      .innerJoin('players', 'players.number', 'unsettled_of_players.player')
      .select(['players.id', 'unlike', 'transactions', 'bytes'])
      .where('unsettled_of_players.environment', '=', environment)
      .orderBy('transactions', 'desc')
      .limit(20)
      .execute();
    return { ...all, sums, players };
  }
}

async function sumOf(
  db: Kysely<Tables>,
  environment: number,
  host: string | undefined,
  reason: string | undefined,
): Promise<UnsettledCount> {
  let sums = db.selectFrom('unsettled_sums').where('environment', '=', environment);
  if (host !== undefined) sums = sums.where('host', '=', host);
  if (reason !== undefined) sums = sums.where('reason', '=', reason);
  const { unlike, transactions } = await sums
    .select(({ fn }) => [
      fn.sum<number | null>('unlike').as('unlike'),
      fn.sum<number | null>('transactions').as('transactions'),
    ])
    .executeTakeFirstOrThrow();
  return { unlike: unlike ?? 0, transactions: transactions ?? 0, isCapped: false };
}

async function ofPlayer(db: Kysely<Tables>, player: number): Promise<UnsettledCount> {
  const held = await db
    .selectFrom('unsettled_of_players')
    .select(['unlike', 'transactions'])
    .where('player', '=', player)
    .executeTakeFirst();
  return { unlike: held?.unlike ?? 0, transactions: held?.transactions ?? 0, isCapped: false };
}

function matching(
  db: Kysely<Tables>,
  environment: number,
  { host, reason, since, until }: UnsettledFilters,
  player: number | undefined,
) {
  return db
    .selectFrom('unsettled')
    .where((where: ExpressionBuilder<Tables, 'unsettled'>) =>
      where.and([
        player === undefined
          ? where('unsettled.environment', '=', environment)
          : where('unsettled.player', '=', player),
        ...(host === undefined ? [] : [where('unsettled.host', '=', host)]),
        ...(reason === undefined ? [] : [where('unsettled.reason', '=', reason)]),
        ...(since === undefined ? [] : [where('unsettled.last_at', '>=', since)]),
        ...(until === undefined ? [] : [where('unsettled.last_at', '<', until)]),
      ]),
    );
}

/** The number of a named player; null if nobody knows them, undefined if none was named. */
async function numberOf(db: Kysely<Tables>, environment: number, id: string | undefined) {
  if (id === undefined) return undefined;
  const row = await db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('id', '=', id)
    .executeTakeFirst();
  return row?.number ?? null;
}

function splitCursor(after: string | undefined): [number | undefined, string | undefined] {
  const [, at, id] = /^(\d{1,16})\.(uns_[\w-]+)$/.exec(after ?? '') ?? [];
  return [at === undefined ? undefined : Number(at), id];
}
