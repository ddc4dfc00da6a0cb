import { existsSync, statSync } from 'node:fs';
import Database from 'better-sqlite3';
import path from 'node:path';
import { readLastCommit, type LastCommit } from './last-commit.js';

/** What a data folder holds is not what was acknowledged: the service does not start on it by itself. */
export class FolderDamaged extends Error {
  override readonly name = 'FolderDamaged';
}

export const databaseName = 'vekkon.sqlite';

const wayOut =
  'Put the missing file back, or restore a backup. To go on with what is there, and without what is missing, start once with --accept-older.';

/**
 * Tells a new data folder from one that has lost something.
 *
 * @param acceptsOlder start on what is there though commits are missing
 * @throws FolderDamaged if the database is missing, empty, none, or older than its last acknowledged commit
 */
export function checkFolder(folder: string, acceptsOlder: boolean): void {
  const file = path.join(folder, databaseName);
  const last = readLastCommit(folder);
  const known = typeof last === 'object' ? last : undefined;
  if (!existsSync(file)) {
    if (last === undefined) return;
    throw new FolderDamaged(
      `${file} is missing, and last-commit.json beside it says that there was one${upTo(known)}. Nothing was changed. Put the file back, or restore a backup; to begin with nothing, choose another folder.`,
    );
  }
  if (statSync(file).size === 0) {
    throw new FolderDamaged(
      `${file} is empty: it has lost what it held${upTo(known)}. Nothing was changed. Restore a backup; to begin with nothing, choose another folder, or remove this file and last-commit.json.`,
    );
  }
  if (known === undefined || acceptsOlder) return;
  const logIsThere = existsSync(`${file}-wal`);
  const found = commitsIn(file);
  if (found >= known.number) return;
  const log = logIsThere ? '' : ` ${databaseName}-wal, which holds the newest commits after a kill, is not there.`;
  throw new FolderDamaged(
    `${file} stands at commit ${found}, and commit ${known.number} of ${known.at} was acknowledged: ${known.number - found} are missing.${log} Nothing was changed. ${wayOut}`,
  );
}

function upTo(known: LastCommit | undefined): string {
  return known === undefined ? '' : `, up to commit ${known.number} of ${known.at}`;
}

/** How many commits a database counts; 0 for one that does not count them. */
function commitsIn(file: string): number {
  let database: Database.Database | undefined;
  try {
    database = new Database(file);
    const known = database.prepare("select 1 from sqlite_master where name = 'commits'").get();
    if (known === undefined) return 0;
    return (database.prepare('select number from commits').get() as { number: number } | undefined)?.number ?? 0;
  } catch (cause) {
    if (!(cause instanceof Database.SqliteError) || !/^SQLITE_(CORRUPT|NOTADB)/.test(cause.code)) throw cause;
    throw new FolderDamaged(
      `${file} is damaged (${cause.message}). Nothing was changed. Restore a backup, or look at what is left with "vekkon verify".`,
      { cause },
    );
  } finally {
    database?.close();
  }
}
