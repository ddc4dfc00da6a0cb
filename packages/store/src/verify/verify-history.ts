import type { Kysely } from 'kysely';
import { isAsDigested } from '../history-digest.js';
import { keptQuery } from '../kept-query.js';
import type { PlayerRow, Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';
import type { IsSessionThere } from './verify-sessions.js';

/** A revision as it is stored. */
export interface NewestRevision {
  readonly revision: number;
  readonly value: string;
  readonly removed: number;
}

interface Row extends NewestRevision {
  readonly key: string;
  readonly follows: number | null;
  readonly seen: number;
  readonly at: number;
  readonly session: string | null;
  readonly digest: string | null;
}

const rowsAtATime = 2_000;

/** Holds a player's history against its digests and against itself. @returns the newest revision under each name of now */
export async function verifyHistory(
  db: Kysely<Tables>,
  player: PlayerRow,
  nameOf: (key: string) => string,
  isThere: IsSessionThere,
  faults: PlayerFault[],
): Promise<{ readonly newest: ReadonlyMap<string, NewestRevision>; readonly revisions: number }> {
  const newest = new Map<string, NewestRevision>();
  // Where a record was renamed, its first row under the new name follows the last under the old.
  const heads: { readonly name: string; readonly revision: number; readonly follows: number }[] = [];
  const tails = new Set<string>();
  let revisions = 0;
  let before: Row | undefined;
  const endKey = () => before !== undefined && tails.add(`${nameOf(before.key)} ${before.revision}`);
  for await (const row of rowsOf(db, player.number)) {
    revisions++;
    const name = nameOf(row.key);
    const isSameKey = before?.key === row.key;
    if (!isSameKey) endKey();
    verifyRow(row, player, isThere, faults);
    if (row.follows !== null) {
      if (!isSameKey) heads.push({ name, revision: row.revision, follows: row.follows });
      else if (row.follows !== before?.revision) faults.push(gap(name, row.follows, row.revision));
    }
    if ((newest.get(name)?.revision ?? 0) < row.revision) newest.set(name, row);
    before = row;
  }
  endKey();
  for (const { name, revision, follows } of heads) {
    if (follows > 0 && !tails.has(`${name} ${follows}`)) faults.push(gap(name, follows, revision));
  }
  return { newest, revisions };
}

function verifyRow(row: Row, player: PlayerRow, isThere: IsSessionThere, faults: PlayerFault[]): void {
  const { key, revision, seen, session, digest } = row;
  if (digest !== null && !isAsDigested(player.number, row, digest)) {
    const mend = 'Look in a backup what it was; the newest value is not concerned.';
    faults.push({ detail: `${key}: revision ${revision} in the history is not what was written`, mend });
  }
  if (seen > player.seen) {
    const detail = `${key}: revision ${revision} was written at commit ${seen}, and the player is at ${player.seen}`;
    faults.push({ detail, mend: `Set the player's "seen" to ${seen}.` });
  }
  if (session !== null && !isThere(session, row.at)) {
    const detail = `${key}: revision ${revision} is from session ${session}, which is not there`;
    faults.push({ detail, mend: 'Restore a backup where it matters in which session it was; the value is right.' });
  }
}

function gap(name: string, follows: number, revision: number): PlayerFault {
  return {
    detail: `${name}: revision ${revision} followed ${follows}, and that is not in the history`,
    mend: 'Restore a backup where the older revision is needed; the record itself is right.',
  };
}

async function* rowsOf(db: Kysely<Tables>, player: number): AsyncGenerator<Row> {
  let last = { key: '', revision: 0 };
  for (;;) {
    const rows = await rowsAfter(db, player, last.key, last.key, last.revision);
    yield* rows;
    last = rows.at(-1) ?? last;
    if (rows.length < rowsAtATime) return;
  }
}

const rowsAfter = keptQuery((db, player: number, key: string, sameKey: string, revision: number) =>
  db
    .selectFrom('history')
    .select(['key', 'revision', 'follows', 'value', 'removed', 'seen', 'at', 'session', 'digest'])
    .where('player', '=', player)
    .where((where) =>
      where.or([where('key', '>', key), where.and([where('key', '=', sameKey), where('revision', '>', revision)])]),
    )
    .orderBy('key')
    .orderBy('revision')
    .limit(rowsAtATime),
);
