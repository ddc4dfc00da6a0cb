import { existsSync } from 'node:fs';
import path from 'node:path';
import { sql, type Kysely } from 'kysely';
import { databaseName } from './engines/sqlite/check-folder.js';
import { readLastCommit } from './engines/sqlite/last-commit.js';
import { openSqliteToRead } from './engines/sqlite/sqlite-engine.js';
import { newestMigration } from './migrations/index.js';
import { Manifests } from './manifests.js';
import type { EnvironmentRow, PlayerRow, Tables } from './tables.js';
import { rowsWithoutTheirs } from './verify/rows-without-theirs.js';
import { verifyBoards } from './verify/verify-boards.js';
import { verifySums } from './verify/verify-sums.js';
import { verifyPlayer } from './verify/verify-player.js';
import { sessionsLast } from './writer/commands/prune.js';
import type { PlayerFault } from './verify/fault.js';

/** What was looked at in a data folder, and what is wrong in it. */
export interface Verified {
  readonly players: number;
  readonly records: number;
  readonly revisions: number;
  readonly ledgerLines: number;
  readonly sessions: number;
  readonly faults: readonly Fault[];
}

/** Something that does not agree, and how it would be mended. */
export interface Fault extends PlayerFault {
  readonly environment: string;
  readonly player: string;
}

const restoreBackup = 'Stop the service, keep a copy of the folder, and restore a backup.';

/**
 * Checks that what is stored agrees with itself, in both directions: each
 * record is the newest revision in its history and each history ends in its
 * record, each balance is the sum of its ledger, each ledger line follows from
 * the one before, what history holds is what was written, results add up, and
 * sessions and players know the same of each other.
 *
 * Reads one moment of the folder; a service may run on it meanwhile.
 *
 * @param onPlayer told of each player, for a progress bar
 * @throws if the folder holds no data of this version
 */
export async function verifyStore(
  folder: string,
  onPlayer: (done: number, total: number) => void = () => undefined,
): Promise<Verified> {
  const file = path.join(folder, databaseName);
  if (!existsSync(file)) throw new Error(`${folder} holds no ${databaseName}: name the data folder of a service.`);
  // Read before the database, which may only go on from there.
  const last = readLastCommit(folder);
  const db = openSqliteToRead(file);
  const faults: Fault[] = [];
  const found = (fault: PlayerFault) => void faults.push({ environment: '–', player: '–', ...fault });
  try {
    await sql`begin`.execute(db);
    await checkMigration(db, folder);
    for (const detail of await brokenPages(db)) found({ detail, mend: restoreBackup });
    const commits = await db.selectFrom('commits').select(['number', 'at']).executeTakeFirst();
    if (typeof last === 'object' && (commits?.number ?? 0) < last.number) {
      const detail = `the database stands at commit ${commits?.number ?? 0}, and commit ${last.number} of ${last.at} was acknowledged`;
      found({ detail, mend: `Put the missing ${databaseName}-wal back, or restore a backup.` });
    }
    for (const fault of await rowsWithoutTheirs(db)) found(fault);
    for (const fault of await verifySums(db)) found(fault);
    for (const fault of await verifyBoards(db)) found(fault);
    // Sessions that ended before this may have been pruned.
    const prunedUpTo = (commits?.at ?? 0) - sessionsLast;
    let [players, records, revisions, ledgerLines, sessions] = [0, 0, 0, 0, 0];
    const manifests = new Manifests(db);
    const { total } = await db
      .selectFrom('players')
      .select((select) => select.fn.countAll<number>().as('total'))
      .executeTakeFirstOrThrow();
    for (const environment of await db.selectFrom('environments').selectAll().orderBy('number').execute()) {
      const manifest = await manifestOf(manifests, environment);
      for await (const player of playersOf(db, environment.number)) {
        const looked = await verifyPlayer(db, player, manifest, prunedUpTo);
        const place = `${environment.game}/${environment.name}`;
        for (const fault of looked.faults) faults.push({ environment: place, player: player.id, ...fault });
        players++;
        records += looked.records;
        revisions += looked.revisions;
        ledgerLines += looked.ledgerLines;
        sessions += looked.sessions;
        onPlayer(players, total);
      }
    }
    return { players, records, revisions, ledgerLines, sessions, faults };
  } finally {
    await db.destroy();
  }
}

async function checkMigration(db: Kysely<Tables>, folder: string): Promise<void> {
  const { rows } = await sql<{ name: string }>`select name from kysely_migration order by name desc limit 1`.execute(
    db,
  );
  const found = rows[0]?.name;
  if (found === newestMigration) return;
  throw new Error(
    `${folder} stands at ${found ?? 'no migration'}, and this version reads ${newestMigration}: start the service on it once, or use the version that wrote it.`,
  );
}

async function brokenPages(db: Kysely<Tables>): Promise<readonly string[]> {
  const { rows } = await sql<{ integrity_check: string }>`pragma integrity_check`.execute(db);
  const found = rows.map((row) => row.integrity_check).filter((one) => one !== 'ok');
  return found.map((one) => `the database: ${one}`);
}

async function manifestOf(manifests: Manifests, environment: EnvironmentRow) {
  if (environment.manifest_version === null) return undefined;
  return (await manifests.newestOf(environment)).rules.manifest;
}

const playersAtATime = 200;

async function* playersOf(db: Kysely<Tables>, environment: number): AsyncGenerator<PlayerRow> {
  let after = 0;
  for (;;) {
    const page = await db
      .selectFrom('players')
      .selectAll()
      .where('environment', '=', environment)
      .where('number', '>', after)
      .orderBy('number')
      .limit(playersAtATime)
      .execute();
    yield* page;
    after = page.at(-1)?.number ?? after;
    if (page.length < playersAtATime) return;
  }
}
