import type { Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Players' accounts: who they are, where they are signed in, and what was mailed to them; what keys are called and good for. */
export async function up(db: Kysely<unknown>): Promise<void> {
  const index = (name: string, table: string, columns: string[]) =>
    db.schema.createIndex(name).on(table).columns(columns).execute();
  for (const [column, type] of [
    ['name', 'text'],
    ['scopes', 'text'],
    ['last_used_at', 'bigint'],
    ['last_used_from', 'text'],
  ] as const) {
    await db.schema.alterTable('credentials').addColumn(column, type).execute();
  }
  await serialKey(db.schema.createTable('accounts'))
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('player', 'bigint', (column) => column.notNull().unique())
    .addColumn('email', 'text', (column) => column.notNull())
    .addColumn('folded_email', 'text', (column) => column.notNull())
    .addColumn('confirmed_at', 'bigint')
    .addColumn('password_hash', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('disabled_at', 'bigint')
    .execute();
  await index('accounts_by_email', 'accounts', ['environment', 'folded_email', 'number']);
  await db.schema
    .createTable('account_links')
    .addColumn('hash', 'text', (column) => column.primaryKey())
    .addColumn('account', 'integer', (column) => column.notNull())
    .addColumn('sort', 'text', (column) => column.notNull())
    .addColumn('email', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('expires_at', 'bigint', (column) => column.notNull())
    .addColumn('used_at', 'bigint')
    .execute();
  await index('account_links_of_account', 'account_links', ['account', 'sort']);
  await index('account_links_by_end', 'account_links', ['expires_at']);
  await db.schema
    .createTable('sign_ins')
    .addColumn('id', 'text', (column) => column.primaryKey())
    .addColumn('account', 'integer', (column) => column.notNull())
    .addColumn('device', 'bigint', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('opened_at', 'bigint')
    .addColumn('used_at', 'bigint', (column) => column.notNull())
    .addColumn('address', 'text', (column) => column.notNull())
    .addColumn('ended_at', 'bigint')
    .execute();
  await index('sign_ins_of_account', 'sign_ins', ['account', 'created_at']);
  await index('sign_ins_of_device', 'sign_ins', ['device']);
  await index('sign_ins_by_end', 'sign_ins', ['ended_at']);
  await db.schema
    .createTable('refresh_tokens')
    .addColumn('hash', 'text', (column) => column.primaryKey())
    .addColumn('sign_in', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('expires_at', 'bigint', (column) => column.notNull())
    .addColumn('used_at', 'bigint')
    .addColumn('next', 'text')
    .execute();
  await index('refresh_tokens_of_sign_in', 'refresh_tokens', ['sign_in']);
  await index('refresh_tokens_by_end', 'refresh_tokens', ['expires_at']);
  await db.schema
    .createTable('signing_keys')
    .addColumn('id', 'text', (column) => column.primaryKey())
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .execute();
}
