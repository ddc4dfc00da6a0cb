import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

/** Players' own devices and their sessions, checkpoints that games make, and the origins that may call. */
export async function up(db: Kysely<unknown>): Promise<void> {
  const add = (table: string, name: string, type: 'text' | 'integer' | 'bigint') =>
    db.schema.alterTable(table).addColumn(name, type).execute();
  await serialKey(db.schema.createTable('devices'))
    .addColumn('id', 'text', (column) => column.notNull().unique())
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('secret_hash', 'text', (column) => column.notNull())
    .addColumn('name', 'text')
    .addColumn('created_at', 'bigint', (column) => column.notNull())
    .addColumn('revoked_at', 'bigint')
    .addUniqueConstraint('one_device_a_secret', ['environment', 'secret_hash'])
    .execute();
  await db.schema.createIndex('devices_by_player').on('devices').columns(['player']).execute();
  await add('credentials', 'device', 'integer');
  await add('credentials', 'used_at', 'bigint');
  await db.schema.createIndex('credentials_by_device').on('credentials').columns(['device']).execute();
  await add('sessions', 'device', 'text');
  await add('environments', 'origins', 'text');
  // Only development is open to every web page; elsewhere somebody says which.
  await sql`update environments set origins = '[]' where name <> 'dev'`.execute(db);

  // Names are unique among those that were not given up: the table is made anew without the older constraint.
  await serialKey(db.schema.createTable('checkpoints_anew'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('name', 'text', (column) => column.notNull())
    .addColumn('summary', 'text')
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('by', 'text')
    .addColumn('by_operator', 'integer', (column) => column.notNull().defaultTo(0))
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addColumn('records', 'text', (column) => column.notNull())
    .addColumn('given_up_at', 'bigint')
    .execute();
  await sql`insert into checkpoints_anew (player, name, summary, at, "by", by_operator, seen, records)
    select player, name, summary, at, "by", 1, seen, records from checkpoints order by number`.execute(db);
  await db.schema.dropTable('checkpoints').execute();
  await db.schema.alterTable('checkpoints_anew').renameTo('checkpoints').execute();
  await db.schema
    .createIndex('one_checkpoint_a_name')
    .on('checkpoints')
    .columns(['player', 'name'])
    .unique()
    .where(sql.ref('given_up_at'), 'is', null)
    .execute();

  await serialKey(db.schema.createTable('outside_changes'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('seen', 'integer', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('content', 'text', (column) => column.notNull())
    .execute();
  await db.schema.createIndex('outside_changes_by_player').on('outside_changes').columns(['player', 'seen']).execute();
}
