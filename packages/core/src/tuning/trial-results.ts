import { mean, probit, sampleVariance } from 'simple-statistics';
import { bin, extent } from 'd3-array';

/** What a trial has come to for one of its values. */
export interface TrialResult {
  /** How many players were given it. */
  readonly players: number;
  /** How many of them have something to measure. */
  readonly measured: number;
  readonly mean: number | null;
  /** The 95 % interval of the mean; null where there are fewer than two. */
  readonly interval: readonly [number, number] | null;
  /** How many results lie in each bin; the bins are the same for all values. */
  readonly counts: readonly number[];
  /** How it differs from the first value; null for the first, and where too few are measured. */
  readonly difference: TrialDifference | null;
}

export interface TrialDifference {
  readonly mean: number;
  readonly interval: readonly [number, number];
  /** Does the interval lie wholly on one side of 0? */
  readonly isClear: boolean;
}

export interface TrialResults {
  readonly results: readonly TrialResult[];
  /** The edges of the bins: one more than there are bins. */
  readonly bins: readonly number[];
  /** Can anything be told yet? */
  readonly verdict: 'too-few' | 'no-clear-difference' | 'clear-difference';
}

/** With fewer measured players for a value nothing is told: the mean is not near enough to normal. */
export const fewestMeasured = 30;
const mostBins = 12;

/**
 * Compares the values of a trial by what was measured for the players who got
 * them: means with their 95 % intervals (normal approximation), and each
 * value's difference from the first (Welch's standard error, with Bonferroni's
 * correction for as many comparisons as there are).
 *
 * @param measured for each value of the trial: how many players got it, and their results
 */
export function trialResults(
  measured: readonly { readonly players: number; readonly results: readonly number[] }[],
): TrialResults {
  const all = measured.flatMap(({ results }) => results);
  const [lowest, highest] = extent(all);
  const makeBins = bin().thresholds(mostBins);
  const made = lowest === undefined ? [] : makeBins(all);
  const thresholds = made.slice(1).map(({ x0 }) => x0 ?? 0);
  const binned = bin()
    .domain([lowest ?? 0, highest ?? 0])
    .thresholds(thresholds);
  const comparisons = Math.max(measured.length - 1, 1);
  const first = measured[0]?.results ?? [];
  const results = measured.map(({ players, results: own }, index): TrialResult => {
    const isMeasured = own.length > 0;
    return {
      players,
      measured: own.length,
      mean: isMeasured ? mean([...own]) : null,
      interval: own.length < 2 ? null : around(mean([...own]), standardError(own), 1),
      counts: made.length === 0 ? [] : binned([...own]).map((one) => one.length),
      difference: index === 0 ? null : differenceOf(own, first, comparisons),
    };
  });
  const isEnough = measured.every((one) => one.results.length >= fewestMeasured);
  const isClear = results.some(({ difference }) => difference?.isClear === true);
  return {
    results,
    bins: made.length === 0 ? [] : [lowest ?? 0, ...thresholds, highest ?? 0],
    verdict: !isEnough ? 'too-few' : isClear ? 'clear-difference' : 'no-clear-difference',
  };
}

function differenceOf(own: readonly number[], first: readonly number[], comparisons: number): TrialDifference | null {
  if (own.length < fewestMeasured || first.length < fewestMeasured) return null;
  const difference = mean([...own]) - mean([...first]);
  const error = Math.hypot(standardError(own), standardError(first));
  const interval = around(difference, error, comparisons);
  return { mean: difference, interval, isClear: interval[0] > 0 || interval[1] < 0 };
}

function standardError(values: readonly number[]): number {
  return Math.sqrt(sampleVariance([...values]) / values.length);
}

function around(middle: number, error: number, comparisons: number): readonly [number, number] {
  const reach = probit(1 - 0.025 / comparisons) * error;
  return [middle - reach, middle + reach];
}
