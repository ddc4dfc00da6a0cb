import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Identity providers with which players sign in; the key that a device was made with; limits of environments. */
export async function up(db: Kysely<unknown>): Promise<void> {
  const index = (name: string, table: string, columns: string[]) =>
    db.schema.createIndex(name).on(table).columns(columns).execute();
  await accountsWithoutPassword(db);
  await index('accounts_by_email', 'accounts', ['environment', 'folded_email', 'number']);
  await db.schema.alterTable('devices').addColumn('made_with', 'text').execute();
  await db.schema.alterTable('environments').addColumn('limits', 'text').execute();
  await serialKey(db.schema.createTable('identity_providers'))
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('title', 'text', (column) => column.notNull())
    .addColumn('issuer', 'text', (column) => column.notNull())
    .addColumn('client_id', 'text', (column) => column.notNull())
    .addColumn('client_secret', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addUniqueConstraint('identity_providers_by_name', ['environment', 'name'])
    .execute();
  await db.schema
    .createTable('identities')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('issuer', 'text', (column) => column.notNull())
    .addColumn('subject', 'text', (column) => column.notNull())
    .addColumn('account', 'integer', (column) => column.notNull())
    .addColumn('provider', 'text', (column) => column.notNull())
    .addColumn('email', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('used_at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('identities_key', ['environment', 'issuer', 'subject'])
    .execute();
  await index('identities_of_account', 'identities', ['account']);
  await db.schema
    .createTable('identity_tries')
    .addColumn('hash', 'text', (column) => column.primaryKey())
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('device', 'text', (column) => column.notNull())
    .addColumn('purpose', 'text', (column) => column.notNull())
    .addColumn('provider', 'text', (column) => column.notNull())
    .addColumn('issuer', 'text', (column) => column.notNull())
    .addColumn('state_hash', 'text', (column) => column.notNull())
    .addColumn('nonce', 'text', (column) => column.notNull())
    .addColumn('verifier', 'text', (column) => column.notNull())
    .addColumn('return_to', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('expires_at', 'bigint', (column) => column.notNull())
    .addColumn('returned_at', 'bigint')
    .addColumn('code_hash', 'text')
    .addColumn('subject', 'text')
    .addColumn('email', 'text')
    .addColumn('wrong_codes', 'integer', (column) => column.notNull())
    .addColumn('used_at', 'bigint')
    .execute();
  await index('identity_tries_by_state', 'identity_tries', ['state_hash']);
  await index('identity_tries_of_device', 'identity_tries', ['device']);
  await index('identity_tries_by_end', 'identity_tries', ['expires_at']);
}

/** Who comes by an identity provider may have neither password nor address. */
async function accountsWithoutPassword(db: Kysely<unknown>): Promise<void> {
  await serialKey(db.schema.createTable('accounts_anew'))
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('player', 'bigint', (column) => column.notNull().unique())
    .addColumn('email', 'text')
    .addColumn('folded_email', 'text', (column) => column.notNull())
    .addColumn('confirmed_at', 'bigint')
    .addColumn('password_hash', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('disabled_at', 'bigint')
    .execute();
  const columns = sql.raw(
    'number, environment, player, email, folded_email, confirmed_at, password_hash, created_at, disabled_at',
  );
  await sql`insert into accounts_anew (${columns}) select ${columns} from accounts`.execute(db);
  await db.schema.dropTable('accounts').execute();
  await db.schema.alterTable('accounts_anew').renameTo('accounts').execute();
}
