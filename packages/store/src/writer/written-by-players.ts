import { serviceLimits, revisionsByPlayers, revisionToGiveUp } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { historyDigest } from '../history-digest.js';
import { keptQuery, keptWrite } from '../kept-query.js';
import type { SavingPlayer } from '../tables.js';
import type { WriterContext } from './context.js';
import { heldWritten } from './held-written.js';
import type { RecordsInWork } from './records-in-work.js';

type Place = Pick<WriterContext, 'db' | 'later' | 'heldWritten'>;

const hour = 60 * 60 * 1000;
/** How many revisions of one record are looked at. */
const mostLookedAt = 300;

/** What a player's own devices wrote, by the name under which history keeps it: a device's id, or a host on it. */
const byDevice = /^dev-[0-9a-f]{20}(\/|$)/;

/**
 * Reads what the bound needs, if it is not held. Before anything of a command
 * is written: a player who is over the bound then has nothing to be undone.
 */
export async function holdWritten({ db, heldWritten: held }: Place, player: number): Promise<void> {
  const [found] = await writtenOf(db, player);
  held.keep(player, heldWritten(found?.hour ?? 0, found?.bytes ?? 0));
}

/**
 * Bounds what a player's own devices make the service keep: in bytes an hour,
 * and of each record's history in revisions.
 *
 * @param more bytes that are kept beside the records' own
 * @throws Refusal `too-many-requests` where the hour's share is used up: nothing of the command stays
 */
export async function boundWhatPlayersWrite(
  place: Place,
  player: SavingPlayer,
  records: RecordsInWork,
  more: number,
  now: number,
): Promise<void> {
  if (place.heldWritten.of(player.number) === undefined) await holdWritten(place, player.number);
  countBytes(place, player.number, records.writtenBytes + more, now);
  for (const key of records.writtenKeys) {
    if ((records.records.get(key)?.revision ?? 0) > revisionsByPlayers)
      await thinHistory(place, player.number, key, now);
  }
}

function countBytes(place: Place, player: number, bytes: number, now: number): void {
  const current = Math.floor(now / hour);
  const before = place.heldWritten.of(player);
  const total = (before?.hour === current ? before.written : 0) + bytes;
  if (total > serviceLimits.bytesByPlayerAnHour) {
    const retryAfter = Math.ceil(((current + 1) * hour - now) / 1000);
    throw new Refusal(
      'too-many-requests',
      `This player's devices have written ${serviceLimits.bytesByPlayerAnHour / 1024 / 1024} MiB within the hour, and that is the most: save less often, or less.`,
      { retryAfter },
    );
  }
  setWritten(place, player, current, total);
  place.heldWritten.keep(player, heldWritten(current, total));
}

async function thinHistory({ db }: Place, player: number, key: string, now: number): Promise<void> {
  const rows = await revisionsOf(db, player, key);
  const kept = rows.map((row) => ({ ...row, mayGo: row.by !== null && byDevice.test(row.by) }));
  const goes = () => revisionToGiveUp(kept, now);
  const changed = new Set<number>();
  for (let place = goes(); place !== undefined; place = goes()) {
    const [gone] = kept.splice(place, 1);
    const newer = kept[place - 1];
    if (gone === undefined || newer === undefined) return;
    await giveUp(db, player, key, gone.revision);
    changed.delete(gone.revision);
    changed.add(newer.revision);
  }
  for (const [place, { revision }] of kept.entries()) {
    const older = kept[place + 1];
    if (older === undefined || !changed.has(revision)) continue;
    const [row] = await revisionOf(db, player, key, revision);
    if (row === undefined) continue;
    const follows = older.revision;
    const digest = row.digest === null ? null : historyDigest(player, { ...row, key, revision, follows });
    await follow(db, follows, digest, player, key, revision);
  }
}

const writtenOf = keptQuery((db, player: number) =>
  db.selectFrom('written_by_players').select(['hour', 'bytes']).where('player', '=', player),
);

const setWritten = keptWrite((db, player: number, inHour: number, bytes: number) =>
  db
    .insertInto('written_by_players')
    .values({ player, hour: inHour, bytes })
    .onConflict((conflict) =>
      conflict
        .column('player')
        .doUpdateSet((row) => ({ hour: row.ref('excluded.hour'), bytes: row.ref('excluded.bytes') })),
    ),
);

const revisionsOf = keptQuery((db, player: number, key: string) =>
  db
    .selectFrom('history')
    .select(['revision', 'at', 'by'])
    .where('player', '=', player)
    .where('key', '=', key)
    .orderBy('revision', 'desc')
    .limit(mostLookedAt),
);

const revisionOf = keptQuery((db, player: number, key: string, revision: number) =>
  db
    .selectFrom('history')
    .select(['value', 'removed', 'seen', 'at', 'digest'])
    .where('player', '=', player)
    .where('key', '=', key)
    .where('revision', '=', revision),
);

const giveUp = keptQuery((db, player: number, key: string, revision: number) =>
  db.deleteFrom('history').where('player', '=', player).where('key', '=', key).where('revision', '=', revision),
);

const follow = keptQuery((db, follows: number, digest: string | null, player: number, key: string, revision: number) =>
  db
    .updateTable('history')
    .set({ follows, digest })
    .where('player', '=', player)
    .where('key', '=', key)
    .where('revision', '=', revision),
);
