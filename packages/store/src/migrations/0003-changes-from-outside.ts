import type { Kysely } from 'kysely';

/** Changes from outside a session are remembered by their idempotency keys. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .createTable('outside_requests')
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('token', 'text', (column) => column.notNull())
    .addColumn('digest', 'text', (column) => column.notNull())
    .addColumn('outcome', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('outside_requests_key', ['environment', 'token'])
    .execute();
}
