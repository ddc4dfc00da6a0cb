import { NotedMap, type Notes } from './undoable.js';

const minute = 60_000;
/** How many players' own devices are remembered: beyond that those that were noted first may be noted again. */
const mostRemembered = 10_000;

/** Of what a player's own device makes happen a line a minute is enough: nobody fills the activity. */
export class NotedOfDevices {
  readonly #minutes: NotedMap<string, number>;

  constructor(notes: Notes) {
    this.#minutes = new NotedMap(notes);
  }

  /** Is it the first of this kind in this minute? */
  isFirst(device: string, what: string, now: number): boolean {
    const name = `${what} ${device}`;
    const at = Math.floor(now / minute);
    if (this.#minutes.get(name) === at) return false;
    this.#minutes.setLast(name, at);
    for (const oldest of this.#minutes.keys()) {
      if (this.#minutes.size <= mostRemembered) break;
      this.#minutes.delete(oldest);
    }
    return true;
  }
}
