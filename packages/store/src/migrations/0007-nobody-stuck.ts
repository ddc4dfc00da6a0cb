import { createHash } from 'node:crypto';
import { addAlike, likenessOf, utf8Bytes, type Transaction } from '@vekkon/core';
import { sql, type Kysely } from 'kysely';
import { serialKey } from './serial-key.js';

interface KeptBefore {
  readonly id: string;
  readonly environment: number;
  readonly player: number;
  readonly session: string;
  readonly host: string;
  readonly save_number: number;
  readonly position: number;
  readonly content: string;
  readonly reason: string;
  readonly detail: string;
  readonly at: number;
}

interface KeptNow extends Omit<KeptBefore, 'position' | 'at'> {
  readonly likeness: string | null;
  readonly first_at: number;
  readonly last_at: number;
  readonly count: number;
  readonly bytes: number;
}

/**
 * Unsettled transactions that are folded, counted and found by what they are;
 * late saves that are answered alike however often they come; and how much was
 * credited in each minute.
 */
export async function up(db: Kysely<unknown>): Promise<void> {
  const before = (await sql<KeptBefore>`select * from unsettled order by at, id`.execute(db)).rows;
  await db.schema.dropTable('unsettled').execute();
  await db.schema
    .createTable('unsettled')
    .addColumn('id', 'text', (column) => column.primaryKey())
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('likeness', 'text')
    .addColumn('session', 'text', (column) => column.notNull())
    .addColumn('host', 'text', (column) => column.notNull())
    .addColumn('save_number', 'integer', (column) => column.notNull())
    .addColumn('content', 'text', (column) => column.notNull())
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('detail', 'text', (column) => column.notNull())
    .addColumn('first_at', 'bigint', (column) => column.notNull())
    .addColumn('last_at', 'bigint', (column) => column.notNull())
    .addColumn('count', 'integer', (column) => column.notNull())
    .addColumn('bytes', 'integer', (column) => column.notNull())
    .addUniqueConstraint('unsettled_alike', ['player', 'likeness'])
    .execute();
  const index = (name: string, table: string, columns: readonly string[]) =>
    db.schema
      .createIndex(name)
      .on(table)
      .columns([...columns])
      .execute();
  await index('unsettled_by_time', 'unsettled', ['environment', 'last_at', 'id']);
  await index('unsettled_by_reason', 'unsettled', ['environment', 'reason', 'last_at', 'id']);
  await index('unsettled_by_host', 'unsettled', ['environment', 'host', 'last_at', 'id']);
  await index('unsettled_by_player', 'unsettled', ['player', 'last_at', 'id']);
  await db.schema
    .createTable('unsettled_sums')
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('host', 'text', (column) => column.notNull())
    .addColumn('unlike', 'integer', (column) => column.notNull())
    .addColumn('transactions', 'integer', (column) => column.notNull())
    .addPrimaryKeyConstraint('unsettled_sums_key', ['environment', 'reason', 'host'])
    .execute();
  await db.schema
    .createTable('unsettled_of_players')
    .addColumn('player', 'integer', (column) => column.primaryKey().references('players.number'))
    .addColumn('environment', 'integer', (column) => column.notNull().references('environments.number'))
    .addColumn('unlike', 'integer', (column) => column.notNull())
    .addColumn('transactions', 'integer', (column) => column.notNull())
    .addColumn('bytes', 'integer', (column) => column.notNull())
    .execute();
  await index('unsettled_of_players_by_count', 'unsettled_of_players', ['environment', 'transactions']);
  await db.schema
    .createTable('late_saves')
    .addColumn('session', 'text', (column) => column.notNull().references('sessions.id'))
    .addColumn('number', 'integer', (column) => column.notNull())
    .addColumn('digest', 'text', (column) => column.notNull())
    .addColumn('unsettled', 'text', (column) => column.notNull())
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('late_saves_key', ['session', 'number', 'digest'])
    .execute();
  await index('late_saves_by_time', 'late_saves', ['at']);
  await keepFolded(db, before);

  await db.schema
    .createTable('written_by_players')
    .addColumn('player', 'integer', (column) => column.primaryKey().references('players.number'))
    .addColumn('hour', 'integer', (column) => column.notNull())
    .addColumn('bytes', 'integer', (column) => column.notNull())
    .execute();
  await db.schema.alterTable('probes').addColumn('filler', 'text').execute();
  await activityOfTheService(db);
  await db.schema
    .createTable('credited')
    .addColumn('player', 'integer', (column) => column.notNull().references('players.number'))
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('minute', 'integer', (column) => column.notNull())
    .addColumn('amount', 'bigint', (column) => column.notNull())
    .addPrimaryKeyConstraint('credited_key', ['player', 'key', 'minute'])
    .execute();
  await index('credited_by_minute', 'credited', ['minute']);
  await sql`insert into credited select player, key, at / 60000, sum(amount) from ledger
    where op = 'credit' group by player, key, at / 60000`.execute(db);
  await db.schema
    .createIndex('credits_by_time')
    .on('ledger')
    .columns(['player', 'key', 'at', 'amount'])
    .where(sql.ref('op'), '=', sql.lit('credit'))
    .execute();
}

