import { Cron } from 'croner';

/** When the seasons that have a word of their own turn, as cron expressions (crontab(5)) in UTC. */
const words: { readonly [season: string]: string } = {
  daily: '0 0 * * *',
  weekly: '0 0 * * 1',
  monthly: '0 0 1 * *',
};

/** How many fields a cron expression has: the smallest step is a minute. */
const cronFields = 5;

/**
 * When a season turns next.
 *
 * @param season `none`, `daily`, `weekly`, `monthly`, or a cron expression of five fields in UTC
 * @param after  milliseconds since 1970
 * @returns milliseconds since 1970; null if it never turns
 */
export function nextTurn(season: string, after: number): number | null {
  if (season === 'none') return null;
  return cronOf(season).nextRun(new Date(after))?.getTime() ?? null;
}

/** The last turn up to a moment, for one that was not there when seasons turned; null if there was none since. */
export function lastTurn(season: string, since: number, until: number): number | null {
  if (season === 'none') return null;
  // The reference itself does not count as previous: a turn right now has been.
  const [last] = cronOf(season).previousRuns(1, new Date(until + 1));
  return last !== undefined && last.getTime() >= since ? last.getTime() : null;
}

/** What is wrong with a season as it is declared; undefined if it is right. */
export function seasonMistake(season: string): string | undefined {
  if (season === 'none' || words[season] !== undefined) return undefined;
  const advice = 'write none, daily, weekly, monthly, or five fields of a cron expression in UTC, such as "0 6 * * 1"';
  const fields = season.trim().split(/\s+/);
  if (fields.length > cronFields) {
    return `"${season}" has ${fields.length} fields, and could turn more than once a minute: ${advice}.`;
  }
  if (fields.length < cronFields) return `"${season}" is no season: ${advice}.`;
  try {
    if (nextTurn(season, 0) !== null) return undefined;
  } catch {
    return `"${season}" is no season: ${advice}.`;
  }
  return `"${season}" never comes: ${advice}.`;
}

const crons = new Map<string, Cron>();
const mostCrons = 1_000;

function cronOf(season: string): Cron {
  const known = crons.get(season);
  if (known !== undefined) return known;
  if (crons.size >= mostCrons) crons.clear();
  const cron = new Cron(words[season] ?? season, { timezone: 'UTC', mode: '5-part' });
  crons.set(season, cron);
  return cron;
}

/** A season as far as it matters for which one a result counts. Times in milliseconds since 1970. */
export interface SeasonTimes {
  readonly number: number;
  /** Null while it is open. */
  readonly turnedAt: number | null;
  readonly closedAt: number | null;
}

/**
 * The season for which a result counts: one that has turned and is still in
 * its time of grace, if the result was made before the turn; else the open one.
 *
 * @param seasons those that are not closed, the open one among them
 * @param at      when the result was made
 */
export function seasonOfResult<Season extends SeasonTimes>(seasons: readonly Season[], at: number): Season | undefined {
  const inGrace = seasons
    .filter(({ turnedAt, closedAt }) => closedAt === null && turnedAt !== null && at < turnedAt)
    .toSorted((one, other) => one.number - other.number);
  return inGrace[0] ?? seasons.find(({ turnedAt }) => turnedAt === null);
}

/** How long a season that has turned takes what was made before, in milliseconds, where the manifest does not say. */
export const usualGrace = 120_000;
