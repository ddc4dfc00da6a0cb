import {
  summedLedger,
  thinningParts,
  usualTerms,
  type DatedRevision,
  type RevisionsGone,
  type SummedLines,
  type Terms,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** Some of what is outdated of a player: as much as goes in one command. */
export type OutdatedPart = { readonly player: number; readonly environment: number } & (
  { readonly key: string; readonly revisions: RevisionsGone } | { readonly lines: SummedLines }
);

/** How many revisions and old lines of one player are looked at in one go: the rest is looked at the next time. */
const mostRows = 5_000;
/** How many rows go in one command. */
const mostGone = 100;

/** Finds what is kept longer than its term: looked for beside the writer, which only takes it away. */
export class OutdatedReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** What is outdated of some players. @returns the number to go on after; null where nobody is left */
  async page(
    after: number,
    count: number,
    now: number,
  ): Promise<{ readonly parts: readonly OutdatedPart[]; readonly next: number | null }> {
    const players = await this.#db
      .selectFrom('players')
      .innerJoin('environments', 'environments.number', 'players.environment')
      .select(['players.number', 'players.environment', 'environments.terms'])
      .where('players.number', '>', after)
      .orderBy('players.number')
      .limit(count)
      .execute();
    const parts: OutdatedPart[] = [];
    for (const { number: player, environment, terms } of players) {
      const kept = termsIn(terms);
      for (const [key, revisions] of await this.#history(player)) {
        for (const gone of thinningParts(revisions, now, kept, mostGone)) {
          parts.push({ player, environment, key, revisions: gone });
        }
      }
      for (const lines of await this.#ledger(player, now, kept)) parts.push({ player, environment, lines });
    }
    const last = players.at(-1)?.number;
    return { parts, next: players.length < count || last === undefined ? null : last };
  }

  /** Where there is more than is looked at, the last of it counts as the newest, and stays for now. */
  async #history(player: number): Promise<ReadonlyMap<string, DatedRevision[]>> {
    const rows = await this.#db
      .selectFrom('history')
      .select(['key', 'revision', 'at', 'session'])
      .where('player', '=', player)
      .orderBy('key')
      .orderBy('revision')
      .limit(mostRows)
      .execute();
    const byKey = new Map<string, DatedRevision[]>();
    for (const { key, ...revision } of rows) {
      const known = byKey.get(key);
      if (known === undefined) byKey.set(key, [revision]);
      else known.push(revision);
    }
    return byKey;
  }

  async #ledger(player: number, now: number, terms: Terms): Promise<SummedLines[]> {
    const lines = await this.#db
      .selectFrom('ledger')
      .select(['number', 'key', 'at', 'amount', 'count'])
      .where('player', '=', player)
      .where('at', '<', now - terms.ledger)
      .orderBy('key')
      .orderBy('number')
      .limit(mostRows)
      .execute();
    return summedLedger(lines, now, terms, mostGone);
  }
}

/** An environment's terms, as they are stored. */
export function termsIn(text: string | null): Terms {
  return text === null ? usualTerms : { ...usualTerms, ...(JSON.parse(text) as Partial<Terms>) };
}
