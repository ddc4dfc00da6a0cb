import type { Updateable } from 'kysely';
import {
  notGivable,
  replacesBlindly,
  takingBack,
  turnedBackForMany,
  unknownToGift,
  whyNotGiven,
  type Change,
  type GiftContent,
  type GiftProblem,
  type Records,
  type Rules,
} from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { HistoryReads } from '../../reader/history.js';
import type { GiftPlayerTable, GiftState, GiftTable } from '../../gift-tables.js';
import type { GiftPlayerRow, GiftRow, PlayerRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { openSessionOf } from '../sessions.js';
import { note } from './activity.js';
import { applyTransactions } from './apply-transactions.js';
import { copyAll, type Copy } from './make-new.js';

export interface BeginGift {
  readonly environment: number;
  readonly content: GiftContent;
  /** Who was asked for, as it was asked: JSON text. */
  readonly audience: string;
  /** Everybody; else they are written down one by one. */
  readonly isForAll: boolean;
  readonly label: string;
  readonly by: string;
}

/** How long a gift can be taken back, in milliseconds. */
export const takenBackWithin = 24 * 60 * 60 * 1000;

/** What is known of a gift after a command. */
export interface GiftProgress {
  readonly number: number;
  readonly state: GiftState;
}

/** Begins a gift: for everybody at once, else those who get it are to be written down first. */
export async function beginGift(context: WriterContext, gift: BeginGift & Stamp): Promise<GiftProgress> {
  const { db } = context;
  const { environment, content, audience, isForAll, label, by, now } = gift;
  const refused = 'changes' in content ? notGivable(content) : undefined;
  if (refused !== undefined) throw new Refusal(refused.code, refused.detail);
  const newest = await db
    .selectFrom('players')
    .select(({ fn }) => fn.max('number').as('number'))
    .where('environment', '=', environment)
    .executeTakeFirst();
  const row = await db
    .insertInto('gifts')
    .values({
      environment,
      content: JSON.stringify(content),
      audience,
      label,
      state: isForAll ? 'giving' : 'gathering',
      until: isForAll ? (newest?.number ?? 0) : 0,
      after: 0,
      asked: 0,
      given: 0,
      refused: 0,
      taken_back: 0,
      kept: 0,
      at: now,
      by,
      ended_at: null,
    })
    .returningAll()
    .executeTakeFirstOrThrow();
  if (isForAll) await noteGift(context, row, 'gift-begun', 'everybody', now);
  return progressOf(context, row);
}

export interface GatherGift {
  readonly gift: number;
  /** The ids of players who get it, in order, after those that were sent before. */
  readonly players: readonly string[];
  /** These were the last: it begins. */
  readonly isWhole: boolean;
}

/** Writes down who gets a gift. An id that nobody has is refused at once. */
export async function gatherGift(
  context: WriterContext,
  { gift, players, isWhole, now }: GatherGift & Stamp,
): Promise<GiftProgress> {
  const { db } = context;
  const row = await giftOf(context, gift);
  if (row.state !== 'gathering') throw new Refusal('gift-not-so', 'Its players are written down already.');
  const known =
    players.length === 0
      ? []
      : await db
          .selectFrom('players')
          .select(['number', 'id'])
          .where('environment', '=', row.environment)
          .where('id', 'in', [...players])
          .execute();
  const numbers = new Map(known.map(({ id, number }) => [id, number]));
  const rows = players.map((id, index) => {
    const player = numbers.get(id) ?? null;
    const problem = player === null ? JSON.stringify(unknownToGift(id)) : null;
    const state: GiftPlayerTable['state'] = player === null ? 'refused' : 'waiting';
    return { gift, place: row.asked + index + 1, player, id, state, problem, back: null };
  });
  if (rows.length > 0) await db.insertInto('gift_players').values(rows).execute();
  const asked = row.asked + rows.length;
  const refused = row.refused + rows.filter(({ player }) => player === null).length;
  const state = isWhole ? 'giving' : 'gathering';
  await db.updateTable('gifts').set({ asked, refused, until: asked, state }).where('number', '=', gift).execute();
  if (isWhole) await noteGift(context, row, 'gift-begun', `${asked} players`, now);
  return progressOf(context, { ...row, state });
}

export interface GiftStep {
  readonly gift: number;
  /** How many players it deals with. */
  readonly atMost: number;
  /** The next player met a fault: they are refused, and it goes on behind them. */
  readonly skips?: boolean;
}

/** Gives a gift to the next players, or takes it back from them: each once, in one commit with the note of it. */
export async function giftStep(
  context: WriterContext,
  { gift, atMost, skips = false, ...stamp }: GiftStep & Stamp,
): Promise<GiftProgress> {
  const row = await giftOf(context, gift);
  const most = skips ? 1 : atMost;
  if (row.state === 'giving') return giveStep(context, row, most, skips, stamp);
  if (row.state === 'taking-back') return takeBackStep(context, row, most, skips, stamp);
  return progressOf(context, row);
}

async function giveStep(
  context: WriterContext,
  row: GiftRow,
  atMost: number,
  skips: boolean,
  stamp: Stamp,
): Promise<GiftProgress> {
  const isForAll = isForEverybody(row);
  const places = isForAll
    ? await nextOfAll(context, row, atMost)
    : await nextWrittenDown(context, row, 'waiting', atMost);
  let [given, refused] = [row.given, row.refused];
  for (const one of places) {
    const outcome = await outcomeFor(one, skips, (player) => giveTo(context, row, player, stamp));
    const isGiven = 'back' in outcome;
    if (isGiven) given++;
    else refused++;
    const back = isGiven ? JSON.stringify(outcome.back) : null;
    await noteOutcome(context, row, one, { state: isGiven ? 'given' : 'refused', problem: problemIn(outcome), back });
  }
  const isOver = places.length < atMost;
  const state: GiftState = isOver ? 'given' : 'giving';
  const asked = isForAll ? given + refused : row.asked;
  const done = { given, refused, asked, state, ended_at: isOver ? stamp.now : null };
  await advance(context, row, { ...done, after: isOver ? 0 : (places.at(-1)?.place ?? row.after) });
  if (isOver) await noteGift(context, row, 'gift-given', `${given} players, refused for ${refused}`, stamp.now);
  return progressOf(context, { ...row, state });
}

async function takeBackStep(
  context: WriterContext,
  row: GiftRow,
  atMost: number,
  skips: boolean,
  stamp: Stamp,
): Promise<GiftProgress> {
  const places = await nextWrittenDown(context, row, 'given', atMost);
  let { taken_back, kept } = row;
  for (const one of places) {
    const outcome = await outcomeFor(one, skips, (player) => takeBackFrom(context, row, player, one.back, stamp));
    const isBack = 'back' in outcome;
    if (isBack) taken_back++;
    else kept++;
    await noteOutcome(context, row, one, { state: isBack ? 'taken-back' : 'kept', problem: problemIn(outcome) });
  }
  const isOver = places.length < atMost;
  const state: GiftState = isOver ? 'taken-back' : 'taking-back';
  const done = { taken_back, kept, state, ended_at: isOver ? stamp.now : row.ended_at };
  await advance(context, row, { ...done, after: places.at(-1)?.place ?? row.after });
  if (isOver) await noteGift(context, row, 'gift-taken-back', `from ${taken_back} players, kept by ${kept}`, stamp.now);
  return progressOf(context, { ...row, state });
}

async function outcomeFor(
  { id, player }: Place,
  skips: boolean,
  work: (player: PlayerRow) => Promise<Outcome>,
): Promise<Outcome> {
  if (player === undefined) return { problem: unknownToGift(id) };
  return skips ? { problem: fault } : work(player);
}

function problemIn(outcome: Outcome): string | null {
  return 'problem' in outcome ? JSON.stringify(outcome.problem) : null;
}

/** What became of one player: of everybody it is written down only now. */
async function noteOutcome(
  { db }: WriterContext,
  { number: gift }: GiftRow,
  { place, id, player }: Place,
  noted: { state: GiftPlayerRow['state']; problem: string | null; back?: string | null },
): Promise<void> {
  const row = { gift, place, id, player: player?.number ?? null, back: null, ...noted };
  await db
    .insertInto('gift_players')
    .values(row)
    .onConflict((conflict) => conflict.columns(['gift', 'place']).doUpdateSet(noted))
    .execute();
}

async function advance({ db }: WriterContext, { number }: GiftRow, done: Updateable<GiftTable>): Promise<void> {
  await db.updateTable('gifts').set(done).where('number', '=', number).execute();
}

export interface DirectGift {
  readonly environment: number;
  readonly gift: number;
  readonly what: 'stop' | 'resume' | 'take-back';
  readonly by: string;
}

/** Stops a gift, goes on with it, or begins to take it back from everybody who got it. */
export async function directGift(
  context: WriterContext,
  { environment, gift, what, by, now }: DirectGift & Stamp,
): Promise<GiftProgress> {
  const row = await giftOf(context, gift, environment);
  const set = (change: Partial<Pick<GiftRow, 'state' | 'after'>>) =>
    context.db.updateTable('gifts').set(change).where('number', '=', gift).execute();
  if (what === 'stop') {
    if (row.state !== 'giving') throw new Refusal('gift-not-so', 'It is not being given: there is nothing to stop.');
    await set({ state: 'stopped' });
    await noteGift(context, { ...row, by }, 'gift-stopped', `after ${row.given + row.refused} players`, now);
    return progressOf(context, { ...row, state: 'stopped' });
  }
  if (what === 'resume') {
    if (row.state !== 'stopped')
      throw new Refusal('gift-not-so', 'It was not stopped: there is nothing to go on with.');
    await set({ state: 'giving' });
    await noteGift(context, { ...row, by }, 'gift-resumed', `after ${row.given + row.refused} players`, now);
    return progressOf(context, { ...row, state: 'giving' });
  }
  if (row.state !== 'given' && row.state !== 'stopped') {
    throw new Refusal('gift-not-so', 'Only what was given, or was stopped on the way, can be taken back.');
  }
  if (now - (row.ended_at ?? row.at) > takenBackWithin) {
    throw new Refusal('gift-too-old', 'More than a day has passed: mend single players, or give the opposite.');
  }
  await set({ state: 'taking-back', after: 0 });
  await noteGift(context, { ...row, by }, 'gift-recalled', `from ${row.given} players`, now);
  return progressOf(context, { ...row, state: 'taking-back' });
}

type Outcome = { readonly back: readonly Change[] } | { readonly problem: GiftProblem };

const fault: GiftProblem = { code: 'fault', detail: 'The service made a mistake here: its log says more.' };

async function giveTo(context: WriterContext, gift: GiftRow, player: PlayerRow, stamp: Stamp): Promise<Outcome> {
  const content = JSON.parse(gift.content) as GiftContent;
  if ('asOf' in content) return turnBackOne(context, gift, content, player, stamp);
  return changeOne(context, gift, player, content, gift.label, stamp);
}

/** Applies changes to one player through the same rules as any from outside. */
async function changeOne(
  context: WriterContext,
  gift: GiftRow,
  player: PlayerRow,
  content: Extract<GiftContent, { readonly changes: object }>,
  label: string,
  { now, agesBy }: Stamp,
): Promise<Outcome> {
  const { changes } = content;
  const place = await environmentOf(context, gift.environment);
  const { rules } = await context.manifests.newestOf(place);
  const open = await openSessionOf(context, player);
  const unreached = whyNotGiven(content, { createdAt: player.created_at, host: open?.host ?? null });
  if (unreached !== undefined) return { problem: unreached };
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const before = new Map(records.records);
  const source = { environment: place, session: null, by: gift.by, earliest: now, now, agesBy };
  const applied = await applyTransactions(context, records, rules, player, [{ changes, label }], source);
  const [outcome] = applied.outcomes;
  if (outcome?.applied === false) return { problem: { code: outcome.problem.code, detail: outcome.problem.detail } };
  if (changes.some(replacesBlindly)) await copyAll(context, player, before, copyFor(gift, now), now);
  return written(context, gift, player, { before, records, rules: applied.rules, keys: applied.touched, open }, now);
}

async function turnBackOne(
  context: WriterContext,
  gift: GiftRow,
  content: Extract<GiftContent, { readonly asOf: number }>,
  player: PlayerRow,
  { now }: Stamp,
): Promise<Outcome> {
  const { asOf, keys } = content;
  const place = await environmentOf(context, gift.environment);
  const { rules } = await context.manifests.newestOf(place);
  const open = await openSessionOf(context, player);
  const unreached = whyNotGiven(content, { createdAt: player.created_at, host: open?.host ?? null });
  if (unreached !== undefined) return { problem: unreached };
  const then = await new HistoryReads(context.db).asOf(player.number, asOf);
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const before = new Map(records.records);
  const back = turnedBackForMany(then, before, rules, gift.label, keys);
  if (back.changed.size > 0) await copyAll(context, player, before, copyFor(gift, now), now);
  const origin = { session: null, by: gift.by, label: gift.label, at: now };
  records.set(back.changed, back.ledger, origin, { trash: back.trash });
  return written(context, gift, player, { before, records, rules, keys: back.changed.keys(), open }, now);
}

/** Gives up a gift whose players could not all be written down: it never began. */
export async function abandonGift(context: WriterContext, { gift }: { readonly gift: number } & Stamp): Promise<null> {
  const { state } = await giftOf(context, gift);
  if (state !== 'gathering') return null;
  await context.db.deleteFrom('gift_players').where('gift', '=', gift).execute();
  await context.db.deleteFrom('gifts').where('number', '=', gift).execute();
  return null;
}

interface Written {
  readonly before: Records;
  readonly records: RecordsInWork;
  readonly rules: Rules;
  readonly keys: Iterable<string>;
  readonly open: Awaited<ReturnType<typeof openSessionOf>>;
}

async function written(
  context: WriterContext,
  gift: GiftRow,
  player: PlayerRow,
  { before, records, rules, keys: reached, open }: Written,
  now: number,
): Promise<Outcome> {
  const keys = [...reached];
  await records.writeFor(player, now);
  await tellOutside(context, { player, open, keys, records, rules });
  return { back: takingBack(before, records.records, keys, rules.manifest, takenBackLabel(gift)) };
}

async function takeBackFrom(
  context: WriterContext,
  gift: GiftRow,
  player: PlayerRow,
  back: string | null,
  stamp: Stamp,
): Promise<Outcome> {
  const changes = JSON.parse(back ?? '[]') as readonly Change[];
  if (changes.length === 0) return { back: [] };
  return changeOne(context, gift, player, { changes }, takenBackLabel(gift), stamp);
}

/** A label has at most 150 characters: with this it fits a reason. */
function takenBackLabel({ label }: GiftRow): string {
  return `taken back: ${label}`;
}

/** What values were before; it is kept for as long as what was given up. */
function copyFor({ number, label, by }: GiftRow, now: number): Copy {
  return { name: `before gift ${number}`, summary: label, by, givenUpAt: now };
}

interface Place {
  readonly place: number;
  readonly id: string;
  readonly player: PlayerRow | undefined;
  readonly back: string | null;
}

async function nextOfAll({ db }: WriterContext, row: GiftRow, atMost: number): Promise<Place[]> {
  const players = await db
    .selectFrom('players')
    .selectAll()
    .where('environment', '=', row.environment)
    .where('number', '>', row.after)
    .where('number', '<=', row.until)
    .orderBy('number')
    .limit(atMost)
    .execute();
  return players.map((player) => ({ place: player.number, id: player.id, player, back: null }));
}

async function nextWrittenDown(
  { db }: WriterContext,
  row: GiftRow,
  state: GiftPlayerRow['state'],
  atMost: number,
): Promise<Place[]> {
  const places = await db
    .selectFrom('gift_players')
    .selectAll()
    .where('gift', '=', row.number)
    .where('state', '=', state)
    .where('place', '>', row.after)
    .orderBy('place')
    .limit(atMost)
    .execute();
  const numbers = places.flatMap(({ player }) => player ?? []);
  const players =
    numbers.length === 0 ? [] : await db.selectFrom('players').selectAll().where('number', 'in', numbers).execute();
  const byNumber = new Map(players.map((player) => [player.number, player]));
  return places.map(({ place, id, player, back }) => ({ place, id, player: byNumber.get(player ?? 0), back }));
}

async function giftOf({ db }: WriterContext, number: number, environment?: number): Promise<GiftRow> {
  const row = await db.selectFrom('gifts').selectAll().where('number', '=', number).executeTakeFirst();
  if (row === undefined || (environment !== undefined && row.environment !== environment)) {
    throw new Refusal('gift-unknown', `There is no gift number ${number} in this environment.`);
  }
  return row;
}

function isForEverybody({ audience }: GiftRow): boolean {
  return (JSON.parse(audience) as { readonly everybody?: true }).everybody === true;
}

async function noteGift(
  context: WriterContext,
  gift: GiftRow,
  what: string,
  detail: string,
  now: number,
): Promise<void> {
  const { environment, by, number, label } = gift;
  await note(context, { environment, what, by, player: null, detail: `no. ${number}, ${label}: ${detail}`, now });
}

function progressOf({ feed }: WriterContext, { number, state, environment }: GiftRow): GiftProgress {
  feed.tell({ what: 'gift', environment, gift: number });
  return { number, state };
}
