import { isOfPlay } from '../../activity-kinds.js';
import { keptInsert } from '../../kept-query.js';
import type { Stamp, WriterContext } from '../context.js';

export interface Note {
  /** Null for what concerns the service as a whole. */
  readonly environment: number | null;
  readonly what: string;
  /** Who did it: an operator's e-mail, or null for the service itself. */
  readonly by: string | null;
  /** The player's id. */
  readonly player: string | null;
  readonly detail: string;
}

/** Writes a line of the activity. */
export async function note(
  { db, feed }: Pick<WriterContext, 'db' | 'feed'>,
  { environment, what, by, player, detail, now }: Note & Pick<Stamp, 'now'>,
) {
  const until = now + (isOfPlay(what) ? playLasts : actsLast);
  await insertActivity(db, { environment, at: now, what, by, player, detail, until });
  feed.tell({ what: 'noted', line: { environment, at: now, what, by, player, detail } });
  return null;
}

const day = 24 * 60 * 60 * 1000;
/** How long the comings and goings of players stand in the activity, and what people did, in milliseconds. */
const [playLasts, actsLast] = [30 * day, 400 * day];

const insertActivity = keptInsert('activity');

/** As much as a large save takes: where only a little has room, most would be refused. */
const probeBytes = 256 * 1024;

/** Writes what nobody reads, to find out whether anything can be written. */
export async function probe({ db }: WriterContext, { now }: Stamp): Promise<null> {
  await db
    .updateTable('probes')
    .set({ at: now, filler: '-'.repeat(probeBytes) })
    .execute();
  await db.updateTable('probes').set({ filler: null }).execute();
  return null;
}
