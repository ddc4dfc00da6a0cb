import Database from 'better-sqlite3';
import { Kysely, SqliteDialect } from 'kysely';
import path from 'node:path';
import { rfc3339 } from '../../clock.js';
import type { Tables } from '../../tables.js';
import { runCompiledOn } from '../../kept-query.js';
import type { Engine } from '../engine.js';
import { databaseName } from './check-folder.js';
import { keepingStatements, type KeptStatements } from './kept-statements.js';
import { indexPlayerParts } from './player-search.js';
import { LastCommitNote } from './last-commit.js';
import { LaterFailed } from './later-statements.js';

const notWritable = /^SQLITE_(FULL|IOERR|READONLY|CANTOPEN)/;
const damaged = /^SQLITE_(CORRUPT|NOTADB)/;

/** A part that had written something was refused: the transaction is played again, with savepoints. */
const needsSavepoints = new Error('A part of a transaction must be undone by itself.');

/** How many transactions have savepoints after one that needed them: whoever provokes it gains nothing. */
const carefulFor = 64;

/** A SQLite database that is open, and what only it can tell. */
export interface SqliteEngine extends Engine {
  /** Counts commits from now on, in the database and beside it. To be called once it is migrated. */
  countCommits(): Counted;
  /** Makes what finds players by parts of their names, where it is missing. To be called once it is migrated. */
  indexPlayerParts(): void;
  /** Writes the database anew without what it freed before it overwrote what it frees. */
  dropFreed(): void;
}

export interface Counted {
  readonly commits: number;
  /** The trusted time of the last commit, milliseconds since 1970; undefined if there was none. */
  readonly at: number | undefined;
}

/**
 * Opens the SQLite database of a folder for the one who writes.
 *
 * WAL, so that reads never wait for a write; `synchronous=FULL`, so that a
 * commit returns only when it has been flushed to disk; `secure_delete`, so
 * that what is erased stands nowhere in the file.
 */
export function openSqlite(folder: string): SqliteEngine {
  const file = path.join(folder, databaseName);
  const writer = new Database(file);
  writer.pragma('journal_mode = WAL');
  writer.pragma('synchronous = FULL');
  writer.pragma('foreign_keys = ON');
  writer.pragma('secure_delete = ON');
  writer.pragma('busy_timeout = 5000');
  // What a savepoint may have to bring back is kept in memory, not in a file.
  writer.pragma('temp_store = MEMORY');
  // 48 MiB: enough for the inner pages of a million players, and what they need at once.
  writer.pragma('cache_size = -49152');
  // Each checkpoint flushes twice: after some 16 MiB of commits, not after 4.
  writer.pragma('wal_autocheckpoint = 4000');
  const kept = keepingStatements(writer);
  const writing = kyselyOn(kept);
  const begin = writer.prepare('begin immediate');
  const commit = writer.prepare('commit');
  const beginPart = writer.prepare('savepoint part');
  const keepPart = writer.prepare('release part');
  const undoPart = writer.prepare('rollback to part');
  const changed = writer.prepare('select total_changes()').pluck();
  let count: Counting | undefined;
  // Savepoints cost a save a tenth: every page that a part changes is copied first. Nearly all parts hold, and nearly
  // all that don't are refused before they wrote; so a transaction is tried without, and played again where one is needed.
  let withSavepoints = 0;
  const hasFailed = (error: unknown) =>
    error === needsSavepoints || isNotWritable(error) || isDamaged(error) || !writer.inTransaction;
  return {
    writing,
    later: (sql, values) => kept.later(sql, values),
    countCommits() {
      const row = writer.prepare('select number, at from commits').get() as { number: number; at: number };
      const write = writer.prepare('update commits set number = ?, at = ?');
      count = {
        note: new LastCommitNote(folder, { number: row.number, at: rfc3339(row.at) }),
        number: row.number,
        write,
      };
      return { commits: row.number, at: row.number === 0 ? undefined : row.at };
    },
    indexPlayerParts: () => indexPlayerParts(writer),
    dropFreed: () => void writer.exec('vacuum'),
    async transact(work, at) {
      try {
        return await transactOnce(work, at);
      } catch (error) {
        if (error !== needsSavepoints) throw error;
        withSavepoints = carefulFor;
        return await transactOnce(work, at);
      } finally {
        if (withSavepoints > 0) withSavepoints--;
      }
    },
    async part(work) {
      kept.taken.beginPart();
      if (withSavepoints === 0) {
        const written = kept.writes;
        try {
          return await work();
        } catch (thrown) {
          const error = withoutSavepoints(thrown);
          if (hasFailed(error)) throw error;
          if (kept.writes !== written) throw needsSavepoints;
          kept.taken.undoPart();
          throw error;
        }
      }
      beginPart.run();
      try {
        const outcome = await work();
        kept.runTaken();
        keepPart.run();
        return outcome;
      } catch (thrown) {
        const error = causeOf(thrown);
        kept.taken.forget();
        if (!hasFailed(error)) {
          undoPart.run();
          keepPart.run();
        }
        throw error;
      }
    },
    hasFailed,
    isNotWritable,
    isDamaged,
    async close(at) {
      if (!writer.open) return;
      if (count !== undefined) noteTime(count, at);
      await writing.destroy();
      count?.note.close();
    },
  };

  async function transactOnce<Outcome>(
    work: () => Promise<Outcome>,
    at: (outcome: Outcome) => number,
  ): Promise<Outcome> {
    begin.run();
    const changedBefore = changed.get();
    try {
      const outcome = await work();
      kept.runTaken();
      // What changed nothing, such as a renewal, flushes nothing and counts for nothing.
      if (count === undefined || changed.get() === changedBefore) commit.run();
      else commitCounted(count, at(outcome));
      return outcome;
    } catch (thrown) {
      const error = withSavepoints === 0 ? withoutSavepoints(thrown) : causeOf(thrown);
      kept.taken.forget();
      if (writer.inTransaction) writer.exec('rollback');
      throw error;
    }
  }

  /** What failed later failed for a part that is not known: with savepoints it shows which. */
  function withoutSavepoints(thrown: unknown): unknown {
    const error = causeOf(thrown);
    return error === thrown || hasFailed(error) ? error : needsSavepoints;
  }

  function commitCounted(counting: Counting, at: number): void {
    counting.write.run(counting.number + 1, at);
    commit.run();
    counting.number += 1;
    counting.note.write({ number: counting.number, at: rfc3339(at) });
  }

  function noteTime(counting: Counting, at: number): void {
    try {
      begin.run();
      commitCounted(counting, at);
    } catch {
      // A full disk: the next start goes on from the last commit.
      if (writer.inTransaction) writer.exec('rollback');
    }
  }
}

