import { NotedMap, type Notes } from './undoable.js';

/**
 * What stands in the store and need not be read again, within a bound: only
 * the writer changes it, so what it wrote last is what is stored. Undone with
 * the commands, as all notes are.
 */
export class Held<Key, Value extends { readonly bytes: number }> {
  /** The one that was kept last comes last. */
  readonly #held: NotedMap<Key, Value>;
  readonly #notes: Notes;
  readonly #most: number;
  #bytes = 0;

  /** @param most how much is held at the most, in bytes */
  constructor(notes: Notes, most: number) {
    this.#held = new NotedMap(notes);
    this.#notes = notes;
    this.#most = most;
  }

  of(key: Key): Value | undefined {
    return this.#held.get(key);
  }

  /** Those that were kept longest ago give way where there is no room. */
  keep(key: Key, held: Value): void {
    const before = this.#held.get(key)?.bytes ?? 0;
    this.#held.setLast(key, held);
    this.#grow(held.bytes - before);
    if (this.#bytes <= this.#most) return;
    for (const oldest of this.#held.keys()) {
      if (this.#bytes <= this.#most) break;
      this.forget(oldest);
    }
  }

  forget(key: Key): void {
    const held = this.#held.get(key);
    if (held === undefined) return;
    this.#grow(-held.bytes);
    this.#held.delete(key);
  }

  #grow(bytes: number): void {
    if (bytes === 0) return;
    this.#bytes += bytes;
    this.#notes.add(() => (this.#bytes -= bytes));
  }
}
