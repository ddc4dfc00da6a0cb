import Database from 'better-sqlite3';
import { Kysely, SqliteDialect } from 'kysely';
import type { Tables } from '../../tables.js';
import type { Engine } from '../engine.js';
import { keepingStatements } from './kept-statements.js';

const notWritable = /^SQLITE_(FULL|IOERR|READONLY|CANTOPEN|CORRUPT|NOTADB)/;

/**
 * Opens a SQLite database file for one writer and readers beside it.
 *
 * WAL, so that reads never wait for a write; `synchronous=FULL`, so that a
 * commit returns only when it has been flushed to disk.
 */
export function openSqlite(file: string): Engine {
  const writer = new Database(file);
  writer.pragma('journal_mode = WAL');
  writer.pragma('synchronous = FULL');
  writer.pragma('foreign_keys = ON');
  writer.pragma('busy_timeout = 5000');
  writer.pragma('cache_size = -65536');
  // Each checkpoint flushes twice: after some 16 MiB of commits, not after 4.
  writer.pragma('wal_autocheckpoint = 4000');
  const reader = new Database(file);
  reader.pragma('query_only = ON');
  reader.pragma('cache_size = -65536');
  reader.pragma('mmap_size = 268435456');
  const kept = keepingStatements(writer);
  const writing = new Kysely<Tables>({ dialect: new SqliteDialect({ database: kept }) });
  const reading = new Kysely<Tables>({ dialect: new SqliteDialect({ database: keepingStatements(reader) }) });
  return {
    writing,
    reading,
    runMany(sql, rows) {
      const statement = kept.prepare(sql);
      for (const row of rows) statement.run(row);
    },
    isInTransaction: () => writer.inTransaction,
    isNotWritable: (error) => error instanceof Database.SqliteError && notWritable.test(error.code),
    async close() {
      await reading.destroy();
      await writing.destroy();
    },
  };
}

/** Opens a SQLite database file only to read it, beside whoever writes it. */
export function openSqliteToRead(file: string): Kysely<Tables> {
  const reader = new Database(file, { readonly: true, fileMustExist: true });
  reader.pragma('busy_timeout = 5000');
  reader.pragma('mmap_size = 268435456');
  return new Kysely<Tables>({ dialect: new SqliteDialect({ database: keepingStatements(reader) }) });
}
