import type { FeedEvent } from '@vekkon/store';

/** Why a wait ended: the player may be free, the time is up, or somebody newer waits in its place. */
export type WaitEnd = 'look-again' | 'time-is-up' | 'superseded' | 'hung-up';

/** Somebody who wants a player, from before their first try to join until they have the player or have given up. */
export interface Lookout {
  /**
   * Waits until the player may be free. Of several who wait for one player the
   * newest stays, the others end as superseded.
   *
   * @param holder       the session that holds them
   * @param milliseconds how long to wait at most
   * @param hungUp       aborted when whoever waits is gone
   */
  wait(holder: string, milliseconds: number, hungUp: AbortSignal): Promise<WaitEnd>;
  /** Nobody looks out any more. */
  end(): void;
}

/** Joins that wait for another host to let a player go, and sessions that are asked to. */
export class Handovers {
  readonly #players = new Map<string, Set<Looking>>();
  /** Sessions that are asked to let go, and how many wait for each. */
  readonly #wanted = new Map<string, number>();

  /** Is this session asked to save and leave? */
  isWanted(session: string): boolean {
    return this.#wanted.has(session);
  }

  /** From now on no end of one of the player's sessions is missed. */
  lookOut(environment: number, player: string): Lookout {
    const key = keyOf(environment, player);
    const looking = new Looking();
    const others = this.#players.get(key) ?? new Set();
    this.#players.set(key, others.add(looking));
    return {
      wait: async (holder, milliseconds, hungUp) => {
        for (const other of others) if (other !== looking) other.stop('superseded');
        this.#wanted.set(holder, (this.#wanted.get(holder) ?? 0) + 1);
        const end = await looking.wait(milliseconds, hungUp);
        this.#release(holder);
        return end;
      },
      end: () => {
        others.delete(looking);
        if (others.size === 0) this.#players.delete(key);
      },
    };
  }

  /** Takes in what a commit did: whoever waits for a player whose session has ended looks again. */
  heed(event: FeedEvent): void {
    if (event.what !== 'session-ended' && event.what !== 'player-erased') return;
    if (event.what === 'session-ended') this.#wanted.delete(event.session);
    for (const looking of this.#players.get(keyOf(event.environment, event.player)) ?? []) looking.see();
  }

  /** The service stops: nobody waits any longer. */
  close(): void {
    for (const lookouts of this.#players.values()) for (const looking of lookouts) looking.see();
  }

  #release(holder: string): void {
    const waiting = (this.#wanted.get(holder) ?? 0) - 1;
    if (waiting > 0) this.#wanted.set(holder, waiting);
    else this.#wanted.delete(holder);
  }
}

class Looking {
  /** One of the player's sessions has ended since the last wait. */
  #hasSeen = false;
  #stop: ((why: WaitEnd) => void) | undefined;

  see(): void {
    if (this.#stop === undefined) this.#hasSeen = true;
    else this.#stop('look-again');
  }

  stop(why: WaitEnd): void {
    this.#stop?.(why);
  }

  wait(milliseconds: number, hungUp: AbortSignal): Promise<WaitEnd> {
    if (this.#hasSeen) {
      this.#hasSeen = false;
      return Promise.resolve('look-again');
    }
    return new Promise((resolve) => {
      const stop = (why: WaitEnd) => {
        clearTimeout(timer);
        hungUp.removeEventListener('abort', leave);
        this.#stop = undefined;
        resolve(why);
      };
      const leave = () => stop('hung-up');
      const timer = setTimeout(() => stop('time-is-up'), milliseconds);
      this.#stop = stop;
      hungUp.addEventListener('abort', leave);
      if (hungUp.aborted) leave();
    });
  }
}

function keyOf(environment: number, player: string): string {
  return `${environment}/${player}`;
}
