import { sql, type Kysely } from 'kysely';
import type { Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';

/** Tables whose rows belong to a row of another. */
const belongings = [
  ...(
    [
      'records',
      'history',
      'ledger',
      'trash',
      'checkpoints',
      'outside_changes',
      'once_tokens',
      'unsettled',
      'unsettled_of_players',
      'credited',
      'written_by_players',
      'sessions',
      'devices',
      'found_values',
      'accounts',
      'outside_requests',
    ] as const
  ).map((table) => ({ table, column: 'player', owners: 'players', key: 'number' }) as const),
  { table: 'save_outcomes', column: 'session', owners: 'sessions', key: 'id' },
  { table: 'late_saves', column: 'session', owners: 'sessions', key: 'id' },
  { table: 'sign_ins', column: 'account', owners: 'accounts', key: 'number' },
  { table: 'sign_ins', column: 'device', owners: 'devices', key: 'number' },
  { table: 'account_links', column: 'account', owners: 'accounts', key: 'number' },
  { table: 'identities', column: 'account', owners: 'accounts', key: 'number' },
  { table: 'refresh_tokens', column: 'sign_in', owners: 'sign_ins', key: 'id' },
  { table: 'credentials', column: 'device', owners: 'devices', key: 'number' },
] as const;

const mostShown = 20;

/** Rows of players, sessions and devices that are not there. */
export async function rowsWithoutTheirs(db: Kysely<Tables>): Promise<readonly PlayerFault[]> {
  const faults: PlayerFault[] = [];
  for (const { table, column, owners, key } of belongings) {
    const { rows } = await sql<{ owner: string | number; count: number }>`
      select one.${sql.ref(column)} as owner, count(*) as count from ${sql.table(table)} as one
      where one.${sql.ref(column)} is not null
        and not exists (select 1 from ${sql.table(owners)} as other where other.${sql.ref(key)} = one.${sql.ref(column)})
      group by one.${sql.ref(column)} order by one.${sql.ref(column)} limit ${mostShown}`.execute(db);
    for (const { owner, count } of rows) {
      faults.push({
        detail: `${table}: ${count} ${count === 1 ? 'row' : 'rows'} of ${column} ${owner}, and there is no such row among ${owners}`,
        mend: `Restore a backup: the ${column} is lost, and what was theirs is here. Where they were erased on purpose, erase again.`,
      });
    }
  }
  return faults;
}
