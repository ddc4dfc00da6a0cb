import { sql, type Kysely } from 'kysely';
import type { Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';

const mostShown = 20;

/** Holds the sums that are kept of many rows against the rows: what is unsettled, and what was credited in each minute. */
export async function verifySums(db: Kysely<Tables>): Promise<readonly PlayerFault[]> {
  const ofPlayers = await sql<{ player: number }>`
    select player from (
      select player, count(*) as unlike, sum(count) as transactions, sum(bytes) as bytes from unsettled group by player
      union all select player, -unlike, -transactions, -bytes from unsettled_of_players)
    group by player having sum(unlike) <> 0 or sum(transactions) <> 0 or sum(bytes) <> 0
    order by player limit ${mostShown}`.execute(db);
  const byHost = await sql<{ environment: number; reason: string; place: string }>`
    select environment, reason, place from (
      select environment, reason, case when host like '%/%' then '' else host end as place,
        1 as unlike, count as transactions from unsettled
      union all select environment, reason, host, -unlike, -transactions from unsettled_sums)
    group by environment, reason, place having sum(unlike) <> 0 or sum(transactions) <> 0
    order by environment, reason, place limit ${mostShown}`.execute(db);
  const credited = await sql<{ player: number; key: string; minute: number }>`
    select player, key, minute from credited
    where amount <> (select coalesce(sum(amount), 0) from ledger where op = 'credit' and ledger.player = credited.player
      and ledger.key = credited.key and at >= credited.minute * 60000 and at < credited.minute * 60000 + 60000)
    order by player, key, minute limit ${mostShown}`.execute(db);
  const recount = 'Restore a backup, or count them again by hand: what waits is all there.';
  return [
    ...ofPlayers.rows.map(({ player }) => ({
      detail: `what is unsettled of player number ${player} is not as many as is counted`,
      mend: recount,
    })),
    ...byHost.rows.map(({ environment, reason, place }) => ({
      detail: `what is unsettled in environment ${environment} for ${reason} on ${place === '' ? 'devices' : place} is not as many as is counted`,
      mend: recount,
    })),
    ...credited.rows.map(({ player, key, minute }) => ({
      detail: `${key} of player number ${player}: the credits of minute ${minute} are not what the ledger holds`,
      mend: 'Set the sum of that minute to what the ledger holds: only the limit of credits reads it.',
    })),
  ];
}
