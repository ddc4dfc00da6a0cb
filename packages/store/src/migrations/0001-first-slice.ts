import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Environments, players, records with their history, sessions, and who may call. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await serialKey(db.schema.createTable('environments'))
    .addColumn('game', 'text', (column) => column.notNull())
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('is_live', 'integer', (column) => column.notNull())
    .addColumn('lease_seconds', 'integer', (column) => column.notNull())
    .addColumn('manifest_version', 'integer')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addUniqueConstraint('one_environment_a_name', ['game', 'name'])
    .execute();
  await db.schema
    .createTable('manifests')
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('version', 'integer', (column) => column.notNull())
    .addColumn('source', 'text', (column) => column.notNull())
    .addColumn('manifest', 'text', (column) => column.notNull())
    .addColumn('installed_at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('manifests_key', ['environment', 'version'])
    .execute();
  await serialKey(db.schema.createTable('operators'))
    .addColumn('email', 'text', (column) => column.notNull().unique())
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('role', 'text', (column) => column.notNull())
    .addColumn('password_hash', 'text', (column) => column.notNull())
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .execute();
  await db.schema
    .createTable('credentials')
    .addColumn('hash', 'text', (column) => column.primaryKey())
    .addColumn('hint', 'text')
    .addColumn('sort', 'text', (column) => column.notNull())
    .addColumn('environment', 'integer', (column) => column.references('environments.number'))
    .addColumn('operator', 'integer', (column) => column.references('operators.number'))
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('expires_at', 'bigint')
    .addColumn('revoked_at', 'bigint')
    .execute();
  await serialKey(db.schema.createTable('players'))
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('id', 'text', (column) => column.notNull())
    .addColumn('name', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('first_joined_at', 'bigint')
    .addColumn('last_joined_at', 'bigint')
    .addColumn('last_left_at', 'bigint')
    .addColumn('fence', 'integer', (column) => column.notNull())
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addUniqueConstraint('one_player_an_id', ['environment', 'id'])
    .execute();
  await db.schema
    .createIndex('players_by_last_join')
    .on('players')
    .columns(['environment', 'last_joined_at', 'number'])
    .execute();
  await db.schema
    .createTable('records')
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('revision', 'integer', (column) => column.notNull())
    .addColumn('value', 'text', (column) => column.notNull())
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addColumn('changed_at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('records_key', ['player', 'key'])
    .execute();
  await db.schema
    .createTable('history')
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('revision', 'integer', (column) => column.notNull())
    .addColumn('value', 'text', (column) => column.notNull())
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('session', 'text')
    .addColumn('label', 'text')
    .addPrimaryKeyConstraint('history_key', ['player', 'key', 'revision'])
    .execute();
  await serialKey(db.schema.createTable('ledger'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('amount', 'bigint', (column) => column.notNull())
    .addColumn('balance', 'bigint', (column) => column.notNull())
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('count', 'integer', (column) => column.notNull())
    .addColumn('session', 'text')
    .addColumn('label', 'text')
    .execute();
  await db.schema.createIndex('ledger_by_player').on('ledger').columns(['player', 'key', 'number']).execute();
  await serialKey(db.schema.createTable('host_instances'))
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('host', 'text', (column) => column.notNull())
    .addColumn('instance', 'text', (column) => column.notNull())
    .addColumn('seen_at', 'bigint', (column) => column.notNull())
    .addUniqueConstraint('one_row_an_instance', ['environment', 'host', 'instance'])
    .execute();
  await db.schema
    .createTable('sessions')
    .addColumn('id', 'text', (column) => column.primaryKey())
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('host', 'text', (column) => column.notNull())
    .addColumn('instance', 'text')
    .addColumn('attempt', 'text')
    .addColumn('fence', 'integer', (column) => column.notNull())
    .addColumn('is_new', 'integer', (column) => column.notNull())
    .addColumn('manifest_version', 'integer', (column) => column.notNull())
    .addColumn('attributes', 'text', (column) => column.notNull())
    .addColumn('joined_at', 'bigint', (column) => column.notNull())
    .addColumn('seen_at_join', 'integer', (column) => column.notNull())
    .addColumn('ended_at', 'bigint')
    .addColumn('end', 'text')
    .addColumn('seen_at_end', 'integer')
    .addColumn('next_save', 'integer', (column) => column.notNull())
    .addColumn('last_saved_at', 'bigint')
    .addColumn('last_digest', 'text')
    .addColumn('last_outcome', 'text')
    .addColumn('leave_outcome', 'text')
    .execute();
  await db.schema.createIndex('sessions_by_player').on('sessions').columns(['player', 'fence']).execute();
  // One writer: the database itself refuses a second open session of a player.
  await db.schema
    .createIndex('one_open_session_a_player')
    .unique()
    .on('sessions')
    .column('player')
    .where(sql.ref('ended_at'), 'is', null)
    .execute();
  await db.schema
    .createTable('once_tokens')
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('token', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('once_tokens_key', ['player', 'token'])
    .execute();
}
