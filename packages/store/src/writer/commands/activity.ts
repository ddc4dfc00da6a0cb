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
  { db }: WriterContext,
  { environment, what, by, player, detail, now }: Note & Pick<Stamp, 'now'>,
) {
  await db.insertInto('activity').values({ environment, at: now, what, by, player, detail }).execute();
  return null;
}

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
