import type { Kysely, Selectable } from 'kysely';
import { failures } from '../activity-kinds.js';
import { firstAt } from './first-at.js';
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

export interface ActivityPage {
  readonly rows: readonly ActivityRow[];
  /** What to ask for as `before` to go on; null where nothing is left. */
  readonly next: number | null;
}

/** How many lines are read at a time, and how many of one index are looked at for one page. */
const readAtATime = 500;
const mostLookedAt = 2_000;

/** Lines by one index, the newest first: of a place, and of one player, of one who did it, or of one kind. */
interface Looked {
  readonly rows: readonly ActivityRow[];
  /** How far it was looked; null where nothing is left. */
  readonly to: number | null;
}

type Narrowed = readonly [column: 'player' | 'by' | 'what', value: string] | undefined;

/** The log of what happened. */
export class ActivityReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /**
   * What happened in an environment, and to the service as a whole, the newest
   * first. Of rare lines among many it looks at some thousand, and says where
   * to go on: nobody's question walks the whole log.
   *
   * @param before only lines with a smaller number
   * @param after  only lines with a greater number
   */
  async page(
    environment: number,
    count: number,
    filters: ActivityFilters = {},
    { before, after }: { readonly before?: number | undefined; readonly after?: number | undefined } = {},
  ): Promise<ActivityPage> {
    const { player, by, what, failed, since, until } = filters;
    const from = Math.max(after ?? 0, since === undefined ? 0 : (await firstAt(this.#db, 'activity', since)) - 1);
    const to = Math.min(
      before ?? Number.MAX_SAFE_INTEGER,
      until === undefined ? Number.MAX_SAFE_INTEGER : await firstAt(this.#db, 'activity', until),
    );
    const kinds = failed === true ? failures.filter((one) => what === undefined || one === what) : undefined;
    const isMeant = (row: ActivityRow) =>
      (player === undefined || row.player === player) &&
      (by === undefined || row.by === by) &&
      (what === undefined || row.what === what) &&
      (kinds === undefined || kinds.includes(row.what)) &&
      (since === undefined || row.at >= since) &&
      (until === undefined || row.at < until);
    // By the narrowest index; the rest is looked at line by line.
    const narrowed: readonly Narrowed[] =
      player !== undefined
        ? [['player', player]]
        : by !== undefined
          ? [['by', by]]
          : (kinds ?? [what]).map((kind) => (kind === undefined ? undefined : ['what', kind]));
    const looked = await Promise.all(
      [environment, null].flatMap((place) =>
        narrowed.map((one) => this.#look(place, one, { from, to, count }, isMeant)),
      ),
    );
    const lowest = Math.max(0, ...looked.flatMap((one) => one.to ?? []));
    const found = looked
      .flatMap(({ rows }) => rows)
      .filter(({ number }) => number >= lowest)
      .toSorted((one, other) => other.number - one.number);
    const rows = found.slice(0, count);
    const next = found.length > count ? (rows.at(-1)?.number ?? null) : lowest > 0 ? lowest : null;
    return { rows, next };
  }

  async #look(
    place: number | null,
    narrowed: Narrowed,
    { from, to, count }: { readonly from: number; readonly to: number; readonly count: number },
    isMeant: (row: ActivityRow) => boolean,
  ): Promise<Looked> {
    const rows: ActivityRow[] = [];
    let below = to;
    for (let looked = 0; looked < mostLookedAt && rows.length <= count; looked += readAtATime) {
      let lines = this.#db
        .selectFrom('activity')
        .selectAll()
        .where('number', '<', below)
        .where('number', '>', from)
        .orderBy('number', 'desc')
        .limit(readAtATime);
      lines = place === null ? lines.where('environment', 'is', null) : lines.where('environment', '=', place);
      if (narrowed !== undefined) lines = lines.where(narrowed[0], '=', narrowed[1]);
      const read = await lines.execute();
      rows.push(...read.filter(isMeant));
      below = read.at(-1)?.number ?? below;
      if (read.length < readAtATime) return { rows, to: null };
    }
    return { rows, to: below };
  }
}
