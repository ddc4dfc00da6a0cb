import { takeAllAway, type Records, type Rules } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { rfc3339 } from '../../clock.js';
import type { PlayerRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';
import { leaveOpenSeasons } from './tend-seasons.js';

export interface MakeNew {
  readonly environment: number;
  readonly player: string;
  readonly by: string;
}

export interface MadeNew {
  /** The name of the copy of what they had. */
  readonly checkpoint: string;
  /** How many records went to the trash. */
  readonly records: number;
}

/** Makes a player new again: a checkpoint keeps what they had, all of it goes to the trash, and the next join is their first. */
export async function makeNew(
  context: WriterContext,
  { environment, player: id, by, now }: MakeNew & Stamp,
): Promise<MadeNew> {
  const place = await environmentOf(context, environment);
  const { rules } = await context.manifests.newestOf(place);
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  const open = await openSessionOf(context, player);
  if (open !== undefined) {
    throw new Refusal(
      'player-in-session',
      `"${open.host}" holds the player: let them leave first, or wait until the lease has ended.`,
    );
  }
  const made = await makeOneNew(context, player, rules, by, now);
  const detail = `${made.records} records to the trash, a copy in the checkpoint "${made.checkpoint}"`;
  await note(context, { environment, what: 'player-made-new', by, player: id, detail, now });
  return made;
}

export async function makeOneNew(
  context: WriterContext,
  player: PlayerRow,
  rules: Rules,
  by: string,
  now: number,
): Promise<MadeNew> {
  const { db } = context;
  const records = await RecordsInWork.load(context, player, rules.manifest);
  const checkpoint = `made new ${rfc3339(now)} ${player.seen}`;
  const about = { name: checkpoint, summary: 'What was there before the player was made new.' };
  await copyAll(context, player, records.records, { ...about, by, givenUpAt: null }, now);
  const { changed, ledger, trash } = takeAllAway(records.records);
  records.set(changed, ledger, { session: null, by, label: null, at: now }, { trash });
  await records.writeFor(player, now);
  // What the game had saved would bring back what was just taken away.
  await db
    .updateTable('checkpoints')
    .set({ given_up_at: now })
    .where('player', '=', player.number)
    .where('by_operator', '=', 0)
    .where('given_up_at', 'is', null)
    .execute();
  const aside = { player: player.number, why: 'taken-off', reason: 'the player was made new', by, at: now } as const;
  for (const { board, season, value, reached } of await leaveOpenSeasons(context, player.number)) {
    const row = { board, season, value, reached, ...aside };
    await db
      .insertInto('set_aside')
      .values(row)
      .onConflict((conflict) => conflict.columns(['board', 'season', 'player']).doUpdateSet({ value, reached }))
      .execute();
  }
  await db.deleteFrom('once_tokens').where('player', '=', player.number).execute();
  await db.updateTable('players').set({ first_joined_at: null }).where('number', '=', player.number).execute();
  return { checkpoint, records: trash.length };
}

export interface Copy {
  readonly name: string;
  readonly summary: string;
  readonly by: string;
  /** From when on it is kept no longer than what was given up; null for ever. */
  readonly givenUpAt: number | null;
}

/** A checkpoint of all that a player has, which the game does not see. */
export async function copyAll(
  { db }: WriterContext,
  player: PlayerRow,
  records: Records,
  { name, summary, by, givenUpAt }: Copy,
  now: number,
): Promise<void> {
  const held = Object.fromEntries([...records].filter(([, { removed }]) => removed !== true));
  await db
    .insertInto('checkpoints')
    .values({
      player: player.number,
      name,
      summary,
      at: now,
      by,
      by_operator: 1,
      seen: player.seen,
      records: JSON.stringify(held),
      given_up_at: givenUpAt,
    })
    .execute();
}

export interface EmptyEnvironment {
  readonly environment: number;
  readonly by: string;
  /** The player after whose number to go on. */
  readonly after: number;
}

/** How many players one command makes new: others get their turn in between. */
const playersAtATime = 100;

/** Makes players of an environment new, a hundred at a time. @returns the number to go on after; null when all are done */
export async function emptyEnvironment(
  context: WriterContext,
  { environment, by, after, now }: EmptyEnvironment & Stamp,
): Promise<{ readonly made: number; readonly inSession: number; readonly after: number | null }> {
  const place = await environmentOf(context, environment);
  if (place.is_live === 1) {
    throw new Refusal('environment-is-live', 'A live environment is never emptied: make single players new instead.');
  }
  const { rules } = await context.manifests.newestOf(place);
  const players = await context.db
    .selectFrom('players')
    .selectAll()
    .where('environment', '=', environment)
    .where('number', '>', after)
    .orderBy('number')
    .limit(playersAtATime)
    .execute();
  let [made, inSession] = [0, 0];
  for (const player of players) {
    if ((await openSessionOf(context, player)) !== undefined) {
      inSession++;
      continue;
    }
    await makeOneNew(context, player, rules, by, now);
    made++;
  }
  const last = players.length < playersAtATime ? null : (players.at(-1)?.number ?? null);
  return { made, inSession, after: last };
}
