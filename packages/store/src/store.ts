import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { systemClock, type Clock } from './clock.js';
import { lockFolder } from './engines/sqlite/folder-lock.js';
import { openSqlite } from './engines/sqlite/sqlite-engine.js';
import { migrate, newestMigration } from './migrations/index.js';
import { Reader } from './reader/reader.js';
import { Writer } from './writer/writer.js';

/** An open data folder. */
export interface Store {
  readonly writer: Writer;
  readonly reader: Reader;
  /** The migration it stands at. */
  readonly migration: string;
  /** Waits for what was given to the writer, then closes. */
  close(): Promise<void>;
}

/**
 * Opens the store in a folder, made if it is missing, and migrates it.
 *
 * @param folder where `vekkon.sqlite` lies
 * @param clock  where times come from
 * @throws if another process holds the folder
 */
export async function openStore(folder: string, clock: Clock = systemClock): Promise<Store> {
  mkdirSync(folder, { recursive: true });
  const unlock = lockFolder(folder);
  const engine = openSqlite(path.join(folder, 'vekkon.sqlite'));
  await migrate(engine.writing);
  const writer = new Writer(engine, clock);
  return {
    writer,
    reader: new Reader(engine.reading),
    migration: newestMigration,
    async close() {
      await writer.settled();
      await engine.close();
      unlock();
    },
  };
}
