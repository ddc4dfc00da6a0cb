import { nearestName, type Json } from '@vekkon/core';
import { tagOf } from '@vekkon/core/tuning';
import type { TuningTold } from '@vekkon/protocol';
import { TunableUnknown } from '../errors.js';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape, NameIn } from './game-shape.js';

/** Longest that a timer waits: a machine that slept looks again soon. */
const longestWait = 60_000;

/** What evaluates the published rules here, where they are at hand. @internal */
export interface TuningRulesHere {
  /** undefined where they do not hold here. */
  readonly edition: number | undefined;
  /** @param at milliseconds since 1970, by the service's clock; undefined if there is no such tunable */
  value(name: string, at: number): Json | undefined;
  /** When a window next opens or closes, in milliseconds since 1970; null if none does. */
  nextChange(at: number): number | null | undefined;
}

/** What was last told, and how far the service's clock was ahead. Kept for an offline start. */
export interface TuningKept {
  readonly told: TuningTold;
  /** Milliseconds. */
  readonly ahead: number;
}

/** What keeps a session's tuning up, whatever its game. @internal */
export interface HeldTuning {
  readonly tag: string | undefined;
  takeAsked(): readonly string[];
  take(told: TuningTold, now: string): void;
  look(): void;
}

/** What a game's tuning hangs on. @internal */
export interface TuningSource {
  /** What the manifest says, where nothing else is known. */
  readonly starting: () => { readonly [name: string]: Json };
  /** Called whenever the game asks for anything. */
  readonly onUse?: () => void;
}

/** Values that hold still, for one round. */
export interface FrozenTuning<Game extends GameShape = AnyGame> {
  readonly edition: number;
  get<Name extends NameIn<Game['tunables']>>(name: Name): Game['tunables'][Name];
}

/**
 * The tunables of a running game: what holds at this moment, without waiting
 * for anything. A window opens and closes here on the second, by the clock of
 * the service; what was last seen holds where there is no network, and what
 * the manifest says where nothing was ever seen.
 */
export class GameTuning<Game extends GameShape = AnyGame> implements HeldTuning {
  readonly #source: TuningSource;
  readonly #watchers = new Map<string, { readonly listeners: Listeners<[value: Json]>; last: Json }>();
  readonly #asked = new Set<string>();
  #kept: TuningKept | undefined;
  #rules: TuningRulesHere | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** Milliseconds by which the service's clock is ahead. */
  #ahead = 0;
  #tag: string | undefined;
  #isStopped = false;

  /** @internal */
  constructor(source: TuningSource) {
    this.#source = source;
  }

  /** The edition that holds; 0 before the first, or where none was seen yet. */
  get edition(): number {
    return this.#rulesNow?.edition ?? this.#kept?.told.edition ?? 0;
  }

  /** Does this player get what is not published yet? For a word on the screen. */
  get isDraft(): boolean {
    return this.#kept?.told.draft !== undefined;
  }

  /** When something changes next by itself; null if nothing does. */
  get nextChangeAt(): Date | null {
    const next = this.#nextChange(this.#now());
    return next === null ? null : new Date(next);
  }

  /**
   * What a tunable is now.
   *
   * @throws TunableUnknown, with the nearest name that there is
   */
  get<Name extends NameIn<Game['tunables']>>(name: Name): Game['tunables'][Name] {
    this.#use();
    this.#asked.add(name);
    return this.#valueOf(name, this.#now()) as Game['tunables'][Name];
  }

