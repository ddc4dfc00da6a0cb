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

/** What the thread is sent: what to open, commands, or that it shall close at a trusted time. */
export type ToThread = { readonly open: ThreadStart } | readonly GivenCommand[] | { readonly close: number };

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
  if ('open' in message) {
    openFolder(message.open).catch((error: unknown) => send({ is: 'not-up', error: crossed(error) }));
  } else if ('close' in message) {
    void open?.engine.close(message.close).then(() => send({ is: 'closed' }));
  } else open?.queue.give(message);
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
