/** Wrong tries at one thing, one after the other. Times in milliseconds by a clock that never jumps. */
export interface WrongTries {
  readonly count: number;
  readonly lastAt: number;
}

const [firstWait, longestWait] = [30_000, 15 * 60_000];

/**
 * How long whoever was wrong waits before the next try, in milliseconds: not
 * at all for the first few, then each time twice as long, and never longer
 * than a quarter of an hour, so that nobody is shut out for good.
 *
 * @param free how many tries are not waited for
 */
export function waitAfter(count: number, free: number): number {
  if (count < free) return 0;
  return Math.min(longestWait, firstWait * 2 ** Math.min(20, count - free));
}

/** When the next try may be made, by the same clock; in the past where it may be made now. */
export function nextTryAt({ count, lastAt }: WrongTries, free: number): number {
  return lastAt + waitAfter(count, free);
}
