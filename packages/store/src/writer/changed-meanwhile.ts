/** How many players a watch takes note of: beyond that too much has changed, and it must be counted again. */
const mostNoted = 500_000;
const mostWatches = 20;

/**
 * Players whose records are written while something is counted beside the
 * writer. Noted too often is as good as noted: what a refused command noted
 * stays.
 */
export class ChangedMeanwhile {
  readonly #watches = new Map<string, Set<number>>();

  /** From now on, whoever is written is noted under this name. */
  watch(name: string): void {
    // One whose counting never came to an end gives way.
    for (const oldest of this.#watches.keys()) {
      if (this.#watches.size < mostWatches) break;
      this.#watches.delete(oldest);
    }
    this.#watches.set(name, new Set());
  }

  note(player: number): void {
    if (this.#watches.size === 0) return;
    for (const [name, changed] of this.#watches) {
      if (changed.size < mostNoted) changed.add(player);
      else this.#watches.delete(name);
    }
  }

  /** Who was written since a watch began or its notes were taken; undefined if that is not known. */
  noted(name: string): ReadonlySet<number> | undefined {
    return this.#watches.get(name);
  }

  end(name: string): void {
    this.#watches.delete(name);
  }
}