function isNotWritable(error: unknown): boolean {
  return error instanceof Database.SqliteError && notWritable.test(error.code);
}

/** Does an error say that the database itself is damaged? */
export function isDamaged(error: unknown): boolean {
  return error instanceof Database.SqliteError && damaged.test(error.code);
}

function causeOf(thrown: unknown): unknown {
  return thrown instanceof LaterFailed ? thrown.cause : thrown;
}

/** Counts commits in the database and beside it. */
interface Counting {
  readonly note: LastCommitNote;
  number: number;
  readonly write: Database.Statement;
}

/** Opens the database of a folder for reads: they never wait for whoever writes. */
export function openForReads(folder: string): Kysely<Tables> {
  const reader = new Database(path.join(folder, databaseName));
  reader.pragma('query_only = ON');
  // What is mapped needs no copy of it; this is for what still stands in the log.
  reader.pragma('cache_size = -16384');
  reader.pragma('mmap_size = 268435456');
  return kyselyOn(keepingStatements(reader));
}

/** Kysely on a connection, which kept queries use without it. */
function kyselyOn(kept: KeptStatements): Kysely<Tables> {
  const db = new Kysely<Tables>({ dialect: new SqliteDialect({ database: kept }) });
  runCompiledOn(db, (sql, parameters) => {
    try {
      const statement = kept.prepare(sql);
      if (statement.reader) return Promise.resolve(statement.all(...parameters));
      statement.run(...parameters);
      return nothing;
    } catch (error) {
      return Promise.reject(error);
    }
  });
  return db;
}

const nothing = Promise.resolve([]);

/** Opens a SQLite database file only to read it, beside whoever writes it. */
export function openSqliteToRead(file: string): Kysely<Tables> {
  const reader = new Database(file, { readonly: true, fileMustExist: true });
  reader.pragma('busy_timeout = 5000');
  reader.pragma('mmap_size = 268435456');
  return kyselyOn(keepingStatements(reader));
}
