import type { Kysely } from 'kysely';

/** Editions, drafts, testers, who is in which trial, and which tunables are asked for. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .alterTable('environments')
    .addColumn('designers_publish', 'integer', (column) => column.notNull().defaultTo(0))
    .execute();
  await db.schema
    .createTable('editions')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('number', 'integer', (column) => column.notNull())
    .addColumn('content', 'text', (column) => column.notNull())
    .addColumn('differences', 'text', (column) => column.notNull())
    .addColumn('note', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('reissue_of', 'integer')
    .addPrimaryKeyConstraint('editions_key', ['environment', 'number'])
    .execute();
  await db.schema
    .createTable('drafts')
    .addColumn('environment', 'integer', (column) => column.primaryKey())
    .addColumn('revision', 'integer', (column) => column.notNull())
    .addColumn('edits', 'text', (column) => column.notNull())
    .addColumn('edges_until', 'bigint', (column) => column.notNull())
    .execute();
  await db.schema
    .createTable('draft_changes')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('revision', 'integer', (column) => column.notNull())
    .addColumn('tunable', 'text', (column) => column.notNull())
    .addColumn('words', 'text', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('draft_changes_key', ['environment', 'revision'])
    .execute();
  await db.schema
    .createTable('testers')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('player', 'text', (column) => column.notNull())
    .addPrimaryKeyConstraint('testers_key', ['environment', 'player'])
    .execute();
  await db.schema
    .createTable('trial_players')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('trial', 'text', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('value', 'integer', (column) => column.notNull())
    .addColumn('since', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('trial_players_key', ['environment', 'trial', 'player'])
    .execute();
  await db.schema.createIndex('trials_of_player').on('trial_players').column('player').execute();
  await db.schema.createIndex('trial_players_by_time').on('trial_players').column('since').execute();
  await db.schema
    .createTable('tunables_asked')
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('tunable', 'text', (column) => column.notNull())
    .addColumn('build', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('tunables_asked_key', ['environment', 'tunable', 'build'])
    .execute();
}
