/** What is known of a refresh token that was shown. Times in milliseconds since 1970, UTC. */
export interface ShownRefreshToken {
  readonly expiresAt: number;
  /** When it was first used; null if never. */
  readonly usedAt: number | null;
  /** Was the one that was given for it used? */
  readonly isNextUsed: boolean;
  /** When its sign-in ended; null while it holds. */
  readonly endedAt: number | null;
}

/** For how long after its use a token may be shown again, where the answer was lost on the way, in milliseconds. */
const lostAnswerFor = 60_000;

/**
 * What becomes of a refresh token: it is good once. Shown again soon, before
 * the one that was given for it was used, its answer was lost; shown again at
 * any other time, somebody has stolen one of them, and the sign-in ends.
 */
export function decideRefresh(
  { expiresAt, usedAt, isNextUsed, endedAt }: ShownRefreshToken,
  now: number,
): 'next' | 'over' | 'reused' {
  if (endedAt !== null || expiresAt <= now) return 'over';
  if (usedAt === null) return 'next';
  return !isNextUsed && now - usedAt <= lostAnswerFor ? 'next' : 'reused';
}
