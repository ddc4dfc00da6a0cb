import { parentPort } from 'node:worker_threads';
import { giveWay } from '../give-way.js';
import type { Kysely } from 'kysely';
import { openForReads } from '../engines/sqlite/sqlite-engine.js';
import type { Tables } from '../tables.js';
import { crossed, type Crossed } from '../crossing.js';
import { longRead, type LongRead } from './long-reads.js';
import { Reader } from './reader.js';

/** What the thread is sent: the folder to read, a read, or that it shall close. */
export type ToReadingThread =
  | { readonly open: string }
  | { readonly id: number; readonly name: LongRead; readonly given: readonly unknown[] }
  | { readonly close: true };

/** What it sends: what a read found, or why it found nothing; that it has closed. */
export type FromReadingThread =
  | { readonly id: number; readonly found: unknown }
  | { readonly id: number; readonly error: Crossed }
  | { readonly is: 'closed' };

giveWay();

let db: Kysely<Tables> | undefined;
let reader: Reader | undefined;

function send(message: FromReadingThread): void {
  parentPort?.postMessage(message);
}

parentPort?.on('message', (message: ToReadingThread) => {
  if ('open' in message) {
    db = openForReads(message.open);
    reader = new Reader(db);
  } else if ('close' in message) {
    void db?.destroy().then(() => send({ is: 'closed' }));
  } else {
    const { id, name, given } = message;
    if (reader === undefined) return;
    const read = longRead(reader, name) as (...values: readonly unknown[]) => Promise<unknown>;
    // Each gives the others their turn between its pages: a short one does not wait for a long one to end.
    read(...given).then(
      (found) => send({ id, found }),
      (error: unknown) => send({ id, error: crossed(error) }),
    );
  }
});
