import { equalJson, isJsonArray, type Json } from '../json.js';
import type { Manifest } from '../manifest/manifest.js';
import { audienceInWords } from './audience.js';
import { nameOf } from './check-tuned.js';
import { short } from '../short.js';
import { rowDifferences } from './table-rows.js';
import { tunedIn, type Adjustment, type EditionContent, type TuningWindow } from './tuning.js';

/** One thing that a publication changes, in words. */
export interface TuningDifference {
  readonly tunable: string;
  readonly words: string;
}

/**
 * What is different from one edition to the next:
 * `thermal-strength: 1 → 1.25 for 25 % of players in Portugal, Fri 27 Nov 18:00 to Sun 29 Nov 24:00 UTC`.
 */
export function tuningDifferences(
  before: EditionContent,
  after: EditionContent,
  { tunables }: Manifest,
): readonly TuningDifference[] {
  const differences: TuningDifference[] = [];
  for (const tunable of new Set([...Object.keys(before), ...Object.keys(after)])) {
    const [was, is] = [tunedIn(before, tunable), tunedIn(after, tunable)];
    const starting = tunables[tunable]?.starting ?? null;
    const [wasBase, base] = [was.value ?? starting, is.value ?? starting];
    const say = (words: string) => void differences.push({ tunable, words: `${tunable}: ${words}` });
    if (!equalJson(wasBase, base)) say(baseInWords(wasBase, base));
    else if ((was.value === undefined) !== (is.value === undefined)) {
      say(
        is.value === undefined
          ? `${short(base)}, by the manifest from now on`
          : `${short(base)}, whatever the manifest says`,
      );
    }
    const unmoved = is.adjustments.filter(({ id }) => was.adjustments.some((one) => one.id === id));
    for (const one of is.adjustments) {
      const old = was.adjustments.find(({ id }) => id === one.id);
      if (old === undefined) say(`${short(base)} → ${adjustmentInWords(one)}`);
      else if (!equalJson(old, one))
        say(`“${nameOf(old)}” was ${adjustmentInWords(old)}; is ${adjustmentInWords(one)}`);
    }
    for (const one of was.adjustments) {
      if (!is.adjustments.some(({ id }) => id === one.id)) say(`no longer ${adjustmentInWords(one)}`);
    }
    const order = was.adjustments.filter(({ id }) => unmoved.some((one) => one.id === id)).map(({ id }) => id);
    if (
      !equalJson(
        order,
        unmoved.map(({ id }) => id),
      )
    ) {
      say(`another order: ${is.adjustments.map((one) => `“${nameOf(one)}”`).join(' before ')}`);
    }
  }
  return differences;
}

/** Of a table what is another, row by row, as far as that can be read. */
function baseInWords(was: Json, is: Json): string {
  const rows = isJsonArray(was) && isJsonArray(is) ? rowDifferences(was, is) : [];
  if (rows.length === 0) return `${short(was)} → ${short(is)}`;
  const more = rows.length > mostRows ? `, and ${rows.length - mostRows} more` : '';
  return `${rows.slice(0, mostRows).join('; ')}${more}`;
}

const mostRows = 8;

/** An adjustment as people say it: `1.25 for 25 % of players in Portugal, Fri 27 Nov 18:00 to Sun 29 Nov 24:00 UTC`. */
export function adjustmentInWords({ value, values, percent, audience, window }: Adjustment): string {
  const what =
    values === undefined
      ? short(value ?? null)
      : `a trial of ${values.map((one) => `${short(one.value)} (${one.share} %)`).join(', ')}`;
  const players = audience === undefined ? '' : ` ${audienceInWords(audience)}`;
  const whom =
    percent !== undefined
      ? ` for ${percent} % of players${players}`
      : audience === undefined
        ? ''
        : ` for players${players}`;
  return `${what}${whom}${window === undefined ? '' : `, ${windowInWords(window)}`}`;
}

/** A window in words, in UTC. */
export function windowInWords({ from, until }: TuningWindow): string {
  if (from === undefined) return until === undefined ? 'always' : `until ${moment(Date.parse(until), true)} UTC`;
  const start = moment(Date.parse(from), false);
  return until === undefined ? `from ${start} UTC` : `${start} to ${moment(Date.parse(until), true)} UTC`;
}

/** A moment in words: `Fri 27 Nov 18:00 UTC`. @param at milliseconds since 1970 */
export function momentInWords(at: number): string {
  return `${moment(at, false)} UTC`;
}

const day = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' });
const dayLength = 86_400_000;

/** A day's end is its 24:00, where something ends. */
function moment(at: number, isEnd: boolean): string {
  const isMidnight = at % dayLength === 0;
  const date = day.format(new Date(isEnd && isMidnight ? at - 1 : at)).replace(',', '');
  if (isEnd && isMidnight) return `${date} 24:00`;
  const [, time = ''] = new Date(at).toISOString().split('T');
  return `${date} ${time.slice(0, at % 60_000 < 1000 ? 5 : 8)}`;
}
