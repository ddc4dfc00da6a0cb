import type { Kysely } from 'kysely';

/** How long what was is kept, for each environment, and how much of it went. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema.alterTable('environments').addColumn('terms', 'text').execute();
  await db.schema
    .createTable('pruned')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('what', 'text', (column) => column.notNull())
    .addColumn('rows', 'bigint', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('pruned_key', ['environment', 'what'])
    .execute();
}
