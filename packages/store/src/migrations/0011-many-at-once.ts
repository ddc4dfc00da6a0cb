import type { Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Gifts: the same changes for many players at once, and what each of them got. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await serialKey(db.schema.createTable('gifts'))
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('content', 'text', (column) => column.notNull())
    .addColumn('audience', 'text', (column) => column.notNull())
    .addColumn('label', 'text', (column) => column.notNull())
    .addColumn('state', 'text', (column) => column.notNull())
    .addColumn('until', 'bigint', (column) => column.notNull())
    .addColumn('after', 'bigint', (column) => column.notNull())
    .addColumn('asked', 'integer', (column) => column.notNull())
    .addColumn('given', 'integer', (column) => column.notNull())
    .addColumn('refused', 'integer', (column) => column.notNull())
    .addColumn('taken_back', 'integer', (column) => column.notNull())
    .addColumn('kept', 'integer', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('ended_at', 'bigint')
    .execute();
  await db.schema.createIndex('gifts_by_environment').on('gifts').columns(['environment', 'number']).execute();
  await db.schema
    .createTable('gift_players')
    .addColumn('gift', 'integer', (column) => column.notNull())
    .addColumn('place', 'bigint', (column) => column.notNull())
    .addColumn('player', 'integer')
    .addColumn('id', 'text', (column) => column.notNull())
    .addColumn('state', 'text', (column) => column.notNull())
    .addColumn('problem', 'text')
    .addColumn('back', 'text')
    .addPrimaryKeyConstraint('gift_players_key', ['gift', 'place'])
    .execute();
  await db.schema.createIndex('gift_players_by_state').on('gift_players').columns(['gift', 'state', 'place']).execute();
  await db.schema.createIndex('gifts_of_player').on('gift_players').column('player').execute();
}
