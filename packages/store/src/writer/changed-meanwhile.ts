/** How many players a watch takes note of: beyond that too much has changed, and it must be counted again. */
const mostNoted = 50_000;
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

  /** Ends a watch. @returns who was written since it began; undefined if that is not known */
  end(name: string): ReadonlySet<number> | undefined {
    const changed = this.#watches.get(name);
    this.#watches.delete(name);
    return changed;
  }
}
