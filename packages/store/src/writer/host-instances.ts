import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';
import { NotedMap, type Notes } from './undoable.js';

/** Which start of each host's process is the newest: it is the host, all earlier ones were replaced. */
export class HostInstances {
  readonly #newest: NotedMap<string, string>;

  constructor(
    readonly db: Kysely<Tables>,
    notes: Notes,
  ) {
    this.#newest = new NotedMap(notes);
  }

  /**
   * Takes note of a host's call.
   *
   * @returns false if this instance was replaced by a newer one
   */
  async see(environment: number, host: string, instance: string, now: number): Promise<boolean> {
    if ((await this.newestOf(environment, host)) === instance) return true;
    if (await this.isReplaced(environment, host, instance)) return false;
    await this.db.insertInto('host_instances').values({ environment, host, instance, seen_at: now }).execute();
    this.#newest.set(`${environment}/${host}`, instance);
    return true;
  }

  /** Was this instance the host once, and is another now? */
  async isReplaced(environment: number, host: string, instance: string): Promise<boolean> {
    if ((await this.newestOf(environment, host)) === instance) return false;
    const known = await this.db
      .selectFrom('host_instances')
      .select('number')
      .where('environment', '=', environment)
      .where('host', '=', host)
      .where('instance', '=', instance)
      .executeTakeFirst();
    return known !== undefined;
  }

  async newestOf(environment: number, host: string): Promise<string | undefined> {
    const name = `${environment}/${host}`;
    const kept = this.#newest.get(name);
    if (kept !== undefined) return kept;
    const row = await this.db
      .selectFrom('host_instances')
      .select('instance')
      .where('environment', '=', environment)
      .where('host', '=', host)
      .orderBy('number', 'desc')
      .executeTakeFirst();
    if (row !== undefined) this.#newest.set(name, row.instance);
    return row?.instance;
  }
}
