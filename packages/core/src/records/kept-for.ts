/** How long what was is kept, in milliseconds; set for each environment. */
export interface Terms {
  /** Every revision of a record. */
  readonly revisions: number;
  /** Then the last that each session made, and whatever people did. */
  readonly ofSessions: number;
  /** Then the last of each day (UTC). */
  readonly ofDays: number;
  /** Every line of the ledger; older ones are summed, one a day. */
  readonly ledger: number;
}

const hour = 3_600_000;
const day = 24 * hour;

export const usualTerms: Terms = { revisions: hour, ofSessions: 30 * day, ofDays: 365 * day, ledger: 730 * day };

/** A revision in the history of one record. */
export interface DatedRevision {
  readonly revision: number;
  /** Milliseconds since 1970, UTC. */
  readonly at: number;
  /** Null where it came from outside a session. */
  readonly session: string | null;
}

/**
 * The revisions of one record that need not be kept any more: the newest
 * always is, and so is each that was made lately.
 *
 * @param revisions in order, the oldest first
 */
export function outdatedRevisions(revisions: readonly DatedRevision[], now: number, terms: Terms): number[] {
  return revisions.flatMap(({ revision, at, session }, index) => {
    const next = revisions[index + 1];
    const age = now - at;
    if (next === undefined || age <= terms.revisions) return [];
    const isLastOfSession = session === null || next.session !== session;
    if (age <= terms.ofSessions) return isLastOfSession ? [] : [revision];
    if (age <= terms.ofDays) return Math.floor(next.at / day) === Math.floor(at / day) ? [revision] : [];
    return [revision];
  });
}

/** Some revisions that go together, and what takes their place in the chain of the history. */
export interface RevisionsGone {
  readonly goes: readonly number[];
  /** The revision that followed the last of them. */
  readonly next: number;
  /** What it follows then; null where nothing older is left. */
  readonly follows: number | null;
}

/**
 * The outdated revisions of one record in parts, each of which leaves a history
 * that is whole, so that no part keeps others waiting for long.
 *
 * @param revisions in order, the oldest first
 * @param atMost    how many go in one part
 */
export function thinningParts(
  revisions: readonly DatedRevision[],
  now: number,
  terms: Terms,
  atMost: number,
): RevisionsGone[] {
  const gone = new Set(outdatedRevisions(revisions, now, terms));
  const parts: RevisionsGone[] = [];
  let follows: number | null = null;
  let goes: number[] = [];
  for (const { revision } of revisions) {
    if (goes.length >= atMost || (goes.length > 0 && !gone.has(revision))) {
      parts.push({ goes, next: revision, follows });
      goes = [];
    }
    if (gone.has(revision)) goes.push(revision);
    else follows = revision;
  }
  return parts;
}

/** A line of a player's ledger. */
export interface DatedLine {
  readonly number: number;
  readonly key: string;
  readonly at: number;
  readonly amount: number;
  readonly count: number;
}

/** Lines that become one: the last of them, which keeps its balance. */
export interface SummedLines {
  /** The number of the last, which stays. */
  readonly number: number;
  /** The others, which go. */
  readonly goes: readonly number[];
  readonly amount: number;
  readonly count: number;
  /** The day, as 2024-11-26. */
  readonly day: string;
}

/**
 * What of a ledger is summed: of each currency and day that lies back far
 * enough, one line with all that moved.
 *
 * @param lines  of one player, in order
 * @param atMost how many become one at a time: of a day with more its first, which can be summed with the rest later
 */
export function summedLedger(
  lines: readonly DatedLine[],
  now: number,
  { ledger }: Terms,
  atMost = Number.POSITIVE_INFINITY,
): SummedLines[] {
  const groups = new Map<string, DatedLine[]>();
  for (const line of lines) {
    // A day is summed when all of it lies back far enough.
    const begins = Math.floor(line.at / day);
    if ((begins + 1) * day > now - ledger) continue;
    const name = `${begins} ${line.key}`;
    const group = groups.get(name) ?? [];
    groups.set(name, group);
    if (group.length < atMost) group.push(line);
  }
  return [...groups.values()].flatMap((group) => {
    const last = group.at(-1);
    if (last === undefined || group.length < 2) return [];
    return {
      number: last.number,
      goes: group.slice(0, -1).map(({ number }) => number),
      amount: group.reduce((sum, { amount }) => sum + amount, 0),
      count: group.reduce((sum, { count }) => sum + count, 0),
      day: new Date(last.at).toISOString().slice(0, 10),
    };
  });
}
