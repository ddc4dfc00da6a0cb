/**
 * What commands take note of in memory, undone like rows: a command that is
 * refused undoes its own notes and nobody else's, a commit that fails those
 * of its whole batch.
 */
export class Notes {
  readonly #undo: (() => void)[] = [];

  /** @param undo takes back what was just noted */
  add(undo: () => void): void {
    this.#undo.push(undo);
  }

  /** Where the notes stand now, to come back to. */
  begin(): number {
    return this.#undo.length;
  }

  /** Takes back everything that was noted since `begin`, the newest first. */
  undo(since: number): void {
    while (this.#undo.length > since) this.#undo.pop()?.();
  }

  /** It is on disk: nothing of it is taken back any more. */
  keep(): void {
    this.#undo.length = 0;
  }
}

/** A map whose changes are taken back with the notes. */
export class NotedMap<Key, Value> {
  readonly #held = new Map<Key, Value>();
  readonly #notes: Notes;

  constructor(notes: Notes) {
    this.#notes = notes;
  }

  get size(): number {
    return this.#held.size;
  }

  get(key: Key): Value | undefined {
    return this.#held.get(key);
  }

  /** The keys, the one that was set first before all others. */
  keys(): IterableIterator<Key> {
    return this.#held.keys();
  }

  set(key: Key, value: Value): void {
    this.#noteBefore(key);
    this.#held.set(key, value);
  }

  /** The same, and it comes after all others. */
  setLast(key: Key, value: Value): void {
    this.#noteBefore(key);
    this.#held.delete(key);
    this.#held.set(key, value);
  }

  delete(key: Key): void {
    if (!this.#held.has(key)) return;
    this.#noteBefore(key);
    this.#held.delete(key);
  }

  #noteBefore(key: Key): void {
    const had = this.#held.has(key);
    const before = this.#held.get(key);
    this.#notes.add(() => (had ? this.#held.set(key, before as Value) : this.#held.delete(key)));
  }
}
