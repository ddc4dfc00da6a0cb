import type { Json } from '../json.js';

/** From when until when an adjustment counts (RFC 3339); `from` is included, `until` is not. An end that is left out is open. */
export interface TuningWindow {
  readonly from?: string;
  readonly until?: string;
}

/** What an attribute is looked at for; of several all must hold. */
export interface AttributeTest {
  readonly attribute: string;
  readonly is?: AttributeValue;
  readonly isNot?: AttributeValue;
  readonly isOneOf?: readonly AttributeValue[];
  readonly atLeast?: number | string;
  readonly atMost?: number | string;
  readonly above?: number | string;
  readonly below?: number | string;
  readonly isMissing?: boolean;
}

/** Whom an adjustment is for. */
export type Audience =
  | { readonly all: readonly Audience[] }
  | { readonly any: readonly Audience[] }
  | { readonly not: Audience }
  | AttributeTest;

export type AttributeValue = string | number | boolean;

/** What is known of somebody. What is not known has no member. */
export type Attributes = { readonly [name: string]: AttributeValue };

/** What a trial compares: results on a board, what a currency earned, or a number in progress. */
export interface Measure {
  /** Of a score, a currency or a progress record. */
  readonly key: string;
  /** JSON Pointer (RFC 6901) to the number in a progress record. */
  readonly path?: string;
}

/** One of the values of a trial, and the part of the players that gets it, in percent. */
export interface TrialValue {
  readonly value: Json;
  readonly share: number;
}

/** Another value for a tunable. One with `values` in place of `value` is a trial. */
export interface Adjustment {
  /** Which players a percentage takes hangs on it: the same id takes the same players. */
  readonly id: string;
  readonly note?: string;
  readonly value?: Json;
  readonly values?: readonly TrialValue[];
  readonly measure?: Measure;
  readonly window?: TuningWindow;
  readonly audience?: Audience;
  /** Above 0, up to 100. */
  readonly percent?: number;
}

/** What an edition says of one tunable: its base value, the manifest's where left out, and its adjustments in order. */
export interface Tuned {
  readonly value?: Json;
  readonly adjustments: readonly Adjustment[];
}

/** What an edition holds: every tunable of which it says anything. */
export type EditionContent = { readonly [tunable: string]: Tuned };

/** Nothing but what the manifest says. */
export const untuned: Tuned = { adjustments: [] };

/** What an edition says of a tunable. */
export function tunedIn(content: EditionContent, tunable: string): Tuned {
  return Object.hasOwn(content, tunable) ? (content[tunable] ?? untuned) : untuned;
}

/** How much of it there may be. */
export const tuningLimits = {
  adjustments: 50,
  trialValues: 5,
  audienceTests: 50,
  audienceDepth: 8,
  editionBytes: 512 * 1024,
  testers: 200,
} as const;
