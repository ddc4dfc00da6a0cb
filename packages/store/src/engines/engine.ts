import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** What the store asks of a database beyond the SQL that all of them understand. */
export interface Engine {
  /** The writer's own connection. */
  readonly writing: Kysely<Tables>;
  /**
   * Takes a statement that writes, and of which nobody waits for anything. Such
   * statements are carried out together, in their order, before anything else
   * is asked of the writer's connection, and at the latest with the commit.
   */
  later(sql: string, values: readonly unknown[]): void;
  /**
   * One transaction: when this resolves, everything that `work` wrote has been
   * flushed to disk; where it rejects, none of it is there.
   *
   * @param work what writes; may be called again, after all that it wrote was undone
   * @param at   of its outcome the time that is trusted, milliseconds since 1970: kept, so that a later start knows
   *   when this one was
   */
  transact<Outcome>(work: () => Promise<Outcome>, at: (outcome: Outcome) => number): Promise<Outcome>;
  /** A part of the transaction, which is undone by itself where it throws, unless the whole transaction has failed. */
  part<Outcome>(work: () => Promise<Outcome>): Promise<Outcome>;
  /** Does what was thrown in a part mean that the whole transaction has failed? A full disk can end one under a savepoint. */
  hasFailed(error: unknown): boolean;
  /** Does this error say that nothing can be written now: disk full, read-only, I/O failed? */
  isNotWritable(error: unknown): boolean;
  /** Does this error say that the database itself is damaged? That does not pass by itself. */
  isDamaged(error: unknown): boolean;
  /** @param at the time that is trusted, milliseconds since 1970: a later start goes on from there */
  close(at: number): Promise<void>;
}
