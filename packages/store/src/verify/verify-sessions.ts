import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { PlayerRow, Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';

/** Is a session there, of which something was written at a time? One that ended long ago may have been pruned. */
export type IsSessionThere = (session: string, at: number) => boolean;

/** Holds a player's sessions against the player. @returns their ids */
export async function verifySessions(
  db: Kysely<Tables>,
  player: PlayerRow,
  faults: PlayerFault[],
): Promise<ReadonlySet<string>> {
  const sessions = (await sessionsOf(db, player.number)).toSorted((one, other) => one.fence - other.fence);
  const fault = (detail: string, mend: string) => void faults.push({ detail, mend });
  const fences = new Set(sessions.map(({ fence }) => fence));
  if (player.fence > 0 && !fences.has(player.fence)) {
    fault(
      `the newest session, with fence ${player.fence}, is not there`,
      'Restore a backup; the player can join all the same.',
    );
  }
  if (fences.size < sessions.length) fault('several sessions have the same fence', 'Restore a backup.');
  if (sessions.filter(({ ended_at }) => ended_at === null).length > 1) {
    fault('several sessions are open', 'Let the player join again: that ends the open one; end the others by hand.');
  }
  for (const session of sessions) {
    const { id, environment, fence, seen_at_join, seen_at_end } = session;
    if (fence > player.fence) {
      fault(
        `session ${id} has fence ${fence}, and the player is at ${player.fence}`,
        `Set the player's fence to ${fence}.`,
      );
    }
    if (environment !== player.environment) {
      fault(
        `session ${id} is of environment ${environment}, and its player of ${player.environment}`,
        'Restore a backup.',
      );
    }
    const seen = Math.max(seen_at_join, seen_at_end ?? 0);
    if (seen > player.seen) {
      fault(
        `session ${id} saw commit ${seen}, and the player is at ${player.seen}`,
        `Set the player's "seen" to ${seen}.`,
      );
    }
    if (session.outcomes_from !== null) await verifyOutcomes(db, session, faults);
  }
  return new Set(sessions.map(({ id }) => id));
}

async function verifyOutcomes(
  db: Kysely<Tables>,
  session: {
    readonly id: string;
    readonly next_save: number;
    readonly outcomes_from: number | null;
    readonly outcomes_bytes: number;
  },
  faults: PlayerFault[],
): Promise<void> {
  const rows = await outcomesOf(db, session.id);
  const expected = session.next_save - 1 - (session.outcomes_from ?? 0);
  const bytes = rows.reduce((sum, row) => sum + row.bytes, 0);
  if (rows.length === expected && rows[0]?.number === session.outcomes_from && bytes === session.outcomes_bytes) return;
  faults.push({
    detail: `session ${session.id} keeps ${rows.length} outcomes of ${bytes} bytes, and should keep ${expected} of ${session.outcomes_bytes}`,
    mend: 'A host that sends one of those saves again is refused: see that its spool is empty.',
  });
}

const sessionsOf = keptQuery((db, player: number) =>
  db
    .selectFrom('sessions')
    .select(['id', 'environment', 'fence', 'ended_at', 'seen_at_join', 'seen_at_end'])
    .select(['next_save', 'outcomes_from', 'outcomes_bytes'])
    .where('player', '=', player),
);

const outcomesOf = keptQuery((db, session: string) =>
  db.selectFrom('save_outcomes').select(['number', 'bytes']).where('session', '=', session).orderBy('number'),
);
