import type { CompiledQuery, Kysely } from 'kysely';
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
}

/** What Kysely builds: anything that can be compiled into SQL. */
interface Buildable<Row> {
  compile(): CompiledQuery<Row>;
}

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
      found = { query, parameters: query.parameters };
      kept.set(db, found);
    }
    return found;
  };
  const run = async (db: Kysely<Tables>, ...values: Values): Promise<readonly Row[]> => {
    const { query, parameters } = compiled(db);
    const { rows } = await db.executeQuery<Row>({
      ...(query as CompiledQuery<Row>),
      parameters: given(parameters, values),
    });
    return rows;
  };
  return Object.assign(run, { compiled });
}

/** A query's parameters with the values that were given for it. */
export function given(parameters: readonly unknown[], values: readonly unknown[]): unknown[] {
  return parameters.map((one) => (one instanceof Given ? values[one.position] : one));
}
