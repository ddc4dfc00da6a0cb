import type { Adjustment, Tuned, TuningRules } from '@vekkon/core/tuning';
import type { AdjustmentTold, Draft, PutDraftRequest } from '@vekkon/protocol';

/** What the pages about tuning share. */

export type DraftTunable = Draft['tunables'][string];
export type AttributeTypes = TuningRules['types'];
/** What a tunable is to be, without the revision that was seen. */
export type Wanted = Omit<PutDraftRequest, 'revision'>;

/** A tunable as the rules know it. */
export function tunedOf({ value, adjustments }: Pick<DraftTunable, 'value' | 'adjustments'>): Tuned {
  return { ...(value !== undefined && { value }), adjustments: adjustments as unknown as readonly Adjustment[] };
}

/** The same as it is sent: what was told can be sent again. */
export function wantedOf({ value, adjustments }: Tuned): Wanted {
  return { ...(value !== undefined && { value }), adjustments: plain(adjustments) as AdjustmentTold[] };
}

/** A copy without what Vue has made of it. */
export function plain<Value>(value: Value): Value {
  return JSON.parse(JSON.stringify(value)) as Value;
}

/** The rules as the draft would make them. */
export function rulesOfDraft(draft: Draft, types: AttributeTypes): TuningRules {
  const tunables = Object.entries(draft.tunables).map(([name, one]) => {
    const from = one.value === undefined ? ('manifest' as const) : ('edition' as const);
    return [name, { ...tunedOf(one), value: one.value ?? one.starting, from }] as const;
  });
  return { tunables: Object.fromEntries(tunables), types };
}

/** A new id of an adjustment. */
export function newAdjustmentId(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(10));
  return `adj-${[...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('')}`;
}

/** Where a window stands at a moment. */
export function stateOf({ window }: Pick<Adjustment, 'window'>, at: number): 'past' | 'running' | 'to come' {
  if (window?.until !== undefined && Date.parse(window.until) <= at) return 'past';
  return window?.from !== undefined && Date.parse(window.from) > at ? 'to come' : 'running';
}
