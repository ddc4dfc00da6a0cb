import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { SessionRow, Tables } from '../tables.js';

/** Sessions by their id, and by their host. */
export class SessionReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  async one(environment: number, id: string): Promise<SessionRow | undefined> {
    return (await sessionNamed(this.#db, id, environment))[0];
  }

  /** A host's newest sessions, with their players. */
  async ofHost(environment: number, host: string, count: number) {
    return this.#db
      .selectFrom('sessions')
      .innerJoin('players', 'players.number', 'sessions.player')
      .selectAll('sessions')
      .leftJoin('sessions as previous', (on) =>
        on
          .onRef('previous.player', '=', 'sessions.player')
          .on('previous.fence', '=', (fence) => fence('sessions.fence', '-', 1)),
      )
      .select(['players.id as player_id', 'players.seen as player_seen', 'previous.seen_at_end as previous_seen'])
      .where('sessions.environment', '=', environment)
      .where('sessions.host', '=', host)
      .orderBy('sessions.joined_at', 'desc')
      .limit(count)
      .execute();
  }
}

const sessionNamed = keptQuery((db, id: string, environment: number) =>
  db.selectFrom('sessions').selectAll().where('id', '=', id).where('environment', '=', environment),
);
