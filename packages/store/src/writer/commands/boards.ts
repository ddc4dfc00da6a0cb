import { acceptResult, readRecord, type Json, type Manifest, type ScoreValue } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { rfc3339 } from '../../clock.js';
import type { DoubtfulRow, KnownBoard, PlayerRow, SeasonRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { boardNow, findBoard, scoreDeclared, turn } from '../known-boards.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { isBarred, setStanding, stand, standingOf } from '../standings-in-work.js';
import { note } from './activity.js';
import { closeNow } from './tend-seasons.js';

/** What somebody does to a board, and why. */
interface OnBoard {
  readonly environment: number;
  /** Such as `gorge-run`, or `valley/Gull Valley`. */
  readonly board: string;
  readonly reason: string;
  readonly by: string;
}

/** What somebody does to one player on a board. */
export interface OnStanding extends OnBoard {
  readonly player: string;
}

interface Found {
  readonly board: KnownBoard;
  readonly open: SeasonRow;
  readonly manifest: Manifest;
}

async function findOpen(context: WriterContext, { environment, board: key }: OnBoard, now: number): Promise<Found> {
  const place = await environmentOf(context, environment);
  const { manifest } = (await context.manifests.newestOf(place)).rules;
  if (scoreDeclared(key, manifest) === undefined) throw new Refusal('board-unknown');
  const board = await boardNow(context, environment, key, manifest, now);
  const open = board.seasons.find((one) => one.turned_at === null);
  if (open === undefined) throw new Refusal('board-unknown');
  return { board, open, manifest };
}

async function playerIn(context: WriterContext, environment: number, id: string): Promise<PlayerRow> {
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  return player;
}

/** Closes the open season now, without a time of grace, and opens the next. @returns the number of the closed one */
export async function closeSeason(
  context: WriterContext,
  close: OnBoard & Stamp,
): Promise<{ readonly season: number }> {
  const { environment, board: key, reason, by, now, agesBy } = close;
  const { board, open, manifest } = await findOpen(context, close, agesBy);
  const after = await turn(context, board, scoreDeclared(key, manifest), agesBy, agesBy);
  const turned = after.seasons.find((one) => one.number === open.number);
  if (turned !== undefined) await closeNow(context, after, turned, manifest, agesBy, { closed_by: by, reason });
  const detail = `season ${open.number} of ${key}: ${reason}`;
  await note(context, { environment, what: 'season-closed', by, player: null, detail, now });
  return { season: open.number };
}

/** Takes a player's standing of the open season off, to be put back if that was wrong. */
export async function takeOffStanding(context: WriterContext, take: OnStanding & Stamp): Promise<null> {
  const { environment, board: key, reason, by, now, agesBy } = take;
  const { board, open } = await findOpen(context, take, agesBy);
  const player = await playerIn(context, environment, take.player);
  const taken = await setAside(context, board, open, player, { why: 'taken-off', reason, by, at: now });
  if (taken === undefined) throw new Refusal('standing-unknown');
  const detail = `${taken.value} of season ${open.number} of ${key}: ${reason}`;
  await note(context, { environment, what: 'standing-taken-off', by, player: player.id, detail, now });
  return null;
}

/** Puts back what was taken off; a better one that was reached since stays. */
export async function putBackStanding(context: WriterContext, put: OnStanding & Stamp): Promise<null> {
  const { environment, board: key, reason, by, now, agesBy } = put;
  const { board, open } = await findOpen(context, put, agesBy);
  const player = await playerIn(context, environment, put.player);
  if (await isBarred(context, board.number, player.number)) {
    throw new Refusal(
      'player-barred',
      'The player is kept off the board: readmit them, which puts back what they had.',
    );
  }
  if (!(await putBack(context, board, open, player.number))) throw new Refusal('standing-unknown');
  const detail = `season ${open.number} of ${key}: ${reason}`;
  await note(context, { environment, what: 'standing-put-back', by, player: player.id, detail, now });
  return null;
}

/** Keeps a player off a board until they are readmitted. */
export async function barPlayer(context: WriterContext, bar: OnStanding & Stamp): Promise<null> {
  const { environment, board: key, reason, by, now, agesBy } = bar;
  const { board } = await findOpen(context, bar, agesBy);
  const player = await playerIn(context, environment, bar.player);
  if (await isBarred(context, board.number, player.number)) {
    throw new Refusal('player-barred', `The player is kept off ${key} already.`);
  }
  let after = board;
  for (const season of board.seasons) {
    await setAside(context, after, season, player, { why: 'barred', reason, by, at: now });
    after = (await findOpen(context, bar, agesBy)).board;
  }
  await context.db
    .insertInto('barred')
    .values({ board: board.number, player: player.number, reason, by, at: now })
    .execute();
  await note(context, { environment, what: 'player-barred', by, player: player.id, detail: `${key}: ${reason}`, now });
  return null;
}

/** Lets a player onto a board again, with the standing that they had. */
export async function readmitPlayer(context: WriterContext, readmit: OnStanding & Stamp): Promise<null> {
  const { environment, board: key, reason, by, now, agesBy } = readmit;
  const { board } = await findOpen(context, readmit, agesBy);
  const player = await playerIn(context, environment, readmit.player);
  if (!(await isBarred(context, board.number, player.number))) {
    throw new Refusal('player-not-barred', `Nobody keeps the player off ${key}.`);
  }
  await context.db.deleteFrom('barred').where('board', '=', board.number).where('player', '=', player.number).execute();
  let after = board;
  for (const season of board.seasons) {
    await putBack(context, after, season, player.number);
    after = (await findOpen(context, readmit, agesBy)).board;
  }
  await note(context, {
    environment,
    what: 'player-readmitted',
    by,
    player: player.id,
    detail: `${key}: ${reason}`,
    now,
  });
  return null;
}

async function setAside(
  context: WriterContext,
  board: KnownBoard,
  season: SeasonRow,
  { number: player }: PlayerRow,
  about: { readonly why: 'taken-off' | 'barred'; readonly reason: string; readonly by: string; readonly at: number },
): Promise<{ readonly value: number } | undefined> {
  const [standing] = await standingOf(context.db, board.number, season.number, player);
  if (standing === undefined) return undefined;
  const { value, reached } = standing;
  const row = { board: board.number, season: season.number, player, value, reached, ...about };
  await context.db
    .insertInto('set_aside')
    .values(row)
    .onConflict((conflict) => conflict.columns(['board', 'season', 'player']).doUpdateSet({ value, reached, ...about }))
    .execute();
  await setStanding(context, board, season, player, { value, reached }, undefined);
  return { value };
}

/** @returns was there something to put back? */
async function putBack(context: WriterContext, board: KnownBoard, season: SeasonRow, player: number): Promise<boolean> {
  const { db } = context;
  const aside = await db
    .deleteFrom('set_aside')
    .where('board', '=', board.number)
    .where('season', '=', season.number)
    .where('player', '=', player)
    .returning(['value', 'reached'])
    .executeTakeFirst();
  if (aside === undefined) return false;
  const [now] = await standingOf(db, board.number, season.number, player);
  if (now === undefined) await setStanding(context, board, season, player, undefined, aside);
  else await stand(context, board, player, aside);
  return true;
}

export interface DecideDoubtful {
  readonly environment: number;
  readonly id: number;
  readonly reason: string;
  readonly by: string;
}

async function waiting({ db }: WriterContext, { environment, id }: DecideDoubtful): Promise<DoubtfulRow> {
  const row = await db
    .selectFrom('doubtful')
    .selectAll()
    .where('number', '=', id)
    .where('environment', '=', environment)
    .executeTakeFirst();
  if (row === undefined) throw new Refusal('doubtful-unknown');
  if (row.state !== 'waiting') {
    throw new Refusal(
      'doubtful-decided',
      `It was ${row.state} by ${row.decided_by} at ${rfc3339(row.decided_at ?? 0)}.`,
    );
  }
  return row;
}

/** Lets a doubtful result count after all, as of when it was made. */
export async function acceptDoubtful(context: WriterContext, decide: DecideDoubtful & Stamp): Promise<null> {
  const { environment, by, reason, now, agesBy } = decide;
  const row = await waiting(context, decide);
  const place = await environmentOf(context, environment);
  const { rules } = await context.manifests.newestOf(place);
  const player = await context.db
    .selectFrom('players')
    .selectAll()
    .where('number', '=', row.player)
    .executeTakeFirstOrThrow();
  const key = `score/${row.key}`;
  const declaration = rules.manifest.records[`score/${row.key.split('/')[0]}`];
  if (declaration?.kind !== 'score') throw new Refusal('board-unknown');
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const held = readRecord(records.records.get(key), declaration, rules);
  const { value, at, name, note: said } = row;
  const result = { value, ...(name !== null && { name }), ...(said !== null && { note: said }) };
  const score = acceptResult(result, held.value as ScoreValue, declaration, new Date(at).toISOString());
  const record = { revision: held.revision + 1, value: score as unknown as Json };
  records.set(new Map([[key, record]]), [], { session: null, by, label: `accepted: ${reason}`, at: now });
  await records.writeFor(player, now);
  const board = await findBoard(context, environment, row.key, rules.manifest);
  if (board !== undefined && declaration.public) {
    const current = await boardNow(context, environment, row.key, rules.manifest, agesBy);
    await stand(context, current, player.number, { value, reached: at });
  }
  await decided(context, row, 'accepted', decide);
  const open = await openSessionOf(context, player);
  await tellOutside(context, { player, open, keys: [key], records, rules });
  const detail = `${value} on ${row.key}: ${reason}`;
  await note(context, { environment, what: 'result-accepted', by, player: player.id, detail, now });
  return null;
}

/** A doubtful result counts nowhere; what it was stays readable in the activity. */
export async function rejectDoubtful(context: WriterContext, decide: DecideDoubtful & Stamp): Promise<null> {
  const { environment, by, reason, now } = decide;
  const row = await waiting(context, decide);
  await decided(context, row, 'rejected', decide);
  const { id } = await context.db
    .selectFrom('players')
    .select('id')
    .where('number', '=', row.player)
    .executeTakeFirstOrThrow();
  const detail = `${row.value} on ${row.key}, made ${rfc3339(row.at)}: ${reason}`;
  await note(context, { environment, what: 'result-rejected', by, player: id, detail, now });
  return null;
}

async function decided(
  { db }: WriterContext,
  { number }: DoubtfulRow,
  state: 'accepted' | 'rejected',
  { by, reason, now }: DecideDoubtful & Stamp,
): Promise<void> {
  await db
    .updateTable('doubtful')
    .set({ state, decided_at: now, decided_by: by, reason })
    .where('number', '=', number)
    .execute();
}
