import { onceTokenLasts } from '@vekkon/core';
import type { Stamp, WriterContext } from '../context.js';
import { tokenLasts } from './change-outside.js';

/** How long the last outcome of a session is kept after its end, in milliseconds. Spools expire sooner. */
const outcomeLasts = 30 * 24 * 60 * 60 * 1000;

/** How far back credits are counted, in milliseconds: the longest period, and a long session before it. */
const creditsCountFor = 14 * 24 * 60 * 60 * 1000;

/** How long what was removed waits in the trash, in milliseconds. */
export const trashLasts = 30 * 24 * 60 * 60 * 1000;

/** Forgets what nobody may ask for any more: used tokens, trash whose time is up, and the answers of sessions that ended long ago. */
export async function prune({ db }: WriterContext, { agesBy: now }: Stamp): Promise<null> {
  // Something is written in any case, so that a later start knows that this one was there at this hour.
  await db.updateTable('probes').set({ at: now }).execute();
  await db
    .deleteFrom('once_tokens')
    .where('at', '<=', now - onceTokenLasts)
    .execute();
  await db
    .deleteFrom('outside_requests')
    .where('at', '<=', now - tokenLasts)
    .execute();
  await db
    .deleteFrom('trash')
    .where('at', '<=', now - trashLasts)
    .execute();
  await db
    .deleteFrom('checkpoints')
    .where('given_up_at', '<=', now - trashLasts)
    .execute();
  await db
    .deleteFrom('outside_changes')
    .where(({ not, exists, selectFrom }) =>
      not(
        exists(
          selectFrom('checkpoints')
            .select('checkpoints.number')
            .whereRef('checkpoints.player', '=', 'outside_changes.player')
            .whereRef('checkpoints.seen', '<', 'outside_changes.seen'),
        ),
      ),
    )
    .execute();
  await db
    .deleteFrom('credentials')
    .where('sort', '=', 'device')
    .where((where) => where.or([where('revoked_at', 'is not', null), where('expires_at', '<=', now)]))
    .execute();
  await db
    .deleteFrom('save_outcomes')
    .where('session', 'in', (select) =>
      select
        .selectFrom('sessions')
        .select('id')
        .where('ended_at', '<=', now - outcomeLasts)
        .where('outcomes_from', 'is not', null),
    )
    .execute();
  await db
    .deleteFrom('late_saves')
    .where('at', '<=', now - outcomeLasts)
    .execute();
  await db
    .deleteFrom('credited')
    .where('minute', '<', Math.floor((now - creditsCountFor) / 60_000))
    .execute();
  await db
    .updateTable('sessions')
    .set({ last_outcome: null, last_digest: null, leave_outcome: null, outcomes_from: null, outcomes_bytes: 0 })
    .where('ended_at', '<=', now - outcomeLasts)
    .where((where) => where.or([where('last_outcome', 'is not', null), where('leave_outcome', 'is not', null)]))
    .execute();
  return null;
}
