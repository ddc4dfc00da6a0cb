/** Calls everybody who asked to be told. One that throws does not keep the others from hearing. */
export class Listeners<Told extends readonly unknown[]> {
  readonly #all = new Set<(...told: Told) => void>();

  /** @returns takes it back */
  add(listener: (...told: Told) => void): () => void {
    this.#all.add(listener);
    return () => this.#all.delete(listener);
  }

  get count(): number {
    return this.#all.size;
  }

  tell(...told: Told): void {
    for (const listener of this.#all) {
      try {
        listener(...told);
      } catch (error) {
        // The game's own fault: it surfaces as one, and saves go on.
        queueMicrotask(() => {
          throw error;
        });
      }
    }
  }
}
