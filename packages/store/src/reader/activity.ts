import type { Kysely, Selectable } from 'kysely';
import { failures } from '../activity-kinds.js';
import type { ActivityTable, Tables } from '../tables.js';

export type ActivityRow = Selectable<ActivityTable>;

/** Which lines are meant; times in milliseconds since 1970, UTC. */
export interface ActivityFilters {
  readonly player?: string | undefined;
  /** Who did it: a host, a key or an operator. */
  readonly by?: string | undefined;
  readonly what?: string | undefined;
  /** Only what did not come about as it was meant to. */
  readonly failed?: boolean | undefined;
  readonly since?: number | undefined;
  readonly until?: number | undefined;
}

/** The log of what happened. */
export class ActivityReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /**
   * What happened in an environment, and to the service as a whole, the newest first.
   *
   * @param before only lines with a smaller number
   * @param after  only lines with a greater number
   */
  async page(
    environment: number,
    count: number,
    filters: ActivityFilters = {},
    { before, after }: { readonly before?: number | undefined; readonly after?: number | undefined } = {},
  ): Promise<readonly ActivityRow[]> {
    const { player, by, what, failed, since, until } = filters;
    // Each kind by its own index: several at once would all be sorted.
    const kinds = failed === true ? failures.filter((one) => what === undefined || one === what) : [what];
    const pages = await Promise.all(
      [environment, null].flatMap((place) =>
        kinds.map((kind) => {
          let lines = this.#db.selectFrom('activity').selectAll().orderBy('number', 'desc').limit(count);
          lines = place === null ? lines.where('environment', 'is', null) : lines.where('environment', '=', place);
          if (kind !== undefined) lines = lines.where('what', '=', kind);
          if (player !== undefined) lines = lines.where('player', '=', player);
          if (by !== undefined) lines = lines.where('by', '=', by);
          if (since !== undefined) lines = lines.where('at', '>=', since);
          if (until !== undefined) lines = lines.where('at', '<', until);
          if (before !== undefined) lines = lines.where('number', '<', before);
          if (after !== undefined) lines = lines.where('number', '>', after);
          return lines.execute();
        }),
      ),
    );
    return pages
      .flat()
      .toSorted((one, other) => other.number - one.number)
      .slice(0, count);
  }
}
