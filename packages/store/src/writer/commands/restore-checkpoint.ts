import { restoredByPerson } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { recordsIn } from '../checkpoints-in-work.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';

export interface RestoreCheckpoint {
  readonly environment: number;
  readonly player: string;
  /** Its number among all checkpoints. */
  readonly checkpoint: number;
  readonly by: string;
}

/** Brings back what a checkpoint holds: all of it, for a person decides. One that was given up can be brought back too. */
export async function restoreCheckpoint(
  context: WriterContext,
  { environment, player: id, checkpoint, by, now }: RestoreCheckpoint & Stamp,
): Promise<{ readonly keys: readonly string[] }> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  const row = await context.db
    .selectFrom('checkpoints')
    .selectAll()
    .where('number', '=', checkpoint)
    .where('player', '=', player.number)
    .executeTakeFirst();
  if (row === undefined) {
    throw new Refusal('checkpoint-unknown', `"${id}" has no checkpoint of that number: see the list of what there is.`);
  }
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const copied = recordsIn(row.records);
  const outside = await records.checkpoints.outsideSince(row.seen);
  const about = { name: row.name, byOperator: row.by_operator === 1 };
  const back = restoredByPerson(copied, records.records, outside, rules, about);
  const label = `restored "${row.name}"`.slice(0, 200);
  records.set(back.changed, back.ledger, { session: null, by, label, at: now }, { trash: back.trash });
  await records.writeFor(player, now);
  await note(context, { environment, what: 'checkpoint-restored', by, player: id, detail: row.name, now });
  const open = await openSessionOf(context, player);
  const keys = [...back.changed.keys()];
  await tellOutside(context, { player, open, keys, records, rules });
  return { keys };
}
