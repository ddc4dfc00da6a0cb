import { historyDigest } from '../../history-digest.js';
import { keptQuery } from '../../kept-query.js';
import type { OutdatedPart } from '../../reader/outdated.js';
import { updateEnvironment, environmentOf, type Stamp, type WriterContext } from '../context.js';
import type { Terms } from '@vekkon/core';
import { note } from './activity.js';

/** Takes away some of what is kept longer than its term. What was written since is newer, and stays. */
export async function thin(
  context: WriterContext,
  { part, now }: { readonly part: OutdatedPart } & Stamp,
): Promise<null> {
  const { db } = context;
  const { player, environment } = part;
  if ('revisions' in part) {
    const { goes, next, follows } = part.revisions;
    for (const revision of goes) await giveUp(db, player, part.key, revision);
    await follow(context, player, part.key, next, follows);
    await countPruned(context, environment, 'history', goes.length, now);
    return null;
  }
  const { number, goes, amount, count, day } = part.lines;
  await db
    .deleteFrom('ledger')
    .where('number', 'in', [...goes])
    .execute();
  const op = amount < 0 ? ('debit' as const) : ('credit' as const);
  const reason = `${count} movements of ${day}`;
  await db
    .updateTable('ledger')
    .set({ op, amount, count, reason, session: null, by: null, label: null })
    .where('number', '=', number)
    .execute();
  await countPruned(context, environment, 'ledger', goes.length, now);
  return null;
}

/** Sets how long what was is kept. */
export async function setTerms(
  context: WriterContext,
  { environment, terms, by, now }: { readonly environment: number; readonly terms: Terms; readonly by: string } & Stamp,
): Promise<null> {
  await environmentOf(context, environment);
  await updateEnvironment(context, environment, { terms: JSON.stringify(terms) });
  const days = (milliseconds: number) => `${Math.round((milliseconds / 86_400_000) * 100) / 100} d`;
  const { revisions, ofSessions, ofDays, ledger } = terms;
  const detail = `every revision ${days(revisions)}, the last of a session ${days(ofSessions)}, of a day ${days(ofDays)}, the ledger ${days(ledger)}`;
  await note(context, { environment, what: 'terms-set', by, player: null, detail, now });
  return null;
}

async function countPruned(
  { db }: WriterContext,
  environment: number,
  what: string,
  rows: number,
  now: number,
): Promise<void> {
  await db
    .insertInto('pruned')
    .values({ environment, what, rows, at: now })
    .onConflict((conflict) =>
      conflict
        .columns(['environment', 'what'])
        .doUpdateSet(({ ref, eb }) => ({ rows: eb(ref('pruned.rows'), '+', rows), at: now })),
    )
    .execute();
}

async function follow(
  { db }: WriterContext,
  player: number,
  key: string,
  revision: number,
  follows: number | null,
): Promise<void> {
  const [row] = await revisionOf(db, player, key, revision);
  if (row === undefined) return;
  const digest = row.digest === null ? null : historyDigest(player, { ...row, key, revision, follows });
  await setFollows(db, follows, digest, player, key, revision);
}

const giveUp = keptQuery((db, player: number, key: string, revision: number) =>
  db.deleteFrom('history').where('player', '=', player).where('key', '=', key).where('revision', '=', revision),
);

const revisionOf = keptQuery((db, player: number, key: string, revision: number) =>
  db
    .selectFrom('history')
    .select(['value', 'removed', 'seen', 'at', 'digest'])
    .where('player', '=', player)
    .where('key', '=', key)
    .where('revision', '=', revision),
);

const setFollows = keptQuery(
  (db, follows: number | null, digest: string | null, player: number, key: string, revision: number) =>
    db
      .updateTable('history')
      .set({ follows, digest })
      .where('player', '=', player)
      .where('key', '=', key)
      .where('revision', '=', revision),
);
