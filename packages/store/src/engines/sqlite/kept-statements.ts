import type Database from 'better-sqlite3';
import type { SqliteDatabase, SqliteStatement } from 'kysely';

/** Kysely's dialect prepares a statement at every call; this keeps the prepared ones. */
export function keepingStatements(database: Database.Database): SqliteDatabase {
  const kept = new Map<string, SqliteStatement>();
  return {
    prepare(sql) {
      let statement = kept.get(sql);
      if (statement === undefined) {
        statement = database.prepare(sql) as unknown as SqliteStatement;
        // Inserts of several rows come in many lengths: bounded, so that they can't fill the memory.
        if (kept.size < 1_000) kept.set(sql, statement);
      }
      return statement;
    },
    close: () => database.close(),
  };
}
