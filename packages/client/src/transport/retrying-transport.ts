import { ServiceRefused, ServiceUnreachable, VekkonError } from '../errors.js';
import type { Sent, Transport } from './transport.js';

/** One try that failed, and how long until the next. */
export interface FailedTry {
  readonly method: string;
  readonly path: string;
  /** Counts from 1. */
  readonly attempt: number;
  readonly error: VekkonError;
  /** Milliseconds until the next try; undefined if there is none. */
  readonly nextIn: number | undefined;
}

export interface RetryOptions {
  /** Milliseconds after which no further try is begun. */
  readonly deadline: number;
  /** Told of each try that failed. */
  readonly onFailedTry: (failed: FailedTry) => void;
  /** From 0 up to 1; the jitter. */
  readonly chance?: () => number;
}

const firstPause = 100;
const longestPause = 5_000;
/** Milliseconds over which those who rest come back once the service answers again. */
const spreadOfReturn = 500;

/**
 * Sends again what can be sent again, with exponential backoff and full
 * jitter, until it is answered or the deadline has passed. When one call is
 * answered, those that rest because nothing answered try soon. Every call that
 * goes through here may be repeated: joins carry an attempt, saves a number.
 */
export class RetryingTransport implements Transport {
  readonly #inner: Transport;
  readonly #options: RetryOptions;
  readonly #shared: Shared;

  constructor(inner: Transport, options: RetryOptions, shared = new Shared()) {
    this.#inner = inner;
    this.#options = options;
    this.#shared = shared;
  }

  /** The same, with another deadline; stopped together with this one. */
  within(deadline: number): RetryingTransport {
    return new RetryingTransport(this.#inner, { ...this.#options, deadline }, this.#shared);
  }

  /** No further tries, until it goes on: what waits for one fails with what its last try met. */
  stop(): void {
    this.#shared.stop();
  }

  goOn(): void {
    this.#shared.isStopped = false;
  }

  async send<Answer>(sent: Sent): Promise<Answer> {
    const { deadline, onFailedTry, chance = Math.random } = this.#options;
    const startedAt = performance.now();
    for (let attempt = 1; ; attempt++) {
      try {
        const answer = await this.#inner.send<Answer>(this.#withTries(sent, attempt));
        this.#shared.isBack(chance);
        return answer;
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
        const left = deadline - (performance.now() - startedAt);
        const pause = pauseAfter(error, attempt, chance);
        const goesOn = error.canRetry && pause < left && !this.#shared.isStopped;
        const { method, path } = sent;
        onFailedTry({ method, path, attempt, error, nextIn: goesOn ? pause : undefined });
        if (!goesOn) {
          if (error.canRetry) this.#shared.triesFailed += attempt;
          throw error;
        }
        await this.#rest(pause, secondsAsked(error) === 0);
        if (this.#shared.isStopped) throw error;
      }
    }
  }

  /** Says how many tries have failed before this one, of its own and of the calls that were given up: people see it. */
  #withTries(sent: Sent, attempt: number): Sent {
    const failed = this.#shared.triesFailed + attempt - 1;
    return failed === 0 ? sent : { ...sent, headers: { ...sent.headers, 'Vekkon-Failed-Tries': String(failed) } };
  }

  /** @param mayEndEarly may somebody else's answer end it? Not where the service asked for the pause. */
  #rest(milliseconds: number, mayEndEarly: boolean): Promise<void> {
    return new Promise((resolve) => {
      const resting = {
        mayEndEarly,
        end: () => {
          clearTimeout(timer);
          this.#shared.resting.delete(resting);
          resolve();
        },
      };
      const timer = setTimeout(resting.end, milliseconds);
      this.#shared.resting.add(resting);
    });
  }
}

interface Resting {
  readonly mayEndEarly: boolean;
  end(): void;
}

/** What transports to the same service share: who rests between two tries, and whether to go on at all. */
class Shared {
  isStopped = false;
  /** Of calls that were given up since the service last answered. */
  triesFailed = 0;
  readonly resting = new Set<Resting>();

  stop(): void {
    this.isStopped = true;
    for (const one of this.resting) one.end();
  }

  /** The service answers again: whoever rests because it did not tries soon, one here and one there. */
  isBack(chance: () => number): void {
    this.triesFailed = 0;
    for (const one of this.resting) {
      if (one.mayEndEarly) setTimeout(() => one.end(), chance() * spreadOfReturn);
    }
  }
}

/** How long the service, or something on the way, asked to wait. */
function secondsAsked(error: VekkonError): number {
  if (error instanceof ServiceRefused) return error.facts.retryAfter ?? 0;
  return error instanceof ServiceUnreachable ? error.retryAfter : 0;
}

/** Full jitter: anything up to the bound, which doubles; never less than the service asked for. At once after a cut. */
function pauseAfter(error: VekkonError, attempt: number, chance: () => number): number {
  // A connection that was kept may have been closed just then: the next try has a fresh one.
  if (attempt === 1 && error instanceof ServiceUnreachable && error.wasCutOff) return 0;
  const bound = Math.min(longestPause, firstPause * 2 ** (attempt - 1));
  return Math.max(secondsAsked(error) * 1000, chance() * bound);
}
