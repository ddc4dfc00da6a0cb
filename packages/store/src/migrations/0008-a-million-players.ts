import { folded } from '@vekkon/core';
import { sql, type Kysely } from 'kysely';

const rowsAtATime = 1_000;

/** What finds players and what is outdated without walking all that there is. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .alterTable('players')
    .addColumn('folded', 'text', (column) => column.notNull().defaultTo(''))
    .execute();
  await foldAll(db as Kysely<{ players: { number: number; id: string; name: string | null; folded: string } }>);
  await db.schema.dropIndex('players_by_last_join').execute();
  // Who never joined comes last.
  await sql`create index players_by_joined on players (environment, (coalesce(last_joined_at, 0)), number)`.execute(db);
  const index = (name: string, table: string, columns: readonly string[]) =>
    db.schema
      .createIndex(name)
      .on(table)
      .columns([...columns]);
  // For whoever walks all of them, page by page.
  await index('players_by_number', 'players', ['environment', 'number']).execute();
  await index('players_by_folded', 'players', ['environment', 'folded']).execute();
  await index('once_tokens_by_time', 'once_tokens', ['at']).execute();
  await index('outside_requests_by_time', 'outside_requests', ['at']).execute();
  await index('activity_by_time', 'activity', ['at']).execute();
  await index('checkpoints_given_up', 'checkpoints', ['given_up_at'])
    .where(sql<boolean>`given_up_at is not null`)
    .execute();
  await index('sessions_by_end', 'sessions', ['ended_at'])
    .where(sql<boolean>`ended_at is not null`)
    .execute();
  await index('answers_by_end', 'sessions', ['ended_at'])
    .where(sql<boolean>`ended_at is not null and (last_outcome is not null or leave_outcome is not null)`)
    .execute();
  await index('credentials_by_end', 'credentials', ['sort', 'expires_at']).execute();
  await index('credentials_by_revocation', 'credentials', ['sort', 'revoked_at']).execute();
}

async function foldAll(
  db: Kysely<{ players: { number: number; id: string; name: string | null; folded: string } }>,
): Promise<void> {
  for (let after = 0; ;) {
    const rows = await db
      .selectFrom('players')
      .select(['number', 'id', 'name'])
      .where('number', '>', after)
      .orderBy('number')
      .limit(rowsAtATime)
      .execute();
    for (const { number, id, name } of rows) {
      await db
        .updateTable('players')
        .set({ folded: folded(id, name) })
        .where('number', '=', number)
        .execute();
    }
    const last = rows.at(-1);
    if (last === undefined) return;
    after = last.number;
  }
}
