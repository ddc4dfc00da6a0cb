import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** What was removed, what was learned, who moved a currency, and copies of a player's records. */
export async function up(db: Kysely<unknown>): Promise<void> {
  const flag = (name: string) => (table: string) =>
    db.schema
      .alterTable(table)
      .addColumn(name, 'integer', (column) => column.notNull().defaultTo(0))
      .execute();
  const text = (table: string, name: string) => db.schema.alterTable(table).addColumn(name, 'text').execute();
  await flag('removed')('records');
  await flag('removed')('history');
  await flag('learns')('environments');
  await flag('learned')('environments');
  await text('history', 'by');
  await text('ledger', 'by');
  await text('ledger', 'op');
  await text('manifests', 'by');
  await sql`update ledger set op = case when reason = 'starting value' then 'starting' when amount > 0 then 'credit' else 'debit' end`.execute(
    db,
  );
  await db.schema
    .createTable('learned')
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('section', 'text', (column) => column.notNull())
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('declaration', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('by', 'text')
    .addPrimaryKeyConstraint('learned_key', ['environment', 'section', 'name'])
    .execute();
  await serialKey(db.schema.createTable('trash'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('revision', 'integer', (column) => column.notNull())
    .addColumn('value', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('why', 'text', (column) => column.notNull())
    .addColumn('by', 'text')
    .addColumn('session', 'text')
    .addColumn('label', 'text')
    .execute();
  await db.schema.createIndex('trash_by_player').on('trash').columns(['player', 'number']).execute();
  await db.schema.createIndex('trash_by_time').on('trash').columns(['at']).execute();
  await serialKey(db.schema.createTable('checkpoints'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('summary', 'text')
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('by', 'text')
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addColumn('records', 'text', (column) => column.notNull())
    .addUniqueConstraint('one_checkpoint_a_name', ['player', 'name'])
    .execute();
}
