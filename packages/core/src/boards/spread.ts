import { bin, quantileSorted, ticks } from 'd3-array';

/** How results are spread. */
export interface Spread {
  readonly count: number;
  readonly lowest: number | null;
  readonly highest: number | null;
  readonly median: number | null;
  /** Neighbouring stretches from low to high, each with its lower bound included. */
  readonly bins: readonly { readonly from: number; readonly until: number; readonly count: number }[];
  /** Results far below and far above all others, which have no place in the bins. */
  readonly below: number;
  readonly above: number;
}

const mostBins = 24;
/** What lies this many times the middle half's width beyond it stands apart (Tukey, "Exploratory Data Analysis"). */
const farOut = 3;

/**
 * How results are spread, so that the odd one shows: bins of even width over
 * all but what stands far apart, which is counted by itself.
 *
 * @param sorted the results, from low to high
 */
export function spreadOf(sorted: readonly number[]): Spread {
  const [lowest, highest] = [sorted[0], sorted.at(-1)];
  if (lowest === undefined || highest === undefined) {
    return { count: 0, lowest: null, highest: null, median: null, bins: [], below: 0, above: 0 };
  }
  const all = [...sorted];
  const [lower = lowest, upper = highest] = [quantileSorted(all, 0.25), quantileSorted(all, 0.75)];
  const width = (upper - lower) * farOut;
  const isInside = (value: number) => width === 0 || (value >= lower - width && value <= upper + width);
  const inside = all.filter(isInside);
  const [from = lowest, until = highest] = [inside[0], inside.at(-1)];
  const bins = bin<number, number>()
    .domain([from, until])
    .thresholds(ticks(from, until, mostBins))(inside)
    .map((one) => ({ from: one.x0 ?? from, until: one.x1 ?? until, count: one.length }));
  return {
    count: sorted.length,
    lowest,
    highest,
    median: quantileSorted(all, 0.5) ?? null,
    bins,
    below: sorted.filter((value) => value < from).length,
    above: sorted.filter((value) => value > until).length,
  };
}
