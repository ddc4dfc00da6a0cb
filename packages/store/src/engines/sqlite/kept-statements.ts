import type Database from 'better-sqlite3';
import { LaterStatements } from './later-statements.js';

/** A database that prepares each statement once; as much of it as Kysely asks for. */
export interface KeptStatements {
  /** A statement that is carried out at once. */
  prepare(sql: string): Database.Statement<unknown[]>;
  /** Takes a statement that writes, to be carried out before the next that is prepared. */
  later(sql: string, values: readonly unknown[]): void;
  /** What was taken for later. */
  readonly taken: LaterStatements;
  /** Carries out what was taken for later. */
  runTaken(): void;
  /** Counts up whenever the part at work writes something. */
  readonly writes: number;
  close(): void;
}

/** Inserts of several rows come in many lengths: bounded, so that they can't fill the memory. */
const mostKept = 1_000;

/** Kysely's dialect prepares a statement at every call; this keeps the prepared ones. */
export function keepingStatements(database: Database.Database): KeptStatements {
  const kept = new Map<string, Kept>();
  const taken = new LaterStatements();
  let writes = 0;
  const keptOf = (sql: string): Kept => {
    let found = kept.get(sql);
    if (found === undefined) {
      const statement = database.prepare<unknown[]>(sql);
      found = { statement, isWrite: !statement.readonly };
      if (kept.size < mostKept) kept.set(sql, found);
    }
    return found;
  };
  const runTaken = (): void => {
    if (taken.run()) writes++;
  };
  return {
    prepare(sql) {
      runTaken();
      const { statement, isWrite } = keptOf(sql);
      if (isWrite) writes++;
      return statement;
    },
    later: (sql, values) => taken.take(keptOf(sql).statement, values),
    taken,
    runTaken,
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
