import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Unsettled transactions, the activity, and what stays of erased players. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .createTable('unsettled')
    .addColumn('id', 'text', (column) => column.primaryKey())
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('session', 'text', (column) => column.notNull())
    .addColumn('host', 'text', (column) => column.notNull())
    .addColumn('save_number', 'integer', (column) => column.notNull())
    .addColumn('position', 'integer', (column) => column.notNull())
    .addColumn('content', 'text', (column) => column.notNull())
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('detail', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    // A late save that is sent again is kept once.
    .addUniqueConstraint('unsettled_once', ['session', 'save_number', 'position'])
    .execute();
  await db.schema.createIndex('unsettled_by_environment').on('unsettled').columns(['environment', 'at']).execute();
  await serialKey(db.schema.createTable('activity'))
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('what', 'text', (column) => column.notNull())
    .addColumn('by', 'text')
    .addColumn('player', 'text')
    .addColumn('detail', 'text', (column) => column.notNull())
    .execute();
  await db.schema.createIndex('activity_by_environment').on('activity').columns(['environment', 'number']).execute();
  await db.schema
    .createTable('tombstones')
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('player', 'text', (column) => column.notNull())
    .addColumn('erased_at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('tombstones_key', ['environment', 'player', 'erased_at'])
    .execute();
  await db.schema
    .createTable('probes')
    .addColumn('at', 'bigint', (column) => column.notNull())
    .execute();
  await sql`insert into probes values (0)`.execute(db);
  await db.schema
    .createIndex('sessions_by_host')
    .on('sessions')
    .columns(['environment', 'host', 'joined_at'])
    .execute();
}
