import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** The log of what happened. */
export class ActivityReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** What was done to an environment, and to the service as a whole, the newest first. */
  async newest(environment: number, count: number) {
    const lines = this.#db.selectFrom('activity').selectAll().orderBy('number', 'desc').limit(count);
    const own = await lines.where('environment', '=', environment).execute();
    const ofTheService = await lines.where('environment', 'is', null).execute();
    return [...own, ...ofTheService].toSorted((one, other) => other.number - one.number).slice(0, count);
  }
}
