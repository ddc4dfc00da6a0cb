/** Numbers that look random and are the same at every start: the demo's history is always the same one. */
export class Random {
  #state: number;

  constructor(start: number) {
    this.#state = start >>> 0;
  }

  /** From 0 up to but not including 1 (the mulberry32 generator). */
  next(): number {
    this.#state = (this.#state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(this.#state ^ (this.#state >>> 15), this.#state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  }

  /** A whole number from `least` to `most`. */
  between(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1));
  }

  chance(probability: number): boolean {
    return this.next() < probability;
  }

  oneOf<T>(list: readonly T[]): T {
    return list[Math.floor(this.next() * list.length)] as T;
  }
}
