import type { Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** What players are found by, beside their names: declared for an environment, and kept up to date by what writes. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await serialKey(db.schema.createTable('found_by'))
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('of', 'text', (column) => column.notNull())
    .addColumn('through', 'bigint', (column) => column.notNull())
    .addColumn('ready_at', 'bigint')
    .addColumn('dropped_at', 'bigint')
    .execute();
  await db.schema.createIndex('found_by_environment').on('found_by').columns(['environment', 'number']).execute();
  await db.schema
    .createTable('found_values')
    .addColumn('found_by', 'integer', (column) => column.notNull())
    .addColumn('player', 'bigint', (column) => column.notNull())
    .addColumn('value', 'double precision')
    .addColumn('text', 'text')
    .addPrimaryKeyConstraint('found_values_key', ['found_by', 'player'])
    .execute();
  const index = (name: string, column: string) =>
    db.schema.createIndex(name).on('found_values').columns(['found_by', column, 'player']).execute();
  await index('found_values_by_value', 'value');
  await index('found_values_by_text', 'text');
  await db.schema.createIndex('found_values_of_player').on('found_values').column('player').execute();
}
