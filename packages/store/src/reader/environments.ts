import type { Kysely } from 'kysely';
import type { EnvironmentRow, Tables } from '../tables.js';

/** The games' environments. */
export class EnvironmentReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  async one(number: number): Promise<EnvironmentRow> {
    return this.#db.selectFrom('environments').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  }

  /** How much of what was kept longer than its term went. */
  async pruned(number: number): Promise<readonly { what: string; rows: number; at: number }[]> {
    return this.#db
      .selectFrom('pruned')
      .select(['what', 'rows', 'at'])
      .where('environment', '=', number)
      .orderBy('what')
      .execute();
  }

  async named(game: string, name: string): Promise<EnvironmentRow | undefined> {
    return this.#db
      .selectFrom('environments')
      .selectAll()
      .where('game', '=', game)
      .where('name', '=', name)
      .executeTakeFirst();
  }

  async all(): Promise<readonly EnvironmentRow[]> {
    return this.#db.selectFrom('environments').selectAll().orderBy('number').execute();
  }
}
