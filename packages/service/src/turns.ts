/** What others do takes a few turns of the event loop, such as from a save's arrival to its answer. */
const turnsOfRest = 5;

/**
 * Whatever reads much is done in turns: each caller has one at a time, and
 * between two of them everybody else's calls are answered.
 */
export class Turns {
  /** What waits, by caller; the caller whose turn is next comes first. */
  readonly #waiting = new Map<string, (() => Promise<void>)[]>();
  #isRunning = false;
  readonly #longestStretch: number;

  /** @param longestStretch how long what is large may hold the thread before others have their turn, in milliseconds */
  constructor(longestStretch = 5) {
    this.#longestStretch = longestStretch;
  }

  /** Does some work when it is the caller's turn. */
  take<T>(caller: string, work: () => Promise<T>): Promise<T> {
    return new Promise((resolve, reject) => {
      const queue = this.#waiting.get(caller) ?? [];
      this.#waiting.set(caller, queue);
      queue.push(() => work().then(resolve, reject));
      if (!this.#isRunning) void this.#run();
    });
  }

  async #run(): Promise<void> {
    this.#isRunning = true;
    let since = performance.now();
    for (let next = this.#next(); next !== undefined; next = this.#next()) {
      await next();
      if (performance.now() - since < this.#longestStretch) continue;
      for (let rest = 0; rest < turnsOfRest; rest++) await new Promise((resolve) => setImmediate(resolve));
      since = performance.now();
    }
    this.#isRunning = false;
  }

  /** One of the caller who waits longest, who then goes to the end of the line. */
  #next(): (() => Promise<void>) | undefined {
    for (const [caller, queue] of this.#waiting) {
      const work = queue.shift();
      this.#waiting.delete(caller);
      if (queue.length > 0) this.#waiting.set(caller, queue);
      return work;
    }
    return undefined;
  }
}
