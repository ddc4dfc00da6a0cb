import type { Kysely } from 'kysely';
import { Refusal } from '@vekkon/protocol';
import type { Manifests } from '../manifests.js';
import type { EnvironmentRow, Tables } from '../tables.js';
import type { HostInstances } from './host-instances.js';
import type { Leases } from './leases.js';

/** What every command of the writer works with. */
export interface WriterContext {
  readonly db: Kysely<Tables>;
  readonly manifests: Manifests;
  readonly leases: Leases;
  readonly instances: HostInstances;
}

/** When a command was given. */
export interface Stamp {
  /** Milliseconds since 1970, UTC. */
  readonly now: number;
  /** Milliseconds by the clock that never jumps. */
  readonly monotonic: number;
}

export async function environmentOf({ db }: WriterContext, number: number): Promise<EnvironmentRow> {
  const row = await db.selectFrom('environments').selectAll().where('number', '=', number).executeTakeFirst();
  if (row === undefined) throw new Refusal('environment-unknown');
  return row;
}
