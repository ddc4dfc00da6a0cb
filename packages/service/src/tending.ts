import type { Clock } from '@vekkon/store';
import type { Logger } from './log.js';

/** At least so often it is looked whether something is due, whatever the clock did meanwhile. */
const longestWait = 60_000;
/** After a step that failed, such as on a full disk. */
const waitAfterFailure = 5_000;

/** What one step did. */
export interface Tended {
  /** There is more to do now. */
  readonly hasMore: boolean;
  /** When something is due next, in milliseconds since 1970; null if nothing is. */
  readonly nextAt: number | null;
}

/** Does what is due on time, in small steps, and again where that failed. */
export class Tending {
  readonly #what: string;
  readonly #step: () => Promise<Tended>;
  readonly #clock: Clock;
  readonly #log: Logger;
  #timer: NodeJS.Timeout | undefined;
  #nextAt: number | null = 0;
  #running: Promise<void> | undefined;
  #isAskedAgain = false;
  #isStopped = false;

  /** @param what is tended, for the log */
  constructor(what: string, step: () => Promise<Tended>, clock: Clock, log: Logger) {
    this.#what = what;
    this.#step = step;
    this.#clock = clock;
    this.#log = log;
  }

  /** Does all that is due. Whoever asks while it is being done waits for the same. */
  tend(): Promise<void> {
    if (this.#isStopped) return Promise.resolve();
    this.#isAskedAgain = true;
    this.#running ??= this.#run().finally(() => (this.#running = undefined));
    return this.#running;
  }

  /** Before something is read: what is due by now is done first. */
  async tendIfDue(): Promise<void> {
    if (this.#nextAt !== null && this.#nextAt <= this.#clock.now()) await this.tend();
  }

  async stop(): Promise<void> {
    this.#isStopped = true;
    clearTimeout(this.#timer);
    await this.#running;
  }

  async #run(): Promise<void> {
    clearTimeout(this.#timer);
    try {
      while (this.#isAskedAgain && !this.#isStopped) {
        this.#isAskedAgain = false;
        await this.#allSteps();
      }
      this.#waitFor(this.#nextAt === null ? longestWait : this.#nextAt - this.#clock.now());
    } catch (err) {
      if (!this.#isStopped) this.#log.warn({ err }, `${this.#what} could not be tended now: tried again shortly`);
      this.#waitFor(waitAfterFailure);
    }
  }

  async #allSteps(): Promise<void> {
    for (;;) {
      const { hasMore, nextAt } = await this.#step();
      this.#nextAt = nextAt;
      if (!hasMore || this.#isStopped) return;
      // Others have their turn between two steps.
      await new Promise((resolve) => setImmediate(resolve));
    }
  }

  #waitFor(milliseconds: number): void {
    if (this.#isStopped) return;
    this.#timer = setTimeout(() => void this.tend(), Math.min(Math.max(milliseconds, 0), longestWait));
    this.#timer.unref();
  }
}
