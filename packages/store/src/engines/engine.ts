import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** What the store asks of a database beyond the SQL that all of them understand. */
export interface Engine {
  /** The writer's own connection. */
  readonly writing: Kysely<Tables>;
  /** Runs one statement for each row of values, in order, on the writer's connection. */
  runMany(sql: string, rows: readonly (readonly unknown[])[]): void;
  begin(): void;
  /** Begins what can be undone by itself, within what `begin` began. */
  beginPart(): void;
  keepPart(): void;
  undoPart(): void;
  /**
   * Returns when everything since `begin` has been flushed to disk.
   *
   * @param at the time that is trusted, milliseconds since 1970: kept, so that a later start knows when this one was
   */
  commit(at: number): void;
  /** Undoes everything since `begin`, where that has not happened already. */
  rollback(): void;
  /** Is the writer's connection inside a transaction? A full disk can end one under a savepoint. */
  isInTransaction(): boolean;
  /** Does this error say that nothing can be written now: disk full, read-only, I/O failed? */
  isNotWritable(error: unknown): boolean;
  /** Does this error say that the database itself is damaged? That does not pass by itself. */
  isDamaged(error: unknown): boolean;
  /** @param at the time that is trusted, milliseconds since 1970: a later start goes on from there */
  close(at: number): Promise<void>;
}
