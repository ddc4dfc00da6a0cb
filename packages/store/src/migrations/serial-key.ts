import type { CreateTableBuilder } from 'kysely';

/** A key named `number` that the database counts up by itself. */
export function serialKey<Name extends string>(table: CreateTableBuilder<Name>): CreateTableBuilder<Name, 'number'> {
  return table.addColumn('number', 'integer', (column) => column.primaryKey().autoIncrement());
}
