import { sql, type Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** Where counting stops. */
const mostCounted = 10_000;
/** How many sessions are looked at to see what a new game has done so far. */
const mostSessions = 200;

export interface Counted {
  readonly count: number;
  readonly isCapped: boolean;
}

/** What a game has done so far, for one that is new. */
export interface FirstSteps {
  readonly joined: boolean;
  readonly saved: boolean;
  readonly left: boolean;
  /** A join has found what the stay before it had stored. */
  readonly foundAgain: boolean;
}

/** What the overview is made of, as far as it lies in the store. */
export class OverviewReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** How many sessions are open on each host, of all environments: the start of what is counted in memory. */
  async openSessions(): Promise<readonly { environment: number; host: string; sessions: number }[]> {
    return (
      this.#db
        .selectFrom('sessions')
        .select(['environment', 'host'])
        .select(({ fn }) => fn.countAll<number>().as('sessions'))
        .where('ended_at', 'is', null)
        // By the index of open sessions, which are few.
        .where('player', '>', 0)
        .groupBy(['environment', 'host'])
        .execute()
    );
  }

  /** How many players joined last at this time or later; all of them for 0. */
  async joinedSince(environment: number, since: number): Promise<Counted> {
    const some = this.#db
      .selectFrom('players')
      .select('number')
      .where('environment', '=', environment)
      .where(sql<number>`coalesce(players.last_joined_at, 0)`, '>=', since)
      .limit(mostCounted + 1)
      .as('some');
    const row = await this.#db
      .selectFrom(some)
      .select(({ fn }) => fn.countAll<number>().as('players'))
      .executeTakeFirst();
    const players = row?.players ?? 0;
    return { count: Math.min(players, mostCounted), isCapped: players > mostCounted };
  }

  /** What the first sessions of an environment have done. */
  async firstSteps(environment: number): Promise<FirstSteps> {
    const players = await this.#db
      .selectFrom('players')
      .select('number')
      .where('environment', '=', environment)
      .orderBy('number')
      .limit(20)
      .execute();
    const numbers = players.map(({ number }) => number);
    if (numbers.length === 0) return { joined: false, saved: false, left: false, foundAgain: false };
    const sessions = await this.#db
      .selectFrom('sessions')
      .select(['player', 'fence', 'end', 'last_saved_at', 'next_save', 'seen_at_join', 'seen_at_end'])
      .where('player', 'in', numbers)
      .orderBy('player')
      .orderBy('fence')
      .limit(mostSessions)
      .execute();
    return {
      joined: sessions.length > 0,
      saved: sessions.some(({ next_save: next }) => next > 1),
      left: sessions.some(({ end }) => end === 'left'),
      foundAgain: sessions.some((one, index) => {
        const before = sessions[index - 1];
        return before?.player === one.player && before.seen_at_end !== null && before.seen_at_end === one.seen_at_join;
      }),
    };
  }
}
