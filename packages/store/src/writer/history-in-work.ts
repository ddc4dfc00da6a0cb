import { isToldByNewer, utf8Bytes } from '@vekkon/core';
import { historyDigest } from '../history-digest.js';
import { keptWrite, type TakesWrites } from '../kept-query.js';
import type { HistoryTable } from '../tables.js';

type NewRevision = Omit<HistoryTable, 'player' | 'seen' | 'digest'>;

/** The revisions that a command makes of one player's records, in as few rows as tell the same. */
export class HistoryInWork {
  readonly #rows: NewRevision[] = [];
  /** Where in them the newest of each key stands. */
  readonly #newest = new Map<string, number>();

  /** @param isTrashed what it replaced lies in the trash, by its revision: that one stays */
  add(row: NewRevision, isTrashed: boolean): void {
    const place = this.#newest.get(row.key);
    const older = place === undefined ? undefined : this.#rows[place];
    if (place !== undefined && older !== undefined && !isTrashed && isToldByNewer(asWritten(older), asWritten(row))) {
      this.#rows[place] = { ...row, follows: older.follows };
      return;
    }
    this.#newest.set(row.key, this.#rows.push(row) - 1);
  }

  /** About how many bytes they take. */
  get bytes(): number {
    return this.#rows.reduce((sum, { value }) => sum + utf8Bytes(value) + rowBytes, 0);
  }

  /** Writes them, as the player's commit `seen`. */
  write(place: TakesWrites, player: number, seen: number): void {
    for (const { key, revision, follows, value, removed, at, session, by, label } of this.#rows) {
      const digest = historyDigest(player, { key, revision, follows, value, removed, seen, at });
      insertRevision(place, player, key, revision, value, removed, seen, at, session, by, label, follows, digest);
    }
  }
}

/** What a row takes beside its value, about. */
export const rowBytes = 200;

function asWritten({ removed, ...row }: NewRevision) {
  return { ...row, removed: removed === 1 };
}

const insertRevision = keptWrite(
  (
    db,
    player: number,
    key: string,
    revision: number,
    value: string,
    removed: number,
    seen: number,
    at: number,
    session: string | null,
    by: string | null,
    label: string | null,
    follows: number | null,
    digest: string | null,
  ) =>
    db
      .insertInto('history')
      .values({ player, key, revision, value, removed, seen, at, session, by, label, follows, digest }),
);
