import type Database from 'better-sqlite3';

/** A database that prepares each statement once; as much of it as Kysely asks for. */
export interface KeptStatements {
  prepare(sql: string): Database.Statement<unknown[]>;
  close(): void;
}

/** Inserts of several rows come in many lengths: bounded, so that they can't fill the memory. */
const mostKept = 1_000;

/** Kysely's dialect prepares a statement at every call; this keeps the prepared ones. */
export function keepingStatements(database: Database.Database): KeptStatements {
  const kept = new Map<string, Database.Statement<unknown[]>>();
  return {
    prepare(sql) {
      let statement = kept.get(sql);
      if (statement === undefined) {
        statement = database.prepare<unknown[]>(sql);
        if (kept.size < mostKept) kept.set(sql, statement);
      }
      return statement;
    },
    close: () => void database.close(),
  };
}
