import { bringBackValue, isProblem, type Json } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';

export interface BringBack {
  readonly environment: number;
  readonly player: string;
  /** Its number in the trash. */
  readonly trashed: number;
  readonly by: string;
}

/** Brings back what was removed, as a new revision; what stands there now goes to the trash in its place. */
export async function bringBack(
  context: WriterContext,
  { environment, player: id, trashed, by, now }: BringBack & Stamp,
): Promise<{ readonly key: string }> {
  const { db } = context;
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const player = await findPlayer(context, environment, id);
  const row =
    player &&
    (await db
      .selectFrom('trash')
      .selectAll()
      .where('number', '=', trashed)
      .where('player', '=', player.number)
      .executeTakeFirst());
  if (player === undefined || row === undefined) throw new Refusal('trash-unknown');
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const trashedValue = { key: row.key, value: JSON.parse(row.value) as Json };
  const back = bringBackValue(records.records, trashedValue, rules);
  if (isProblem(back)) {
    const { code, detail, ...facts } = back.problem;
    throw new Refusal(code, `It can't be brought back: ${detail}`, facts);
  }
  const { key, record, ledger, trash } = back;
  const label = 'brought back from the trash';
  records.set(new Map([[key, record]]), ledger, { session: null, by, label, at: now }, { trash });
  records.checkpoints.noteOutside({ key, value: record.value }, now);
  await records.writeFor(player, now);
  await db.deleteFrom('trash').where('number', '=', trashed).execute();
  await note(context, {
    environment,
    what: 'brought-back',
    by,
    player: id,
    detail: `${key}, revision ${row.revision}`,
    now,
  });
  const open = await openSessionOf(context, player);
  await tellOutside(context, { player, open, keys: [key], records, rules });
  return { key };
}