  /** Tells of every change of a tunable, as it happens. @returns takes it back */
  watch<Name extends NameIn<Game['tunables']>>(
    name: Name,
    listener: (value: Game['tunables'][Name]) => void,
  ): () => void {
    const last = this.get(name) as Json;
    const watched = this.#watchers.get(name) ?? { listeners: new Listeners<[value: Json]>(), last };
    this.#watchers.set(name, watched);
    const takeBack = watched.listeners.add(listener as (value: Json) => void);
    this.look();
    return () => {
      takeBack();
      if (watched.listeners.count > 0) return;
      this.#watchers.delete(name);
      if (this.#watchers.size === 0) clearTimeout(this.#timer);
    };
  }

  /** All values as they are now: they stay so, whatever is published meanwhile. */
  frozen(): FrozenTuning<Game> {
    this.#use();
    const at = this.#now();
    const values = Object.fromEntries(this.#names().map((name) => [name, this.#valueOf(name, at)]));
    const { edition } = this;
    const asked = this.#asked;
    return {
      edition,
      get(name) {
        asked.add(name);
        if (!Object.hasOwn(values, name)) throw unknown(name, Object.keys(values));
        return values[name] as Game['tunables'][typeof name];
      },
    };
  }

  /** @internal What was last told, to be kept. */
  get kept(): TuningKept | undefined {
    return this.#kept;
  }

  /** @internal The tag of what was last told. */
  get tag(): string | undefined {
    return this.#tag;
  }

  /** @internal The names that were asked for since the last time. */
  takeAsked(): readonly string[] {
    const asked = [...this.#asked];
    this.#asked.clear();
    return asked;
  }

  /** @internal The service has told what holds. @param now its clock then, RFC 3339 */
  take(told: TuningTold, now: string): void {
    this.setClock(now);
    this.#kept = { told, ahead: this.#ahead };
    this.#tag = tagOf(told);
    this.look();
  }

  /** @internal How far the service's clock is ahead. @param now its clock now, RFC 3339 */
  setClock(now: string): void {
    this.#ahead = Date.parse(now) - Date.now();
  }

  /** @internal What was kept from an earlier start. */
  takeKept(kept: TuningKept): void {
    this.#kept = kept;
    this.#ahead = kept.ahead;
    this.look();
  }

  /** @internal The published rules are at hand from now on, or others. */
  takeRules(rules: TuningRulesHere | undefined): void {
    this.#rules = rules;
    this.look();
  }

  /** @internal Something may be another value now: whoever watches it is told. */
  look(): void {
    if (this.#watchers.size === 0) return;
    const at = this.#now();
    for (const [name, watched] of this.#watchers) {
      const value = this.#valueOf(name, at);
      if (JSON.stringify(value) === JSON.stringify(watched.last)) continue;
      watched.last = value;
      watched.listeners.tell(value);
    }
    this.#lookOut(at);
  }

  /** @internal Nothing is watched any more. */
  stop(): void {
    this.#isStopped = true;
    clearTimeout(this.#timer);
    this.#watchers.clear();
  }

  /** What a tester gets is not among the rules. */
  get #rulesNow(): TuningRulesHere | undefined {
    const isOlder = (this.#rules?.edition ?? -1) < (this.#kept?.told.edition ?? 0);
    return this.isDraft || isOlder ? undefined : this.#rules;
  }

  #valueOf(name: string, at: number): Json {
    const ruled = this.#rulesNow?.value(name, at);
    if (ruled !== undefined) return ruled;
    const { values = {}, coming = [] } = this.#kept?.told ?? {};
    let found = Object.hasOwn(values, name) ? values[name] : undefined;
    for (const one of coming) {
      if (Date.parse(one.at) > at) break;
      if (Object.hasOwn(one.values, name)) found = one.values[name];
    }
    const starting = this.#source.starting();
    if (found === undefined && Object.hasOwn(starting, name)) found = starting[name];
    if (found === undefined) throw unknown(name, this.#names());
    return found;
  }

  #names(): readonly string[] {
    return [...new Set([...Object.keys(this.#kept?.told.values ?? {}), ...Object.keys(this.#source.starting())])];
  }

  #now(): number {
    return Date.now() + this.#ahead;
  }

  #nextChange(after: number): number | null {
    const ruled = this.#rulesNow?.nextChange(after);
    if (ruled !== undefined) return ruled;
    const coming = this.#kept?.told.coming ?? [];
    const next = coming.map(({ at }) => Date.parse(at)).find((at) => at > after);
    return next ?? null;
  }

  /** @param at when it was last looked: what changed since then is not told yet */
  #lookOut(at: number): void {
    clearTimeout(this.#timer);
    const next = this.#watchers.size === 0 ? null : this.#nextChange(at);
    if (next === null) return;
    // A timer may fire a little early: then there is nothing to tell yet, and it looks out again.
    const wait = Math.min(Math.max(next - this.#now(), 1), longestWait);
    this.#timer = setTimeout(() => this.look(), wait);
    if (typeof this.#timer === 'object') this.#timer.unref();
  }

  #use(): void {
    if (!this.#isStopped) this.#source.onUse?.();
  }
}

/** What a renewal says of tuning: what is here, and what the game has asked for. @internal */
export function tunedPart(tuning: HeldTuning): { readonly tuned?: string; readonly asked?: readonly string[] } {
  const asked = tuning.takeAsked();
  return { ...(tuning.tag !== undefined && { tuned: tuning.tag }), ...(asked.length > 0 && { asked }) };
}

function unknown(name: string, names: readonly string[]): TunableUnknown {
  return new TunableUnknown(name, nearestName(name, names), names);
}
