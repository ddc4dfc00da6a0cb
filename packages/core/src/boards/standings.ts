import type { ScoreDeclaration } from '../manifest/manifest.js';

/** What a player has reached in a season. */
export interface Reached {
  readonly value: number;
  /** When, in milliseconds since 1970. */
  readonly reached: number;
}

type Ordering = Pick<ScoreDeclaration, 'better' | 'counts'>;

/** Is one value better than another, as a board orders them? */
export function isBetter(one: number, other: number, better: ScoreDeclaration['better']): boolean {
  return better === 'higher' ? one > other : one < other;
}

/**
 * A player's standing after one more result. Of equal ones the earlier stays.
 *
 * @returns the standing, and whether the result changed it
 */
export function standingAfter(
  before: Reached | undefined,
  { value, reached }: Reached,
  { better, counts }: Ordering,
): Reached & { readonly kept: boolean } {
  if (before === undefined || counts === 'newest') return { value, reached, kept: true };
  if (counts === 'sum') return { value: before.value + value, reached, kept: true };
  return isBetter(value, before.value, better) ? { value, reached, kept: true } : { ...before, kept: false };
}

/** Must a person look at a result before it counts? */
export function isDoubtful(value: number, { doubtful }: Pick<ScoreDeclaration, 'doubtful'>): boolean {
  if (doubtful === undefined) return false;
  const { above, below } = doubtful;
  return (above !== undefined && value > above) || (below !== undefined && value < below);
}

/**
 * What a store orders by without knowing the board's rule: the smaller, the
 * better. Given what was made of a value, it gives the value back.
 */
export function worthOf(value: number, better: ScoreDeclaration['better']): number {
  return better === 'higher' ? -value : value;
}

/**
 * Of a hundred standings, how many a rank is at least as good as.
 *
 * @param rank from 1
 * @param of   how many standings there are
 */
export function percentileOf(rank: number, of: number): number {
  return Math.round((10_000 * (of - rank + 1)) / of) / 100;
}
