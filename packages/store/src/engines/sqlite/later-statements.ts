import type Database from 'better-sqlite3';

/** One of them failed, and with it what it was a part of: `cause` says how. */
export class LaterFailed extends Error {}

/**
 * Statements that were taken and not carried out yet. What decides and what
 * writes take turns of many steps each, rather than of one: that is less work
 * for both. What a part took and nobody carried out is undone by forgetting it.
 */
export class LaterStatements {
  #statements: Database.Statement<unknown[]>[] = [];
  #values: (readonly unknown[])[] = [];
  /** Where those of the part begin that is at work. */
  #part = 0;

  take(statement: Database.Statement<unknown[]>, values: readonly unknown[]): void {
    this.#statements.push(statement);
    this.#values.push(values);
  }

  /** From now on it is another part that takes. */
  beginPart(): void {
    this.#part = this.#statements.length;
  }

  /** Forgets what this part has taken. */
  undoPart(): void {
    this.#statements.length = this.#part;
    this.#values.length = this.#part;
  }

  /** Forgets all. */
  forget(): void {
    this.#part = 0;
    this.undoPart();
  }

  /**
   * Carries them out.
   *
   * @returns whether some of them were of the part that is at work
   * @throws LaterFailed where one of them fails, whoever took it
   */
  run(): boolean {
    const statements = this.#statements;
    const values = this.#values;
    if (statements.length === 0) return false;
    const ofPart = statements.length > this.#part;
    this.#statements = [];
    this.#values = [];
    this.#part = 0;
    try {
      // Spread: an array is looked into value by value, which costs half as much again.
      for (const [index, statement] of statements.entries()) statement.run(...(values[index] ?? []));
    } catch (cause) {
      throw new LaterFailed('A statement failed that was taken for later.', { cause });
    }
    return ofPart;
  }
}
