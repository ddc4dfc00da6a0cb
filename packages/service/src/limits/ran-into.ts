import type { LimitName } from '@vekkon/protocol';

/** How many are remembered of one environment, and shown. */
const [mostRemembered, mostShown] = [1_000, 100];

export interface RanIntoLimit {
  readonly limit: LimitName;
  /** A device, a player, an address, an account: as people know it. */
  readonly who: string;
  readonly times: number;
  /** The last time, in milliseconds since 1970, UTC. */
  readonly at: number;
}

/** Who has asked for too much since the start, for people to see. */
export class RanInto {
  readonly #ofEnvironments = new Map<number, Map<string, RanIntoLimit>>();
  readonly #now: () => number;

  constructor(now: () => number) {
    this.#now = now;
  }

  note(environment: number | undefined, limit: LimitName, who: string): void {
    if (environment === undefined) return;
    const noted = this.#ofEnvironments.get(environment) ?? new Map<string, RanIntoLimit>();
    this.#ofEnvironments.set(environment, noted);
    const key = `${limit} ${who}`;
    const { times = 0 } = noted.get(key) ?? {};
    // The latest stands last.
    noted.delete(key);
    noted.set(key, { limit, who, times: times + 1, at: this.#now() });
    const [oldest] = noted.keys();
    if (noted.size > mostRemembered && oldest !== undefined) noted.delete(oldest);
  }

  /** The latest first. */
  of(environment: number): readonly RanIntoLimit[] {
    return [...(this.#ofEnvironments.get(environment)?.values() ?? [])].slice(-mostShown).toReversed();
  }
}
