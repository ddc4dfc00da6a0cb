/** What stands in history beside a revision's value. */
export interface WrittenRevision {
  readonly key: string;
  readonly removed: boolean;
  /** Milliseconds since 1970, UTC. */
  readonly at: number;
  readonly session: string | null;
  readonly by: string | null;
  /** The name of the transaction that wrote it. */
  readonly label: string | null;
}

/**
 * Of two revisions of one record in one commit, one after the other: does the
 * newer tell all that there is to tell? The older was never on disk alone, so
 * nobody has read it. It stays where it says something of its own: a
 * transaction's name, a removal, another moment, a result for a board.
 */
export function isToldByNewer(older: WrittenRevision, newer: WrittenRevision): boolean {
  return (
    older.label === null &&
    newer.label === null &&
    !older.removed &&
    !newer.removed &&
    older.at === newer.at &&
    older.session === newer.session &&
    older.by === newer.by &&
    !newer.key.startsWith('score/')
  );
}
