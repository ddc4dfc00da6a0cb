/** Why a wait ended: the player may be free, the time is up, or somebody newer waits in its place. */
export type WaitEnd = 'look-again' | 'time-is-up' | 'superseded' | 'hung-up';

interface Waiter {
  readonly holder: string;
  readonly end: (why: WaitEnd) => void;
}

/** Joins that wait for another host to let a player go, and sessions that are asked to. */
export class Handovers {
  readonly #waiters = new Map<string, Waiter>();
  /** Sessions that are asked to let go, and how many wait for each. */
  readonly #wanted = new Map<string, number>();

  /** Is this session asked to save and leave? */
  isWanted(session: string): boolean {
    return this.#wanted.has(session);
  }

  /**
   * Waits until a player may be free. Of several who wait for one player the
   * newest stays, the others end as superseded.
   *
   * @param player      the player, unique over all environments
   * @param holder      the session that holds them
   * @param milliseconds how long to wait at most
   * @param hungUp      aborted when whoever waits is gone
   */
  wait(player: string, holder: string, milliseconds: number, hungUp: AbortSignal): Promise<WaitEnd> {
    this.#waiters.get(player)?.end('superseded');
    return new Promise((resolve) => {
      const end = (why: WaitEnd) => {
        clearTimeout(timer);
        hungUp.removeEventListener('abort', leave);
        if (this.#waiters.get(player) === waiter) this.#waiters.delete(player);
        this.#release(holder);
        resolve(why);
      };
      const leave = () => end('hung-up');
      const timer = setTimeout(() => end('time-is-up'), milliseconds);
      const waiter: Waiter = { holder, end };
      this.#waiters.set(player, waiter);
      this.#wanted.set(holder, (this.#wanted.get(holder) ?? 0) + 1);
      hungUp.addEventListener('abort', leave);
      if (hungUp.aborted) leave();
    });
  }

  /** A session has ended: whoever waits for its player looks again. */
  ended(session: string): void {
    this.#wanted.delete(session);
    for (const waiter of this.#waiters.values()) if (waiter.holder === session) waiter.end('look-again');
  }

  /** The service stops: nobody waits any longer. */
  close(): void {
    for (const waiter of this.#waiters.values()) waiter.end('look-again');
  }

  #release(holder: string): void {
    const waiting = (this.#wanted.get(holder) ?? 0) - 1;
    if (waiting > 0) this.#wanted.set(holder, waiting);
    else this.#wanted.delete(holder);
  }
}
