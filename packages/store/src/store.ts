import { systemClock, type Clock } from './clock.js';
import { diskRoom, type DiskRoom } from './engines/sqlite/disk-room.js';
import { checkFolder } from './engines/sqlite/check-folder.js';
import { closeToOthers, makeFolder } from './engines/sqlite/make-folder.js';
import { lockFolder } from './engines/sqlite/folder-lock.js';
import { isDamaged, openForReads } from './engines/sqlite/sqlite-engine.js';
import { newestMigration } from './migrations/index.js';
import type { LongReads } from './reader/long-reads.js';
import { Reader } from './reader/reader.js';
import { ThreadOfReads } from './reader/thread-of-reads.js';
import { ThreadOfWriter } from './writer/thread-of-writer.js';
import { TrustedTime } from './writer/trusted-time.js';
import { Writer } from './writer/writer.js';

/** An open data folder. */
export interface Store {
  readonly writer: Writer;
  /** What answers at once. */
  readonly reader: Reader;
  /** What takes its time, in a thread of its own. */
  readonly longReads: LongReads;
  /** Starts the thread of long reads before somebody waits for it. */
  warm(): void;
  /** The migration it stands at. */
  readonly migration: string;
  /** What the database takes, and how much room is left on its disk, in bytes. */
  readonly disk: () => Promise<DiskRoom>;
  /** How far the clock stands from where it should, in milliseconds; 0 where it is trusted. */
  readonly clockJump: () => number;
  /** Does an error of a read say that the database itself is damaged? */
  readonly isDamaged: (error: unknown) => boolean;
  /** Resolves if the thread of the writer ends by a fault: nothing can be written any more, and the process must end. */
  readonly fault: Promise<Error>;
  /** Waits for what was given to the writer, then closes. */
  close(): Promise<void>;
}

export interface StoreOptions {
  /** Where times come from. */
  readonly clock?: Clock;
  /** Start on a database that is older than its last acknowledged commit. */
  readonly acceptsOlder?: boolean;
  /** Take the clock as right, however far it has jumped since the last commit. */
  readonly trustsClock?: boolean;
}

/**
 * Opens the store in a folder, made if it is missing, and migrates it.
 *
 * @param folder where `vekkon.sqlite` lies
 * @throws FolderDamaged if the folder has lost what was acknowledged; Error if another process holds it
 */
export async function openStore(folder: string, options: StoreOptions = {}): Promise<Store> {
  const { clock = systemClock, acceptsOlder = false, trustsClock = false } = options;
  makeFolder(folder);
  let unlock = (): void => undefined;
  try {
    unlock = lockFolder(folder);
    checkFolder(folder, acceptsOlder);
    const thread = await ThreadOfWriter.start({ folder, startedAt: clock.monotonic() });
    closeToOthers(folder);
    const time = new TrustedTime(trustsClock ? undefined : thread.lastCommitAt, clock.now(), clock.monotonic());
    const writer = new Writer(clock, time, (given) => thread.give(given));
    thread.onDelivery = (delivery) => writer.take(delivery);
    const fault = new Promise<Error>((resolve) => {
      thread.onFault = (cause) => {
        writer.fail(cause);
        resolve(cause);
      };
    });
    const reading = openForReads(folder);
    const threadOfReads = new ThreadOfReads(folder);
    let closing: Promise<void> | undefined;
    return {
      writer,
      reader: new Reader(reading),
      longReads: threadOfReads.reads,
      warm: () => threadOfReads.warm(),
      migration: newestMigration,
      disk: () => diskRoom(folder),
      clockJump: () => time.jump,
      isDamaged,
      fault,
      // Once: the threads serve others by the time that it is asked for again.
      close: () => (closing ??= closeAll()),
    };
    async function closeAll(): Promise<void> {
      await writer.settled();
      writer.close();
      await threadOfReads.close();
      await reading.destroy();
      await thread.close(time.at(clock.now(), clock.monotonic()));
      unlock();
    }
  } catch (error) {
    unlock();
    throw isDiskFull(error) ? diskFull(folder, error) : error;
  }
}

function isDiskFull(error: unknown): boolean {
  const { code } = error as { readonly code?: unknown };
  return code === 'SQLITE_FULL' || code === 'ENOSPC';
}

function diskFull(folder: string, cause: unknown): Error {
  return new Error(`The disk of ${folder} is full: free some space, then start again. Nothing was lost.`, { cause });
}
