/** A revision in a record's history. Times in milliseconds since 1970. */
export interface KeptRevision {
  readonly at: number;
  /** It may go: the player's own device wrote it, and wrote over it since. */
  readonly mayGo: boolean;
}

/** How many revisions of one record that players wrote themselves are kept, and how many of the newest in any case. */
export const revisionsByPlayers = 60;
const newestKept = 10;

/**
 * Which revision to give up, so that the older a time is, the fewer of it are
 * kept: the one whose neighbours are closest together for its age.
 *
 * @param revisions a record's history, the newest first
 * @returns its place in the list; undefined where none need go
 */
export function revisionToGiveUp(revisions: readonly KeptRevision[], now: number): number | undefined {
  if (revisions.filter(({ mayGo }) => mayGo).length <= revisionsByPlayers) return undefined;
  let found: number | undefined;
  let closest = Number.POSITIVE_INFINITY;
  for (let place = newestKept; place < revisions.length - 1; place++) {
    const [newer, one, older] = [revisions[place - 1], revisions[place], revisions[place + 1]];
    if (newer === undefined || one === undefined || older === undefined || !one.mayGo) continue;
    const gap = (newer.at - older.at) / Math.max(now - one.at, 1);
    // Of equals the oldest goes.
    if (gap <= closest) [closest, found] = [gap, place];
  }
  return found;
}
