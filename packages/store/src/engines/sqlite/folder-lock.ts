import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import Database from 'better-sqlite3';

/**
 * Holds a data folder for this process, by a lock that the operating system
 * takes back when the process ends, however it ends.
 *
 * @returns lets go of it
 * @throws if another process holds it, naming that process
 */
export function lockFolder(folder: string): () => void {
  const lock = new Database(path.join(folder, 'lock.sqlite'), { timeout: 0 });
  const note = path.join(folder, 'lock.txt');
  try {
    lock.pragma('locking_mode = EXCLUSIVE');
    lock.exec('begin exclusive');
  } catch (error) {
    lock.close();
    if (!(error instanceof Database.SqliteError) || !error.code.startsWith('SQLITE_BUSY')) throw error;
    throw new Error(`${folder} is held by ${holderIn(note)}: stop it first, or choose another folder.`, {
      cause: error,
    });
  }
  writeFileSync(note, `process ${process.pid}, since ${new Date().toISOString()}\n`);
  return () => lock.close();
}

function holderIn(note: string): string {
  try {
    return readFileSync(note, 'utf8').trim();
  } catch {
    return 'another process';
  }
}
