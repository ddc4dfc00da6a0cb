import { nameOf, type Adjustment } from '@vekkon/core/tuning';
import type { Draft } from '@vekkon/protocol';
import { stateOf, tunedOf } from './tuned.js';

const day = 86_400_000;

/** One window on the time line, in a row of its own: what wins stands above what loses. */
export interface Bar {
  readonly tunable: string;
  readonly adjustment: Adjustment;
  readonly name: string;
  /** Milliseconds since 1970; endless where a window is open. */
  readonly from: number;
  readonly until: number;
  readonly state: 'past' | 'running' | 'to come';
}

/** Two windows of one tunable that overlap. */
export interface Overlap {
  readonly tunable: string;
  readonly winner: string;
  readonly loser: string;
  readonly from: number;
  readonly until: number;
  /** Are both for the same players, as far as that can be seen? Else only who is of both. */
  readonly isForAll: boolean;
}

/** The windows of every tunable, in the order in which they are tried. */
export function barsOf(draft: Draft, now: number): readonly Bar[] {
  return Object.entries(draft.tunables).flatMap(([tunable, one]) =>
    tunedOf(one).adjustments.flatMap((adjustment) => {
      const { window } = adjustment;
      if (window === undefined) return [];
      const from = window.from === undefined ? -Infinity : Date.parse(window.from);
      const until = window.until === undefined ? Infinity : Date.parse(window.until);
      return { tunable, adjustment, name: nameOf(adjustment), from, until, state: stateOf(adjustment, now) };
    }),
  );
}

/** Where windows of one tunable overlap, and which wins there; what is over already is left out. */
export function overlapsOf(bars: readonly Bar[], now: number): readonly Overlap[] {
  return bars.flatMap((winner, place) =>
    bars.slice(place + 1).flatMap((loser): Overlap[] => {
      if (loser.tunable !== winner.tunable) return [];
      const from = Math.max(winner.from, loser.from);
      const until = Math.min(winner.until, loser.until);
      if (from >= until || until <= now) return [];
      const { audience, percent } = winner.adjustment;
      const isForAll = audience === undefined && percent === undefined;
      return [{ tunable: winner.tunable, winner: winner.name, loser: loser.name, from, until, isForAll }];
    }),
  );
}

/** A window that is moved, or of which an end is. @param by milliseconds */
export function moved(adjustment: Adjustment, part: 'all' | 'from' | 'until', by: number): Adjustment {
  const { window = {} } = adjustment;
  const shift = (time: string | undefined, isMeant: boolean) =>
    time === undefined || !isMeant ? time : new Date(Date.parse(time) + by).toISOString();
  const from = shift(window.from, part !== 'until');
  const until = shift(window.until, part !== 'from');
  if (from !== undefined && until !== undefined && Date.parse(from) >= Date.parse(until)) return adjustment;
  return { ...adjustment, window: { ...(from !== undefined && { from }), ...(until !== undefined && { until }) } };
}

/** The starts of days between two moments. @param offset of the zone at a moment, in milliseconds ahead of UTC */
export function daysBetween(from: number, until: number, offset: (at: number) => number): readonly number[] {
  const days: number[] = [];
  for (let at = Math.floor((from + offset(from)) / day) * day; ; at += day) {
    const start = at - offset(at - offset(at));
    if (start > until) return days;
    if (start >= from) days.push(start);
  }
}
