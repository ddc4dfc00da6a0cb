import { ServiceRefused, VekkonError } from '../errors.js';
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

/**
 * Sends again what can be sent again, with exponential backoff and full
 * jitter, until it is answered or the deadline has passed. Every call that
 * goes through here may be repeated: joins carry an attempt, saves a number.
 */
export class RetryingTransport implements Transport {
  readonly #inner: Transport;
  readonly #options: RetryOptions;
  readonly #stopped: Stopped;

  constructor(inner: Transport, options: RetryOptions, stopped = new Stopped()) {
    this.#inner = inner;
    this.#options = options;
    this.#stopped = stopped;
  }

  /** The same, with another deadline; stopped together with this one. */
  within(deadline: number): RetryingTransport {
    return new RetryingTransport(this.#inner, { ...this.#options, deadline }, this.#stopped);
  }

  /** No further tries: what waits for one fails with what its last try met. */
  stop(): void {
    this.#stopped.stop();
  }

  async send<Answer>(sent: Sent): Promise<Answer> {
    const { deadline, onFailedTry, chance = Math.random } = this.#options;
    const startedAt = performance.now();
    for (let attempt = 1; ; attempt++) {
      try {
        return await this.#inner.send<Answer>(sent);
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
        const left = deadline - (performance.now() - startedAt);
        const pause = pauseAfter(error, attempt, chance);
        const goesOn = error.canRetry && pause < left && !this.#stopped.isStopped;
        const { method, path } = sent;
        onFailedTry({ method, path, attempt, error, nextIn: goesOn ? pause : undefined });
        if (!goesOn) throw error;
        await this.#rest(pause);
        if (this.#stopped.isStopped) throw error;
      }
    }
  }

  #rest(milliseconds: number): Promise<void> {
    const { resting } = this.#stopped;
    return new Promise((resolve) => {
      const done = () => {
        clearTimeout(timer);
        resting.delete(done);
        resolve();
      };
      const timer = setTimeout(done, milliseconds);
      resting.add(done);
    });
  }
}

/** Shared by transports that stop together: whoever rests between two tries is woken. */
class Stopped {
  isStopped = false;
  readonly resting = new Set<() => void>();

  stop(): void {
    this.isStopped = true;
    for (const wake of this.resting) wake();
  }
}

/** Full jitter: anything up to the bound, which doubles; never less than the service asked for. */
function pauseAfter(error: VekkonError, attempt: number, chance: () => number): number {
  const bound = Math.min(longestPause, firstPause * 2 ** (attempt - 1));
  const asked = error instanceof ServiceRefused ? (error.facts.retryAfter ?? 0) * 1000 : 0;
  return Math.max(asked, chance() * bound);
}
