import type { CompiledQuery, Insertable, Kysely } from 'kysely';
import type { Tables } from './tables.js';

/** Stands for a value that is given later. */
class Given {
  constructor(readonly position: number) {}
}

/** A query with places for values that are given later. */
export interface Compiled {
  readonly query: CompiledQuery;
  /** Which of the given values each parameter is, or a value that is always the same. */
  readonly parameters: readonly unknown[];
  /** They are the given values, in their order. */
  readonly areAsGiven: boolean;
}

/** Runs SQL that was compiled before, with its values. */
export type RunCompiled = (sql: string, parameters: readonly unknown[]) => Promise<readonly unknown[]>;

const runOn = new WeakMap<Kysely<Tables>, RunCompiled>();

/** Lets kept queries on a connection go past all that Kysely does at each query: they are compiled already. */
export function runCompiledOn(db: Kysely<Tables>, run: RunCompiled): void {
  runOn.set(db, run);
}

/** What Kysely builds: anything that can be compiled into SQL. */
interface Buildable<Row> {
  compile(): CompiledQuery<Row>;
}

/** Every kept query that was made, to be compiled: what is on the way of a call must be understood by each engine. */
export const keptQueries: ((db: Kysely<Tables>) => Compiled)[] = [];

/**
 * A query that is built once for each connection, and afterwards only given
 * its values: on the way of every save, building costs more than running.
 *
 * @param build makes the query with Kysely; each value may stand only where a parameter does
 */
export function keptQuery<Row, Values extends readonly unknown[]>(
  build: (db: Kysely<Tables>, ...values: Values) => Buildable<Row>,
): {
  (db: Kysely<Tables>, ...values: Values): Promise<readonly Row[]>;
  readonly compiled: (db: Kysely<Tables>) => Compiled;
} {
  const kept = new WeakMap<Kysely<Tables>, Compiled>();
  const compiled = (db: Kysely<Tables>): Compiled => {
    let found = kept.get(db);
    if (found === undefined) {
      const places = Array.from({ length: build.length - 1 }, (_, position) => new Given(position));
      const query = build(db, ...(places as unknown as Values)).compile();
      const { parameters } = query;
      found = { query, parameters, areAsGiven: areInOrder(parameters, places) };
      kept.set(db, found);
    }
    return found;
  };
  keptQueries.push(compiled);
  const run = (db: Kysely<Tables>, ...values: Values): Promise<readonly Row[]> => {
    const found = compiled(db);
    const { query } = found;
    const direct = runOn.get(db);
    const all = given(found, values);
    if (direct !== undefined) return direct(query.sql, all) as Promise<readonly Row[]>;
    return db.executeQuery<Row>({ ...(query as CompiledQuery<Row>), parameters: all }).then(({ rows }) => rows);
  };
  return Object.assign(run, { compiled });
}

/** Where writes go that nobody waits for. */
export interface TakesWrites {
  readonly db: Kysely<Tables>;
  /** See `Engine.later`. */
  readonly later: (sql: string, values: readonly unknown[]) => void;
}

/**
 * A write that is built once for each connection, and of which nobody waits
 * for anything: it is carried out before whatever is asked next. It must not
 * depend on anything that could refuse it.
 *
 * @param build makes the query with Kysely; each value may stand only where a parameter does
 */
export function keptWrite<Values extends readonly unknown[]>(
  build: (db: Kysely<Tables>, ...values: Values) => Buildable<unknown>,
): (place: TakesWrites, ...values: Values) => void {
  const { compiled } = keptQuery(build);
  return ({ db, later }, ...values) => {
    const found = compiled(db);
    later(found.query.sql, given(found, values));
  };
}

/**
 * Inserts rows of one table, all with the same columns, by a statement that is
 * built once for each connection.
 */
export function keptInsert<Name extends keyof Tables>(
  table: Name,
): (db: Kysely<Tables>, row: Insertable<Tables[Name]>) => Promise<unknown> {
  const kept = new WeakMap<Kysely<Tables>, { readonly names: readonly string[]; readonly sql: string }>();
  return (db, row) => {
    let found = kept.get(db);
    if (found === undefined) {
      found = { names: Object.keys(row), sql: db.insertInto(table).values(row).compile().sql };
      kept.set(db, found);
    }
    const values = found.names.map((name) => (row as { readonly [name: string]: unknown })[name]);
    const direct = runOn.get(db);
    return direct === undefined ? db.insertInto(table).values(row).execute() : direct(found.sql, values);
  };
}

/** A query's parameters with the values that were given for it. */
function given({ parameters, areAsGiven }: Compiled, values: readonly unknown[]): readonly unknown[] {
  if (areAsGiven) return values;
  return parameters.map((one) => (one instanceof Given ? values[one.position] : one));
}

/** Do a query's parameters stand just as its values are given? */
function areInOrder(parameters: readonly unknown[], values: readonly unknown[]): boolean {
  return parameters.length === values.length && parameters.every((one, position) => one === values[position]);
}
