import { keptQuery } from '../../kept-query.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { foundColumns } from '../found-by-in-work.js';
import { note } from './activity.js';

interface SetFoundBy {
  readonly environment: number;
  /** All that is wanted from now on, each in its one way of writing it. */
  readonly of: readonly string[];
  readonly by: string;
}

/** Sets what the players of an environment can be found by. What is new is taken in beside the writer, in steps. */
export async function setFoundBy(context: WriterContext, { environment, of, by, now }: SetFoundBy & Stamp) {
  const { db, foundBy } = context;
  await environmentOf(context, environment);
  const wanted = new Set(of);
  const before = await db
    .selectFrom('found_by')
    .select(['number', 'of'])
    .where('environment', '=', environment)
    .where('dropped_at', 'is', null)
    .execute();
  const dropped = before.filter((one) => !wanted.has(one.of));
  const added = [...wanted].filter((one) => !before.some((known) => known.of === one));
  for (const { number } of dropped) {
    await db.updateTable('found_by').set({ dropped_at: now }).where('number', '=', number).execute();
  }
  for (const one of added) {
    const row = { environment, of: one, through: 0, ready_at: null, dropped_at: null };
    await db.insertInto('found_by').values(row).execute();
  }
  foundBy.forget();
  if (added.length + dropped.length === 0) return null;
  const parts = [...added.map((one) => `+ ${one}`), ...dropped.map((one) => `− ${one.of}`)];
  await note(context, { environment, what: 'found-by-set', by, player: null, detail: parts.join(', '), now });
  return null;
}

interface TakeInFound {
  readonly foundBy: number;
  /** Of players, by their numbers, what was stored when it was read. */
  readonly values: readonly (readonly [player: number, value: number | string | null])[];
  /** The last of them; null where nobody is left. */
  readonly through: number | null;
}

/** Takes in what was stored before it was wanted. What was written since is newer, and stays. */
export async function takeInFound(
  context: WriterContext,
  { foundBy, values, through, now }: TakeInFound & Stamp,
): Promise<{ readonly isWanted: boolean }> {
  const { db } = context;
  const row = await db.selectFrom('found_by').selectAll().where('number', '=', foundBy).executeTakeFirst();
  if (row === undefined || row.dropped_at !== null) return { isWanted: false };
  for (const [player, found] of values) {
    // Who was erased meanwhile leaves nothing behind.
    if ((await isThere(db, player)).length > 0) await addFound(db, foundBy, player, ...foundColumns(found));
  }
  const reached = through === null ? { ready_at: now } : { through };
  if (through === null) {
    const { environment, of } = row;
    await note(context, { environment, what: 'found-by-ready', by: null, player: null, detail: of, now });
  }
  await db.updateTable('found_by').set(reached).where('number', '=', foundBy).execute();
  return { isWanted: true };
}

const isThere = keptQuery((db, player: number) =>
  db.selectFrom('players').select('number').where('number', '=', player),
);

const addFound = keptQuery((db, found_by: number, player: number, value: number | null, text: string | null) =>
  db
    .insertInto('found_values')
    .values({ found_by, player, value, text })
    .onConflict((conflict) => conflict.columns(['found_by', 'player']).doNothing()),
);
