import { bringBackValue, currentKey, isProblem, turnedBack, type Json, type StoredRecord } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';

export interface RestoreRevision {
  readonly environment: number;
  readonly player: string;
  /** Under which it was stored. */
  readonly key: string;
  readonly revision: number;
  /** What that revision held. */
  readonly value: Json;
  /** The revision that must be stored now. */
  readonly ifRevision: number;
  readonly by: string;
}

/** A record holds again what an earlier revision held, as a new revision; what stands there goes to the trash. */
export async function restoreRevision(
  context: WriterContext,
  { environment, player: id, key: stored, revision, value, ifRevision, by, now }: RestoreRevision & Stamp,
): Promise<{ readonly key: string; readonly revision: number }> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const held = records.records.get(currentKey(stored, rules.manifest));
  checkRevision(stored, held?.revision ?? 0, ifRevision);
  const reason = `revision ${revision} again`;
  const back = bringBackValue(records.records, { key: stored, value }, rules, { reason, by: 'restore' });
  if (isProblem(back)) {
    const { code, detail, ...facts } = back.problem;
    throw new Refusal(code, `It can't be restored: ${detail}`, facts);
  }
  const { key, record, ledger, trash } = back;
  records.set(new Map([[key, record]]), ledger, { session: null, by, label: reason, at: now }, { trash });
  records.checkpoints.noteOutside({ key, value: record.value }, now);
  await records.writeFor(player, now);
  await note(context, { environment, what: 'restored', by, player: id, detail: `${key}, revision ${revision}`, now });
  await tellOutside(context, { player, open: await openSessionOf(context, player), keys: [key], records, rules });
  return { key, revision: record.revision };
}

export interface TurnBack {
  readonly environment: number;
  readonly player: string;
  /** The records as they were. */
  readonly to: readonly (readonly [key: string, record: StoredRecord])[];
  /** When they were so, as a person reads it. */
  readonly when: string;
  /** Only these, under the keys of now; null for all. */
  readonly keys: readonly string[] | null;
  /** Only if nothing was changed since this commit of the player. */
  readonly ifSeen: number;
  readonly by: string;
}

/** A player's records are as they were at a moment, each as a new revision; what stands there goes to the trash. */
export async function turnBack(
  context: WriterContext,
  { environment, player: id, to, when, keys: chosen, ifSeen, by, now }: TurnBack & Stamp,
): Promise<{ readonly keys: readonly string[] }> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  if (player.seen !== ifSeen) {
    const detail = `"${id}" was changed since you looked: look at the difference again, and send the \`seen\` that it has.`;
    throw new Refusal('player-changed', detail, { seen: player.seen });
  }
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const back = turnedBack(new Map(to), records.records, rules, when, chosen);
  const label = `as at ${when}`;
  records.set(back.changed, back.ledger, { session: null, by, label, at: now }, { trash: back.trash });
  await records.writeFor(player, now);
  const keys = [...back.changed.keys()];
  await note(context, {
    environment,
    what: 'turned-back',
    by,
    player: id,
    detail: `${label}: ${keys.join(', ')}`,
    now,
  });
  await tellOutside(context, { player, open: await openSessionOf(context, player), keys, records, rules });
  return { keys };
}

function checkRevision(key: string, is: number, expected: number): void {
  if (is === expected) return;
  const detail = `${key} is at revision ${is} by now, not at ${expected}: look at what it holds, and decide again.`;
  throw new Refusal('revision-mismatch', detail, { revision: is });
}
