import { SessionOver } from '../errors.js';
import type { PlayerStatus } from './options.js';

/** How a device stands with the service, and why. */
export class Connection {
  #is: PlayerStatus['connection'] = 'starting';
  #trouble: Error | undefined;
  readonly #onChange: () => void;

  constructor(onChange: () => void) {
    this.#onChange = onChange;
  }

  get is(): PlayerStatus['connection'] {
    return this.#is;
  }

  /** What went wrong last; undefined where nothing did. */
  get trouble(): Error | undefined {
    return this.#trouble;
  }

  /** Can the game go on, with the service or without? */
  get isPlaying(): boolean {
    return this.#is === 'online' || this.#is === 'offline';
  }

  /** @throws TypeError before the start; SessionOver where the player has left or was lost */
  checkPlaying(session: string | undefined): void {
    if (this.isPlaying) return;
    if (this.#is === 'starting') throw notStarted();
    if (this.#trouble instanceof SessionOver) throw this.#trouble;
    throw new SessionOver(session ?? '', this.#trouble?.message ?? 'the player left.');
  }

  set(is: PlayerStatus['connection'], trouble?: unknown): void {
    this.#is = is;
    this.#trouble = trouble === undefined || trouble instanceof Error ? trouble : new Error(String(trouble));
    this.#onChange();
  }
}

export function notStarted(): TypeError {
  return new TypeError('The player has not started: await start() first.');
}
