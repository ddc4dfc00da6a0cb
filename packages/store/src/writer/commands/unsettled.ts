import type { ChangeProblemCode, Transaction } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import type { UnsettledRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { note } from './activity.js';
import { applyTransactions } from './apply-transactions.js';
import { tellOutside } from '../outside.js';
import { openSessionOf } from '../sessions.js';
import { countUnsettled } from '../unsettled-sums.js';

export interface DealWith {
  readonly environment: number;
  readonly id: string;
  /** The operator's e-mail. */
  readonly by: string;
}

/** Applies an unsettled transaction after all, through the same rules; refused, it stays. */
export async function settle(
  context: WriterContext,
  { environment, id, by, now, agesBy }: DealWith & Stamp,
): Promise<null> {
  const { db } = context;
  const row = await unsettledOf(context, environment, id);
  const player = await db.selectFrom('players').selectAll().where('number', '=', row.player).executeTakeFirstOrThrow();
  const place = await environmentOf(context, environment);
  const { rules } = await context.manifests.newestOf(place);
  const { label = 'settled', ...content } = JSON.parse(row.content) as Transaction;
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const source = { environment: place, session: null, by, earliest: now, now, agesBy };
  const settling = [{ ...content, label }];
  const {
    outcomes,
    touched,
    rules: after,
  } = await applyTransactions(context, records, rules, player, settling, source);
  const [outcome] = outcomes;
  if (outcome !== undefined && !outcome.applied) {
    const { change: _, code, detail, ...facts } = outcome.problem;
    throw new Refusal(code as ChangeProblemCode, `It can't be settled now: ${detail}`, facts);
  }
  await records.writeFor(player, now);
  await takeOff(context, row);
  await note(context, {
    environment,
    what: 'unsettled-settled',
    by,
    player: player.id,
    detail: contentInWords(row),
    now,
  });
  const open = await openSessionOf(context, player);
  await tellOutside(context, { player, open, keys: touched, records, rules: after });
  return null;
}

/** Drops an unsettled transaction; what it held stays readable in the activity. */
export async function drop(context: WriterContext, { environment, id, by, now }: DealWith & Stamp): Promise<null> {
  const row = await unsettledOf(context, environment, id);
  const { id: player } = await context.db
    .selectFrom('players')
    .select('id')
    .where('number', '=', row.player)
    .executeTakeFirstOrThrow();
  await takeOff(context, row);
  await note(context, { environment, what: 'unsettled-dropped', by, player, detail: contentInWords(row), now });
  return null;
}

async function unsettledOf({ db }: WriterContext, environment: number, id: string): Promise<UnsettledRow> {
  const row = await db
    .selectFrom('unsettled')
    .selectAll()
    .where('id', '=', id)
    .where('environment', '=', environment)
    .executeTakeFirst();
  if (row === undefined) throw new Refusal('unsettled-unknown');
  return row;
}

async function takeOff(context: WriterContext, row: UnsettledRow): Promise<void> {
  await context.db.deleteFrom('unsettled').where('id', '=', row.id).execute();
  await countUnsettled(context, [{ before: row, row: undefined }]);
}

/** What it held, whole: after this it stands nowhere else. */
function contentInWords({ session, save_number, content, count }: UnsettledRow): string {
  const many = count === 1 ? '' : `${count} of them, the last in `;
  return `${many}save ${save_number} of ${session}: ${content}`;
}
