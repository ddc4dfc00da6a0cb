import type { Kysely } from 'kysely';
import { Refusal } from '@vekkon/protocol/problems';
import type { Engine } from '../engines/engine.js';
import type { Manifests } from '../manifests.js';
import type { EnvironmentRow, KnownBoard, Tables } from '../tables.js';
import type { ChangedMeanwhile } from './changed-meanwhile.js';
import type { FoundByInWork } from './found-by-in-work.js';
import type { FeedInWork } from './feed-in-work.js';
import type { Held } from './held.js';
import type { HeldRecords } from './held-records.js';
import type { HeldSession } from './held-sessions.js';
import type { HostInstances } from './host-instances.js';
import type { Leases } from './leases.js';
import type { NotedOfDevices } from './noted-of-devices.js';
import type { HeldWritten } from './held-written.js';
import type { NotedMap, Notes } from './undoable.js';

/** What every command of the writer works with. */
export interface WriterContext {
  readonly db: Kysely<Tables>;
  readonly later: Engine['later'];
  /** What the command took note of in memory, to be undone. */
  readonly notes: Notes;
  /** As they stand now: only the writer changes them. */
  readonly environments: NotedMap<number, EnvironmentRow>;
  /** The records of the players who were written last, by their number. */
  readonly held: Held<number, HeldRecords>;
  /** What the devices of players wrote lately, by their number. */
  readonly heldWritten: Held<number, HeldWritten>;
  /** The open sessions that saved last, by their id. */
  readonly heldSessions: Held<string, HeldSession>;
  readonly manifests: Manifests;
  readonly leases: Leases;
  readonly instances: HostInstances;
  /** As they stand now, by environment and key. */
  readonly boards: NotedMap<string, KnownBoard>;
  readonly foundBy: FoundByInWork;
  readonly feed: FeedInWork;
  readonly changedMeanwhile: ChangedMeanwhile;
  readonly notedOfDevices: NotedOfDevices;
}

/** When a command was given. */
export interface Stamp {
  /** Milliseconds since 1970, UTC. */
  readonly now: number;
  /** Milliseconds by the clock that never jumps. */
  readonly monotonic: number;
  /** The time by which things grow old: `now`, unless the clock has jumped and nobody has said that it is right. */
  readonly agesBy: number;
}

export async function environmentOf({ db, environments }: WriterContext, number: number): Promise<EnvironmentRow> {
  const kept = environments.get(number);
  if (kept !== undefined) return kept;
  const row = await db.selectFrom('environments').selectAll().where('number', '=', number).executeTakeFirst();
  if (row === undefined) throw new Refusal('environment-unknown');
  environments.set(number, row);
  return row;
}

/** Changes what is known of an environment. */
export async function updateEnvironment(
  context: Pick<WriterContext, 'db' | 'environments' | 'feed'>,
  number: number,
  change: Partial<
    Pick<
      EnvironmentRow,
      'learns' | 'learned' | 'manifest_version' | 'origins' | 'designers_publish' | 'terms' | 'limits'
    >
  >,
): Promise<void> {
  const { db, environments } = context;
  environments.delete(number);
  await db.updateTable('environments').set(change).where('number', '=', number).execute();
  await tellEnvironment(context, number);
}

/** Tells others how an environment stands now. */
export async function tellEnvironment({ db, feed }: Pick<WriterContext, 'db' | 'feed'>, number: number): Promise<void> {
  const row = await db.selectFrom('environments').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  feed.tell({ what: 'environment', row });
}
