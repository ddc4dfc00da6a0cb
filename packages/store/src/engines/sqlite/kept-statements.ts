import type Database from 'better-sqlite3';

/** A database that prepares each statement once; as much of it as Kysely asks for. */
export interface KeptStatements {
  prepare(sql: string): Database.Statement<unknown[]>;
  /** How often a statement was asked for that writes. */
  readonly writes: number;
  close(): void;
}

/** Inserts of several rows come in many lengths: bounded, so that they can't fill the memory. */
const mostKept = 1_000;

/** Kysely's dialect prepares a statement at every call; this keeps the prepared ones. */
export function keepingStatements(database: Database.Database): KeptStatements {
  const kept = new Map<string, Kept>();
  let writes = 0;
  return {
    prepare(sql) {
      let found = kept.get(sql);
      if (found === undefined) {
        const statement = database.prepare<unknown[]>(sql);
        found = { statement, isWrite: !statement.readonly };
        if (kept.size < mostKept) kept.set(sql, found);
      }
      if (found.isWrite) writes++;
      return found.statement;
    },
    get writes() {
      return writes;
    },
    close: () => void database.close(),
  };
}

interface Kept {
  readonly statement: Database.Statement<unknown[]>;
  readonly isWrite: boolean;
}
