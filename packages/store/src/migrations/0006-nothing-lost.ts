import { sql, type Kysely } from 'kysely';

/**
 * Outcomes of saves until their senders have them, how far the database is,
 * digests of what history holds, and what finds all that is a player's.
 */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .createTable('save_outcomes')
    .addColumn('session', 'text', (column) => column.notNull().references('sessions.id'))
    .addColumn('number', 'integer', (column) => column.notNull())
    .addColumn('digest', 'text', (column) => column.notNull())
    .addColumn('outcome', 'text', (column) => column.notNull())
    .addColumn('bytes', 'integer', (column) => column.notNull())
    .addPrimaryKeyConstraint('save_outcomes_key', ['session', 'number'])
    .execute();
  const add = (table: string, name: string, type: 'text' | 'integer') =>
    db.schema.alterTable(table).addColumn(name, type).execute();
  await add('sessions', 'answered', 'integer');
  await add('sessions', 'outcomes_from', 'integer');
  await db.schema
    .alterTable('sessions')
    .addColumn('outcomes_bytes', 'integer', (column) => column.notNull().defaultTo(0))
    .execute();
  await add('history', 'follows', 'integer');
  await add('history', 'digest', 'text');
  await add('outside_requests', 'player', 'integer');
  await db.schema
    .createTable('commits')
    .addColumn('number', 'bigint', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .execute();
  await sql`insert into commits values (0, 0)`.execute(db);
  const index = (name: string, table: string, columns: readonly string[]) =>
    db.schema
      .createIndex(name)
      .on(table)
      .columns([...columns])
      .execute();
  await index('unsettled_by_player', 'unsettled', ['player', 'at']);
  await index('checkpoints_by_player', 'checkpoints', ['player', 'number']);
  await index('outside_requests_by_player', 'outside_requests', ['player']);
  await index('activity_by_player', 'activity', ['environment', 'player', 'number']);
}
