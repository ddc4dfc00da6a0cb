import type { Kysely } from 'kysely';

/** Operators are invited, have roles for single environments, a second factor, and can be shut out. */
export async function up(db: Kysely<unknown>): Promise<void> {
  for (const [column, type] of [
    ['disabled_at', 'bigint'],
    ['totp_secret', 'text'],
    ['totp_step', 'bigint'],
    ['recovery', 'text'],
  ] as const) {
    await db.schema.alterTable('operators').addColumn(column, type).execute();
  }
  await db.schema
    .createTable('operator_roles')
    .addColumn('operator', 'integer', (column) => column.notNull())
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('role', 'text', (column) => column.notNull())
    .addPrimaryKeyConstraint('operator_roles_key', ['operator', 'environment'])
    .execute();
  await db.schema
    .createTable('invitations')
    .addColumn('hash', 'text', (column) => column.primaryKey())
    .addColumn('email', 'text', (column) => column.notNull())
    .addColumn('role', 'text', (column) => column.notNull())
    .addColumn('roles', 'text', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('expires_at', 'bigint', (column) => column.notNull())
    .addColumn('used_at', 'bigint')
    .execute();
  await db.schema
    .createIndex('credentials_of_operator')
    .on('credentials')
    .columns(['operator', 'created_at'])
    .execute();
}
