import { outdatedRevisions, summedLedger, usualTerms, type SummedLines, type Terms } from '@vekkon/core';
import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** Revisions of one record that go, and those that follow others then. */
export interface OutdatedOfRecord {
  readonly key: string;
  readonly goes: readonly number[];
  /** What each kept revision follows whose predecessor goes; null where nothing older is left. */
  readonly follows: readonly { readonly revision: number; readonly follows: number | null }[];
}

/** What of a player is outdated. */
export interface OutdatedOfPlayer {
  readonly player: number;
  readonly environment: number;
  readonly history: readonly OutdatedOfRecord[];
  readonly ledger: readonly SummedLines[];
}

/** How many old lines of one player's ledger are looked at in one go: the rest is looked at the next time. */
const mostLines = 5_000;

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
  ): Promise<{ readonly players: readonly OutdatedOfPlayer[]; readonly next: number | null }> {
    const players = await this.#db
      .selectFrom('players')
      .innerJoin('environments', 'environments.number', 'players.environment')
      .select(['players.number', 'players.environment', 'environments.terms'])
      .where('players.number', '>', after)
      .orderBy('players.number')
      .limit(count)
      .execute();
    const outdated: OutdatedOfPlayer[] = [];
    for (const { number: player, environment, terms } of players) {
      const kept = termsIn(terms);
      const history = await this.#history(player, now, kept);
      const ledger = await this.#ledger(player, now, kept);
      if (history.length > 0 || ledger.length > 0) outdated.push({ player, environment, history, ledger });
    }
    const last = players.at(-1)?.number;
    return { players: outdated, next: players.length < count || last === undefined ? null : last };
  }

  async #history(player: number, now: number, terms: Terms): Promise<OutdatedOfRecord[]> {
    const rows = await this.#db
      .selectFrom('history')
      .select(['key', 'revision', 'at', 'session'])
      .where('player', '=', player)
      .orderBy('key')
      .orderBy('revision')
      .execute();
    const byKey = new Map<string, typeof rows>();
    for (const row of rows) {
      const known = byKey.get(row.key);
      if (known === undefined) byKey.set(row.key, [row]);
      else known.push(row);
    }
    return [...byKey].flatMap(([key, revisions]) => {
      const goes = outdatedRevisions(revisions, now, terms);
      if (goes.length === 0) return [];
      const gone = new Set(goes);
      const follows = revisions.flatMap(({ revision }, index) => {
        const before = revisions[index - 1]?.revision;
        if (gone.has(revision) || before === undefined || !gone.has(before)) return [];
        const older = revisions.slice(0, index).findLast((one) => !gone.has(one.revision));
        return [{ revision, follows: older?.revision ?? null }];
      });
      return [{ key, goes, follows }];
    });
  }

  async #ledger(player: number, now: number, terms: Terms): Promise<SummedLines[]> {
    const lines = await this.#db
      .selectFrom('ledger')
      .select(['number', 'key', 'at', 'amount', 'count'])
      .where('player', '=', player)
      .where('at', '<', now - terms.ledger)
      .orderBy('key')
      .orderBy('number')
      .limit(mostLines)
      .execute();
    return summedLedger(lines, now, terms);
  }
}

/** An environment's terms, as they are stored. */
export function termsIn(text: string | null): Terms {
  return text === null ? usualTerms : { ...usualTerms, ...(JSON.parse(text) as Partial<Terms>) };
}
