import {
  declarationOf,
  isProblem,
  readKeys,
  type ChangeProblemCode,
  type Json,
  type LedgerLine,
  type StoredRecord,
} from '@vekkon/core';
import { Refusal } from '@vekkon/protocol';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';
import { sessionToTell, type ChangedOutside } from './unsettled.js';

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
): Promise<ChangedOutside> {
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
  const declared = declarationOf(row.key, rules.manifest);
  if (isProblem(declared)) {
    throw new Refusal(
      declared.problem.code as ChangeProblemCode,
      `It can't be brought back: ${declared.problem.detail}`,
    );
  }
  const { key } = declared;
  const records = await RecordsInWork.load(context, player.number, rules.manifest);
  const held = records.records.get(key);
  const record: StoredRecord = { revision: (held?.revision ?? 0) + 1, value: JSON.parse(row.value) as Json };
  const read = readKeys([key], new Map([[key, record]]), rules).get(key);
  if (read?.misfit === true) {
    throw new Refusal('record-misfit', `It can't be brought back: ${key} does not fit the manifest any more.`, { key });
  }
  const label = `brought back from the trash`;
  const lines: LedgerLine[] = [];
  if (declared.kind === 'currency') {
    const balance = Number(record.value);
    const before = held === undefined || held.removed === true ? 0 : Number(held.value);
    lines.push({ key, op: 'restore', amount: balance - before, balance, reason: label, count: 1 });
  }
  const trash = held === undefined || held.removed === true ? [] : [{ key, record: held, by: 'reset' as const }];
  records.set(new Map([[key, record]]), lines, { session: null, by, label, at: now }, { trash });
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
  return { player: id, keys: [key], seen: player.seen, open: open === undefined ? null : sessionToTell(open) };
}