/** Lines of the activity may concern no environment: the table is made anew without that demand. */
async function activityOfTheService(db: Kysely<unknown>): Promise<void> {
  await serialKey(db.schema.createTable('activity_anew'))
    .addColumn('environment', 'integer', (column) => column.references('environments.number'))
    .addColumn('at', 'bigint', (column) => column.notNull())
    .addColumn('what', 'text', (column) => column.notNull())
    .addColumn('by', 'text')
    .addColumn('player', 'text')
    .addColumn('detail', 'text', (column) => column.notNull())
    .execute();
  await sql`insert into activity_anew (environment, at, what, "by", player, detail)
    select environment, at, what, "by", player, detail from activity order by number`.execute(db);
  await db.schema.dropTable('activity').execute();
  await db.schema.alterTable('activity_anew').renameTo('activity').execute();
  await db.schema.createIndex('activity_by_environment').on('activity').columns(['environment', 'number']).execute();
  await db.schema
    .createIndex('activity_by_player')
    .on('activity')
    .columns(['environment', 'player', 'number'])
    .execute();
}

/** What waited before is folded as it would be now. */
async function keepFolded(db: Kysely<unknown>, before: readonly KeptBefore[]): Promise<void> {
  const rows = new Map<string, KeptNow>();
  const late = new Map<string, { session: string; number: number; at: number; ids: string[] }>();
  for (const { position: _, at, ...kept } of before) {
    const transaction = JSON.parse(kept.content) as Transaction;
    const likeness = likenessOf(kept.reason, transaction);
    const hash = likeness === undefined ? null : createHash('sha256').update(likeness).digest('base64url');
    const place = hash === null ? kept.id : `${kept.player} ${hash}`;
    const alike = rows.get(place);
    const both = alike && addAlike(JSON.parse(alike.content) as Transaction, transaction);
    const isNew = alike === undefined || both === undefined;
    const content = isNew ? kept.content : JSON.stringify(both);
    const bytes = utf8Bytes(content) + utf8Bytes(kept.detail);
    const row = isNew
      ? { ...kept, likeness: alike === undefined ? hash : null, first_at: at, last_at: at, count: 1, bytes }
      : { ...alike, content, bytes, last_at: at, count: alike.count + 1 };
    rows.set(alike !== undefined && isNew ? kept.id : place, row);
    const saved = `${kept.session} ${kept.save_number}`;
    const numbered = late.get(saved) ?? { session: kept.session, number: kept.save_number, at, ids: [] };
    numbered.ids.push(row.id);
    late.set(saved, numbered);
  }
  const kept = db as Kysely<{ unsettled: KeptNow; late_saves: object }>;
  for (const row of rows.values()) await kept.insertInto('unsettled').values(row).execute();
  for (const { session, number, at, ids } of late.values()) {
    // Which contents they had is not known any more: whatever comes under the number is taken as these.
    await sql`insert into late_saves select ${session}, ${number}, '', ${JSON.stringify(ids)}, ${at}
      where exists (select 1 from sessions where id = ${session})`.execute(db);
  }
  await sql`insert into unsettled_sums select environment, reason,
    case when host like '%/%' then '' else host end as place, count(*), sum(count)
    from unsettled group by environment, reason, place`.execute(db);
  await sql`insert into unsettled_of_players select player, environment, count(*), sum(count), sum(bytes)
    from unsettled group by player, environment`.execute(db);
}
