import { sql, type Kysely } from 'kysely';
import type { Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';

const mostShown = 20;

interface Season {
  readonly key: string;
  readonly number: number;
}

/** Holds the seasons of boards against their standings: how many there are, their order, their ranks. */
export async function verifyBoards(db: Kysely<Tables>): Promise<readonly PlayerFault[]> {
  const counted = await sql<Season>`
    select boards.key, seasons.number from seasons join boards on boards.number = seasons.board
    where closed_at is null and standings <> (select count(*) from standings
      where standings.board = seasons.board and standings.season = seasons.number)
    order by boards.key, seasons.number limit ${mostShown}`.execute(db);
  const unlike = await sql<Season & { player: number }>`
    select boards.key, seasons.number, standings.player from standings
    join seasons on seasons.board = standings.board and seasons.number = standings.season
    join boards on boards.number = seasons.board
    where standings.worth <> case when better = 'higher' then -value else value end
      or (done_at is not null and (rank is null or rank > seasons.standings))
    order by boards.key, seasons.number, standings.player limit ${mostShown}`.execute(db);
  const lone = await sql<{ board: number; season: number }>`
    select distinct board, season from standings where not exists (select 1 from seasons
      where seasons.board = standings.board and seasons.number = standings.season)
    limit ${mostShown}`.execute(db);
  const ranked = await sql<Season>`
    select boards.key, seasons.number from seasons join boards on boards.number = seasons.board
    where (select count(*) from rewards where rewards.board = seasons.board and rewards.season = seasons.number) > given
    order by boards.key, seasons.number limit ${mostShown}`.execute(db);
  return [
    ...counted.rows.map(({ key, number }) => ({
      detail: `season ${number} of the board ${key} has not as many standings as it counts`,
      mend: 'Set what the season counts to how many standings it has.',
    })),
    ...unlike.rows.map(({ key, number, player }) => ({
      detail: `season ${number} of the board ${key}: the standing of player number ${player} does not stand where its value puts it`,
      mend: 'Restore a backup, or take the standing off.',
    })),
    ...lone.rows.map(({ board, season }) => ({
      detail: `there are standings of season ${season} of board number ${board}, and there is no such season`,
      mend: 'Restore a backup: what season it was is not known any more.',
    })),
    ...ranked.rows.map(({ key, number }) => ({
      detail: `season ${number} of the board ${key} has given more rewards than it counts`,
      mend: 'Restore a backup, or look at the ledger for what was given twice.',
    })),
  ];
}
