import { Refusal } from '@vekkon/protocol/problems';
import type { Stamp, WriterContext } from '../context.js';
import { tombstoneOf } from '../../transfer.js';
import { countUnsettled } from '../unsettled-sums.js';
import { eraseAccount } from './accounts.js';
import { note } from './activity.js';
import { eraseFromBoards } from './tend-seasons.js';

export interface ErasePlayer {
  readonly environment: number;
  readonly player: string;
  readonly by: string | null;
}

/** Erases a player: everything of theirs is gone, and a tombstone stays. */
export async function erasePlayer(
  context: WriterContext,
  { environment, player, by, now }: ErasePlayer & Stamp,
): Promise<null> {
  const { db, leases, held, heldSessions, heldWritten, feed } = context;
  const found = await db
    .selectFrom('players')
    .select('number')
    .where('environment', '=', environment)
    .where('id', '=', player)
    .executeTakeFirst();
  if (found === undefined) throw new Refusal('player-unknown');
  const { number } = found;
  held.forget(number);
  heldWritten.forget(number);
  const stays = await db
    .selectFrom('sessions')
    .select(['id', 'host', 'ended_at'])
    .where('player', '=', number)
    .execute();
  for (const { id: session, host, ended_at: endedAt } of stays) {
    leases.forget(session);
    heldSessions.forget(session);
    if (endedAt === null)
      feed.tell({ what: 'session-ended', environment, player, session, host, end: 'left', by: null });
  }
  for (const { id } of await db.selectFrom('devices').select('id').where('player', '=', number).execute())
    feed.tell({ what: 'device-over', device: id, but: null });
  feed.tell({ what: 'player-erased', environment, player });
  const sessions = db.selectFrom('sessions').select('id').where('player', '=', number);
  await db.deleteFrom('save_outcomes').where('session', 'in', sessions).execute();
  await db.deleteFrom('late_saves').where('session', 'in', sessions).execute();
  const unsettled = await db.selectFrom('unsettled').selectAll().where('player', '=', number).execute();
  await countUnsettled(
    context,
    unsettled.map((before) => ({ before, row: undefined })),
  );
  await eraseFromBoards(context, number);
  for (const table of [
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
    'outside_requests',
    'trial_players',
    'gift_players',
    'found_values',
    'sessions',
  ] as const) {
    await db.deleteFrom(table).where('player', '=', number).execute();
  }
  await eraseAccount(context, number);
  await db.deleteFrom('testers').where('environment', '=', environment).where('player', '=', player).execute();
  const devices = db.selectFrom('devices').select('number').where('player', '=', number);
  await db.deleteFrom('credentials').where('device', 'in', devices).execute();
  await db.deleteFrom('devices').where('player', '=', number).execute();
  await db.deleteFrom('players').where('number', '=', number).execute();
  // What was done stays in the activity; what it held of the player does not.
  await db
    .updateTable('activity')
    .set({ detail: 'erased with the player' })
    .where('environment', '=', environment)
    .where('player', '=', player)
    .execute();
  const tombstone = { environment, player: tombstoneOf(environment, player), erased_at: now };
  await db.insertInto('tombstones').values(tombstone).execute();
  await note(context, {
    environment,
    what: 'player-erased',
    by,
    player,
    detail: 'everything stored for the player',
    now,
  });
  return null;
}
