import { createHash } from 'node:crypto';
import { limits, type ChangeProblemCode, type Transaction } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol';
import type { SessionRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { note } from './activity.js';
import { applyTransactions } from './apply-transactions.js';
import { openSessionOf } from '../sessions.js';

export interface Unapplied {
  /** Where it stood in its save. */
  readonly position: number;
  readonly transaction: Transaction;
  /** The code of the problem. */
  readonly reason: string;
  readonly detail: string;
}

/**
 * Is there room for more unsettled transactions in the environment of a session?
 *
 * @throws Refusal `unsettled-full`, so that the sender keeps what it has
 */
export async function checkRoomForUnsettled(
  { db }: WriterContext,
  { environment, device }: Pick<SessionRow, 'environment' | 'device'>,
  more: number,
): Promise<void> {
  const all = db
    .selectFrom('unsettled')
    .select((select) => select.fn.countAll<number>().as('count'))
    .where('environment', '=', environment);
  const full = new Refusal('unsettled-full', undefined, { retryAfter: 60 });
  if ((await all.executeTakeFirstOrThrow()).count + more > limits.unsettledPerEnvironment) throw full;
  if (device === null) return;
  // The name of a device's host holds a "/", and no other does.
  const ofDevices = all.where('host', 'like', '%/%');
  if ((await ofDevices.executeTakeFirstOrThrow()).count + more > limits.unsettledOfDevices) throw full;
}

/**
 * Keeps a transaction until a person settles or drops it.
 *
 * @returns its id, the same however often the save is sent
 */
export async function keepUnsettled(
  { db }: WriterContext,
  session: SessionRow,
  number: number,
  { position, transaction, reason, detail }: Unapplied,
  now: number,
): Promise<string> {
  const id = `uns_${createHash('sha256').update(`${session.id} ${number} ${position}`).digest('base64url').slice(0, 22)}`;
  await db
    .insertInto('unsettled')
    .values({
      id,
      environment: session.environment,
      player: session.player,
      session: session.id,
      host: session.host,
      save_number: number,
      position,
      content: JSON.stringify(transaction),
      reason,
      detail,
      at: now,
    })
    .onConflict((conflict) => conflict.doNothing())
    .execute();
  return id;
}

export interface DealWith {
  readonly environment: number;
  readonly id: string;
  /** The operator's e-mail. */
  readonly by: string;
}

/** What others learn of a player whose records were changed from outside a session. */
export interface ChangedOutside {
  readonly player: string;
  readonly keys: readonly string[];
  readonly seen: number;
  /** The session that must be told. */
  readonly open: SessionToTell | null;
}

export interface SessionToTell {
  readonly id: string;
  readonly host: string;
  /** The version whose names it speaks. */
  readonly manifestVersion: number;
  /** It is on the player's own device, which is not told everything. */
  readonly isOnDevice: boolean;
}

export function sessionToTell({ id, host, manifest_version, device }: SessionRow): SessionToTell {
  return { id, host, manifestVersion: manifest_version, isOnDevice: device !== null };
}

/** Applies an unsettled transaction after all, through the same rules; refused, it stays. */
export async function settle(
  context: WriterContext,
  { environment, id, by, now, agesBy }: DealWith & Stamp,
): Promise<ChangedOutside> {
  const { db } = context;
  const row = await unsettledOf(context, environment, id);
  const player = await db.selectFrom('players').selectAll().where('number', '=', row.player).executeTakeFirstOrThrow();
  const place = await environmentOf(context, environment);
  const { rules } = await context.manifests.newestOf(place);
  const { label = 'settled', ...content } = JSON.parse(row.content) as Transaction;
  const records = await RecordsInWork.load(context, player.number, rules.manifest);
  const source = { environment: place, session: null, by, earliest: now, now, agesBy };
  const settling = [{ ...content, label }];
  const { outcomes, touched } = await applyTransactions(context, records, rules, player, settling, source);
  const [outcome] = outcomes;
  if (outcome !== undefined && !outcome.applied) {
    const { change: _, code, detail, ...facts } = outcome.problem;
    throw new Refusal(code as ChangeProblemCode, `It can't be settled now: ${detail}`, facts);
  }
  await records.writeFor(player, now);
  await db.deleteFrom('unsettled').where('id', '=', id).execute();
  await note(context, {
    environment,
    what: 'unsettled-settled',
    by,
    player: player.id,
    detail: contentInWords(row),
    now,
  });
  const open = await openSessionOf(context, player);
  return {
    player: player.id,
    keys: [...touched],
    seen: player.seen,
    open: open === undefined ? null : sessionToTell(open),
  };
}

/** Drops an unsettled transaction; what it held stays readable in the activity. */
export async function drop(context: WriterContext, { environment, id, by, now }: DealWith & Stamp): Promise<null> {
  const row = await unsettledOf(context, environment, id);
  const { id: player } = await context.db
    .selectFrom('players')
    .select('id')
    .where('number', '=', row.player)
    .executeTakeFirstOrThrow();
  await context.db.deleteFrom('unsettled').where('id', '=', id).execute();
  await note(context, { environment, what: 'unsettled-dropped', by, player, detail: contentInWords(row), now });
  return null;
}

async function unsettledOf({ db }: WriterContext, environment: number, id: string) {
  const row = await db
    .selectFrom('unsettled')
    .selectAll()
    .where('id', '=', id)
    .where('environment', '=', environment)
    .executeTakeFirst();
  if (row === undefined) throw new Refusal('unsettled-unknown');
  return row;
}

/** What it held, whole: after this it stands nowhere else. */
function contentInWords({
  session,
  save_number,
  content,
}: {
  session: string;
  save_number: number;
  content: string;
}): string {
  return `save ${save_number} of ${session}: ${content}`;
}
