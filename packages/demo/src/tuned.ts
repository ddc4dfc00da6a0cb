import { Tuning, type Tuned } from '@vekkon/core/tuning';
import type { Json } from '@vekkon/core';
import type { Store } from '@vekkon/store';

const minute = 60_000;
const hour = 60 * minute;
const day = 24 * hour;

/** What the camps sell, row by row. */
export type TradeTable = readonly { readonly item: string; readonly price: number }[];

const springPrices: TradeTable = [
  { item: 'silk-patch', price: 7 },
  { item: 'flare', price: 18 },
];
const autumnPrices: TradeTable = [
  { item: 'silk-patch', price: 9 },
  { item: 'flare', price: 18 },
];

/** A trial that was begun two weeks ago: with the second value the gorge is flown a little faster. */
export const trialOfThermals = { id: 'thermals-in-the-gorge', faster: 0.94 };

/** One publication of the made-up past. */
export interface Publication {
  readonly at: number;
  readonly note: string;
  readonly tuned: { readonly [tunable: string]: Tuned };
}

function iso(at: number): string {
  return new Date(at).toISOString();
}

/** The start of the next day of the week after a moment, in UTC. @param weekday from 0, Sunday */
function nextDay(after: number, weekday: number): number {
  const start = Math.floor(after / day) * day;
  const ahead = (weekday - new Date(start).getUTCDay() + 7) % 7;
  return start + (ahead === 0 ? 7 : ahead) * day;
}

/**
 * What designers published over forty days: prices that changed, a storm that
 * is over, a trial, an evening that runs now, a weekend that is to come.
 *
 * @param until when the history ends, in milliseconds since 1970
 */
export function publicationsUntil(until: number): readonly Publication[] {
  const friday = nextDay(until, 5);
  const now = Math.floor(until / hour) * hour;
  const storm = {
    id: 'autumn-storm',
    note: 'The autumn storm',
    value: 0.6,
    window: { from: iso(now - 30 * day), until: iso(now - 28 * day) },
  };
  const trial = {
    id: trialOfThermals.id,
    note: 'Do stronger thermals make the gorge too easy?',
    values: [
      { value: 1, share: 50 },
      { value: 1.2, share: 50 },
    ],
    measure: { key: 'score/gorge-run' },
  };
  const evening = {
    id: 'evening-thermals',
    note: 'Evening thermals',
    value: 1.4,
    percent: 25,
    window: { from: iso(now - 2 * hour), until: iso(now + 10 * hour) },
  };
  const weekend = {
    id: 'cliffs-weekend',
    note: 'Weekend of the sea cliffs',
    value: 1.25,
    audience: { attribute: 'country', isOneOf: ['PT', 'IE'] },
    window: { from: iso(friday + 18 * hour), until: iso(friday + 3 * day) },
  };
  const newcomers = {
    id: 'newcomers',
    note: 'For newcomers',
    value: 'Hold the nose up where the air is warm.',
    audience: {
      all: [
        { attribute: 'flights', atMost: 3 },
        { attribute: 'build', atLeast: '1.8.0' },
      ],
    },
  };
  const warning = {
    id: 'storm-tomorrow',
    note: 'Storm from the west',
    value: true,
    window: {
      from: iso(Math.ceil(until / day) * day + 18 * hour),
      until: iso(Math.ceil(until / day) * day + 22 * hour),
    },
  };
  return [
    {
      at: until - 38 * day,
      note: 'What the camps ask this spring',
      tuned: { 'trade-table': { value: springPrices as unknown as Json, adjustments: [] } },
    },
    { at: until - 31 * day, note: 'A storm for two days', tuned: { 'thermal-strength': { adjustments: [storm] } } },
    {
      at: until - 14 * day,
      note: 'Silk has become dear; a trial of stronger thermals',
      tuned: {
        'trade-table': { value: autumnPrices as unknown as Json, adjustments: [] },
        'thermal-strength': { adjustments: [storm, trial] },
      },
    },
    {
      at: until - 3 * hour,
      note: 'The evening, the weekend, and what the camp says',
      tuned: {
        'thermal-strength': { adjustments: [evening, weekend, storm, trial] },
        'storm-warning': { adjustments: [warning] },
        'camp-note': { value: 'Soup at eight, patches at the old price.', adjustments: [newcomers] },
      },
    },
  ];
}

/** The prices of the camps at a moment. */
export function pricesAt(publications: readonly Publication[], at: number): TradeTable {
  const published = publications.findLast((one) => one.at <= at && one.tuned['trade-table'] !== undefined);
  return (
    (published?.tuned['trade-table']?.value as unknown as TradeTable | undefined) ?? [
      { item: 'silk-patch', price: 8 },
      { item: 'flare', price: 20 },
    ]
  );
}

/** Which value of the trial a pilot gets, from 0; undefined before it began. */
export function trialValueOf(publications: readonly Publication[], pilot: string, at: number): number | undefined {
  const published = publications.findLast((one) => one.at <= at && one.tuned['thermal-strength'] !== undefined);
  const adjustments =
    published?.tuned['thermal-strength']?.adjustments.filter(({ values }) => values !== undefined) ?? [];
  const rules = { value: 1, from: 'manifest' as const, adjustments };
  const tuning = new Tuning({ tunables: { 'thermal-strength': rules }, types: {} });
  return tuning.pick('thermal-strength', { player: pilot, attributes: {} }, at)?.trialValue;
}

/** Publishes as a designer would have then. */
export async function publish(
  { writer }: Pick<Store, 'writer'>,
  environment: number,
  by: string,
  { note, tuned }: Publication,
): Promise<void> {
  for (const [tunable, one] of Object.entries(tuned)) {
    await writer.do('putInDraft', { environment, tunable, tuned: one, by, revision: null });
  }
  await writer.do('publishDraft', { environment, note, by, revision: null, only: null });
}

/** What a designer is about to change, and who looks at it before the others. */
export async function leaveDraft(
  { writer }: Pick<Store, 'writer'>,
  environment: number,
  by: string,
  testers: readonly string[],
): Promise<void> {
  const dearer = autumnPrices.map((one) => (one.item === 'flare' ? { ...one, price: 16 } : one));
  const tuned = { value: [...dearer] as unknown as Json, adjustments: [] };
  await writer.do('putInDraft', { environment, tunable: 'trade-table', tuned, by, revision: null });
  await writer.do('setTesters', { environment, players: testers, by });
}
