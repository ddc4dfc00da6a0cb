import { readRecord, declarationOf, isProblem, type Json, type StoredRecord } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { addPlayer, openSessionOf } from '../sessions.js';
import type { ChangedOutside } from './unsettled.js';

export interface PutRecord {
  readonly environment: number;
  readonly player: string;
  readonly key: string;
  readonly value: Json;
  /** The revision that must be stored. */
  readonly ifRevision: number | null;
}

/** Puts one value without a session. A player who never joined is made, and finds it at their first join. */
export async function putRecord(
  context: WriterContext,
  put: PutRecord & Stamp,
): Promise<{ readonly record: StoredRecord; readonly outside: ChangedOutside }> {
  const { db } = context;
  const environment = await environmentOf(context, put.environment);
  const { rules } = await context.manifests.newestOf(environment);
  const declared = declarationOf(put.key, rules.manifest);
  if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
  const found = await db
    .selectFrom('players')
    .selectAll()
    .where('environment', '=', put.environment)
    .where('id', '=', put.player)
    .executeTakeFirst();
  const open = found && (await openSessionOf(context, found));
  if (open !== undefined && put.ifRevision === null) {
    throw new Refusal(
      'precondition-needed',
      `The player is in a session on "${open.host}": read the record, and send its ETag as If-Match.`,
    );
  }
  const player = found ?? (await addPlayer(context, put));
  const records = await RecordsInWork.load(db, player.number);
  const outcome = records.apply(
    {
      changes: [
        { op: 'put', key: put.key, value: put.value, ...(put.ifRevision !== null && { ifRevision: put.ifRevision }) },
      ],
    },
    rules,
    { session: null, label: null, at: put.now },
  );
  if (!outcome.applied) {
    const { change: _, code, detail, ...facts } = outcome.problem;
    const stored = readRecord(records.records.get(put.key), declared.declaration);
    throw new Refusal(code, detail, { ...facts, ...(code === 'revision-mismatch' && { revision: stored.revision }) });
  }
  await records.writeFor(player, put.now);
  return {
    record: readRecord(records.records.get(put.key), declared.declaration),
    outside: {
      player: put.player,
      keys: [put.key],
      seen: player.seen,
      open: open === undefined ? null : { id: open.id, host: open.host },
    },
  };
}
