import { hash } from 'node:crypto';
import { sql, type Kysely } from 'kysely';

/** What stays of erased players tells who they were only to who knows the id. */
export async function up(db: Kysely<unknown>): Promise<void> {
  const { rows } = await sql<{
    environment: number;
    player: string;
    erased_at: number;
  }>`select * from tombstones`.execute(db);
  for (const { environment, player, erased_at } of rows) {
    const digest = hash('sha256', `${environment} ${player}`, 'base64url');
    await sql`update tombstones set player = ${digest}
      where environment = ${environment} and player = ${player} and erased_at = ${erased_at}`.execute(db);
  }
}
