import { parentPort } from 'node:worker_threads';
import type { Engine } from '../engines/engine.js';
import { openSqlite } from '../engines/sqlite/sqlite-engine.js';
import { erasesWhatItFrees, migrate } from '../migrations/index.js';
import { CommandQueue, type Delivery, type GivenCommand } from './command-queue.js';
import { crossed, type Crossed } from '../crossing.js';

/** What the thread opens. */
export interface ThreadStart {
  readonly folder: string;
  /** The monotonic time at which this start of the service began. */
  readonly startedAt: number;
}

/**
 * What the thread is sent: what to open, commands as JSON (text crosses, and is
 * read, in less time than objects), or that it shall close at a trusted time.
 */
export type ToThread = { readonly open: ThreadStart } | string | { readonly close: number };

/** What it sends: that it is up, that it is not, what commits did, that it has closed. */
export type FromThread =
  | Delivery
  | {
      readonly is: 'up';
      /** The trusted time of the last commit; undefined if there was none. */
      readonly at: number | undefined;
    }
  | { readonly is: 'not-up'; readonly error: Crossed }
  | { readonly is: 'closed' };

let open: { readonly engine: Engine; readonly queue: CommandQueue } | undefined;

function send(message: FromThread): void {
  parentPort?.postMessage(message);
}

parentPort?.on('message', (message: ToThread) => {
  if (typeof message === 'string') {
    open?.queue.give(JSON.parse(message) as readonly GivenCommand[]);
  } else if ('open' in message) {
    openFolder(message.open).catch((error: unknown) => send({ is: 'not-up', error: crossed(error) }));
  } else void open?.engine.close(message.close).then(() => send({ is: 'closed' }));
});

async function openFolder({ folder, startedAt }: ThreadStart): Promise<void> {
  const engine = openSqlite(folder);
  const lacked = await migrate(engine.writing);
  if (lacked.includes(erasesWhatItFrees)) engine.dropFreed();
  engine.indexPlayerParts();
  const { at } = engine.countCommits();
  open = { engine, queue: new CommandQueue(engine, startedAt, send) };
  send({ is: 'up', at });
}
