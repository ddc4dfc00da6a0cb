import { setTimeout as pause } from 'node:timers/promises';
import { Refusal, type Disturbance } from '@vekkon/protocol';
import { rfc3339, type Clock } from '@vekkon/store';

interface Running {
  readonly refuse: number;
  readonly delay: { readonly from: number; readonly to: number } | null;
  readonly loseResponses: number;
  readonly startedAt: number;
  readonly endsAt: number;
  readonly endsMonotonic: number;
  readonly by: string;
  refused: number;
  lost: number;
}

/** Faults made on purpose, by environment. Kept in memory: over after a restart. */
export class Disturbances {
  readonly #running = new Map<number, Running>();
  readonly #clock: Clock;
  readonly #chance: () => number;

  constructor(clock: Clock, chance: () => number = Math.random) {
    this.#clock = clock;
    this.#chance = chance;
  }

  start(
    environment: number,
    faults: Pick<Running, 'refuse' | 'delay' | 'loseResponses'> & { readonly seconds: number },
    by: string,
  ): void {
    const { refuse, delay, loseResponses, seconds } = faults;
    const startedAt = this.#clock.now();
    this.#running.set(environment, {
      refuse,
      delay,
      loseResponses,
      startedAt,
      endsAt: startedAt + seconds * 1000,
      endsMonotonic: this.#clock.monotonic() + seconds * 1000,
      by,
      refused: 0,
      lost: 0,
    });
  }

  stop(environment: number): Disturbance | null {
    const stopped = this.show(environment);
    this.#running.delete(environment);
    return stopped;
  }

  show(environment: number): Disturbance | null {
    const running = this.#of(environment);
    if (running === undefined) return null;
    const { refuse, delay, loseResponses, startedAt, endsAt, by, refused, lost } = running;
    return { refuse, delay, loseResponses, startedAt: rfc3339(startedAt), endsAt: rfc3339(endsAt), by, refused, lost };
  }

  /** Holds a call up, or refuses it before the work. */
  async before(environment: number): Promise<void> {
    const running = this.#of(environment);
    if (running === undefined) return;
    const { delay } = running;
    if (delay !== null) await pause(delay.from + this.#chance() * (delay.to - delay.from));
    if (this.#chance() >= running.refuse) return;
    running.refused++;
    throw new Refusal('disturbed', undefined, { retryAfter: 1 });
  }

  /** Is the response of a call whose work was done to be lost? */
  losesResponse(environment: number): boolean {
    const running = this.#of(environment);
    if (running === undefined || this.#chance() >= running.loseResponses) return false;
    running.lost++;
    return true;
  }

  #of(environment: number): Running | undefined {
    const running = this.#running.get(environment);
    if (running !== undefined && running.endsMonotonic <= this.#clock.monotonic()) {
      this.#running.delete(environment);
      return undefined;
    }
    return running;
  }
}
