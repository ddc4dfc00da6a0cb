import { equalJson, type Json } from '../json.js';
import type { AttributeType } from './attributes.js';
import { isOfAudience, whyNotOfAudience } from './audience.js';
import { momentInWords } from './in-words.js';
import { pointFrom, seedOf } from './point-of.js';
import type { Adjustment, Attributes, Audience } from './tuning.js';

/** One tunable as it is evaluated: its base value where no adjustment matches. */
export interface TunableRules {
  readonly value: Json;
  /** Does an edition say the base value, or the manifest? */
  readonly from: 'edition' | 'manifest';
  readonly adjustments: readonly Adjustment[];
}

/** All that evaluation needs: what an edition says, made to fit a manifest. */
export interface TuningRules {
  readonly tunables: { readonly [name: string]: TunableRules };
  readonly types: { readonly [attribute: string]: AttributeType };
}

/** For whom a value is looked for. Without a player it is nobody in particular: percentages and trials take nobody. */
export interface Who {
  readonly player?: string | undefined;
  readonly attributes: Attributes;
}

/** What somebody gets, and by which adjustment. */
export interface Picked {
  readonly value: Json;
  readonly adjustment?: string;
  /** Of a trial: which of its values, from 0. */
  readonly trialValue?: number;
}

interface ReadyAdjustment {
  readonly id: string;
  readonly given: Adjustment;
  readonly from: number;
  readonly until: number;
  readonly audience: Audience | undefined;
  readonly percent: number | undefined;
  /** Of the percentage, and of the shares of a trial. */
  readonly seed: number;
  readonly valuesSeed: number;
}

interface ReadyTunable {
  readonly base: Picked;
  readonly rules: TunableRules;
  readonly adjustments: readonly ReadyAdjustment[];
  /** When its windows open and close, in order. */
  readonly edges: readonly number[];
}

/** Rules made ready to be evaluated often. */
export class Tuning {
  readonly #tunables: ReadonlyMap<string, ReadyTunable>;
  readonly #types: TuningRules['types'];
  /** When windows open and close, in order. */
  readonly #edges: readonly number[];

  constructor({ tunables, types }: TuningRules) {
    this.#types = types;
    this.#tunables = new Map(Object.entries(tunables).map(([name, rules]) => [name, ready(rules)]));
    this.#edges = inOrder([...this.#tunables.values()].flatMap(({ edges }) => edges));
  }

  get names(): readonly string[] {
    return [...this.#tunables.keys()];
  }

  /**
   * What somebody gets of one tunable.
   *
   * @param at milliseconds since 1970
   * @returns undefined if there is no such tunable
   */
  pick(name: string, who: Who, at: number): Picked | undefined {
    const tunable = this.#tunables.get(name);
    return tunable === undefined ? undefined : this.#pick(tunable, who, at);
  }

  /** What somebody gets of every tunable. @param at milliseconds since 1970 */
  values(who: Who, at: number): { readonly [name: string]: Json } {
    const values: { [name: string]: Json } = {};
    for (const [name, tunable] of this.#tunables) values[name] = this.#pick(tunable, who, at).value;
    return values;
  }

  /** The trials in which somebody is, with the value that they get. */
  trials(
    who: Who,
    at: number,
  ): readonly { readonly tunable: string; readonly trial: string; readonly value: number }[] {
    const found = [];
    for (const [tunable, one] of this.#tunables) {
      const { adjustment, trialValue } = this.#pick(one, who, at);
      if (adjustment !== undefined && trialValue !== undefined) {
        found.push({ tunable, trial: adjustment, value: trialValue });
      }
    }
    return found;
  }

  /** When a window next opens or closes, whoever it is for; null if none does. @param at milliseconds since 1970 */
  nextEdge(at: number): number | null {
    return this.#edges.find((edge) => edge > at) ?? null;
  }

  /** The last time that a window opened or closed, up to a moment; 0 if none did. */
  lastEdge(at: number): number {
    return this.#edges.findLast((edge) => edge <= at) ?? 0;
  }

  /**
   * What changes for somebody by itself, as windows open and close.
   *
   * @param at     from after when, in milliseconds since 1970
   * @param atMost how many moments are looked for
   * @returns when, and the values that are others from then on
   */
  coming(who: Who, at: number, atMost: number): readonly Coming[] {
    const found = new Map<number, { [name: string]: Json }>();
    for (const [name, tunable] of this.#tunables) {
      if (tunable.edges.length === 0) continue;
      let { value } = this.#pick(tunable, who, at);
      for (const edge of tunable.edges) {
        if (edge <= at) continue;
        const then = this.#pick(tunable, who, edge).value;
        if (equalJson(then, value)) continue;
        const values = found.get(edge) ?? {};
        values[name] = then;
        found.set(edge, values);
        value = then;
      }
    }
    const moments = [...found.keys()].toSorted((one, other) => one - other).slice(0, atMost);
    return moments.map((moment) => ({ at: moment, values: found.get(moment) ?? {} }));
  }

  /** What somebody gets of a tunable, and why: which adjustment won, and what failed in each before it. */
  explain(name: string, who: Who, at: number): Explained | undefined {
    const tunable = this.#tunables.get(name);
    if (tunable === undefined) return undefined;
    const tried: Explained['tried'][number][] = [];
    for (const adjustment of tunable.adjustments) {
      const { note } = adjustment.given;
      const failed = this.#whyNot(adjustment, who, at);
      tried.push({ adjustment: adjustment.id, ...(note !== undefined && { note }), failed: failed ?? null });
      if (failed === undefined) break;
    }
    return { ...this.#pick(tunable, who, at), from: tunable.rules.from, tried };
  }

  #pick({ base, adjustments }: ReadyTunable, who: Who, at: number): Picked {
    let known: Attributes | undefined;
    for (const one of adjustments) {
      if (at < one.from || at >= one.until) continue;
      if (one.percent !== undefined && !isAmong(one.seed, one.percent, who)) continue;
      if (one.audience !== undefined) {
        known ??= knownOf(who);
        if (!isOfAudience(one.audience, known, this.#types)) continue;
      }
      const { value, values } = one.given;
      if (values === undefined) return { value: value ?? null, adjustment: one.id };
      const trialValue = trialValueOf(one, who);
      if (trialValue === undefined) continue;
      return { value: values[trialValue]?.value ?? null, adjustment: one.id, trialValue };
    }
    return base;
  }

  #whyNot(one: ReadyAdjustment, who: Who, at: number): string | undefined {
    if (at < one.from) return `its window opens ${momentInWords(one.from)}`;
    if (at >= one.until) return `its window closed ${momentInWords(one.until)}`;
    if (one.audience !== undefined) {
      const why = whyNotOfAudience(one.audience, knownOf(who), this.#types);
      if (why !== undefined) return why;
    }
    if (one.percent !== undefined && !isAmong(one.seed, one.percent, who)) {
      if (who.player === undefined) return `it is for ${one.percent} % of players, and this is nobody in particular`;
      return `it is for ${one.percent} % of players, and they stand at ${pointFrom(one.seed, who.player).toFixed(2)}`;
    }
    if (one.given.values !== undefined && who.player === undefined) {
      return 'it is a trial, and this is nobody in particular';
    }
    return undefined;
  }
}

/** Values that become others by themselves. */
export interface Coming {
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly values: { readonly [name: string]: Json };
}

export interface Explained extends Picked {
  /** Where the base value comes from. */
  readonly from: TunableRules['from'];
  /** In order, up to the one that won; `failed` says why one did not, and is null for the one that did. */
  readonly tried: readonly {
    readonly adjustment: string;
    readonly note?: string;
    readonly failed: string | null;
  }[];
}

function ready(rules: TunableRules): ReadyTunable {
  const adjustments = rules.adjustments.map((given) => ({
    id: given.id,
    given,
    from: given.window?.from === undefined ? -Infinity : Date.parse(given.window.from),
    until: given.window?.until === undefined ? Infinity : Date.parse(given.window.until),
    audience: given.audience,
    percent: given.percent,
    seed: seedOf(given.id),
    valuesSeed: seedOf(`${given.id}/values`),
  }));
  const edges = inOrder(adjustments.flatMap(({ from, until }) => [from, until]));
  return { base: { value: rules.value }, rules, adjustments, edges };
}

/** Moments in order, each once; open ends are none. */
function inOrder(moments: readonly number[]): readonly number[] {
  return [...new Set(moments.filter(Number.isFinite))].toSorted((one, other) => one - other);
}

function isAmong(seed: number, percent: number, { player }: Who): boolean {
  return player !== undefined && pointFrom(seed, player) < percent;
}

/** Which of a trial's values a player gets: independent of whether a percentage takes them. */
function trialValueOf({ valuesSeed, given: { values = [] } }: ReadyAdjustment, { player }: Who): number | undefined {
  if (player === undefined) return undefined;
  const point = pointFrom(valuesSeed, player);
  let below = 0;
  for (const [index, { share }] of values.entries()) {
    below += share;
    if (point < below) return index;
  }
  return values.length - 1;
}

/** The id and the name are attributes too. */
function knownOf({ player, attributes }: Who): Attributes {
  return player === undefined ? attributes : { ...attributes, player };
}
