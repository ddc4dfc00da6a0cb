import { mayWriteIn } from '@vekkon/core';
import type { Refusal, RecordsByKey } from '@vekkon/protocol';
import type { SessionRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { recordsUnder } from '../records-under.js';
import { takeAnsweredNow } from '../save-outcomes.js';
import { hostReplaced, sessionEnded, sessionUnknown, spokenBy } from '../sessions.js';

export interface Renew {
  readonly environment: number;
  readonly sessions: readonly {
    readonly session: string;
    readonly seen: number | null;
    /** The highest number whose answer the sender has. */
    readonly answered: number | null;
  }[];
  /** The device that calls, which may renew its own sessions only; null for a game server. */
  readonly device: string | null;
  /** The host that calls, and its instance, where it renews all of its sessions. */
  readonly host: { readonly name: string; readonly instance: string | null } | null;
}

export interface Renewed {
  readonly sessions: readonly {
    readonly id: string;
    readonly seen: number;
    readonly records: RecordsByKey;
    /** By the monotonic clock. */
    readonly leaseEnds: number;
  }[];
  readonly lost: readonly { readonly id: string; readonly code: string; readonly detail: string }[];
}

/** Keeps leases, and says what others changed meanwhile. It writes a host's new instance, and which answers arrived. */
export async function renew(context: WriterContext, renew: Renew & Stamp): Promise<Renewed> {
  const { db, leases, instances } = context;
  const environment = await environmentOf(context, renew.environment);
  const { host } = renew;
  if (host !== null && host.instance !== null) {
    const isNewest = await instances.see(renew.environment, host.name, host.instance, renew.now);
    if (!isNewest) throw hostReplaced(host.name);
  }
  const renewed: Renewed['sessions'][number][] = [];
  const lost: Renewed['lost'][number][] = [];
  const newest = await context.manifests.newestOf(environment);
  for (const { session: id, seen, answered } of renew.sessions) {
    const found = await db
      .selectFrom('sessions')
      .innerJoin('players', 'players.number', 'sessions.player')
      .selectAll('sessions')
      .select('players.seen')
      .where('sessions.id', '=', id)
      .where('sessions.environment', '=', renew.environment)
      .executeTakeFirst();
    const refusal = await whyNot(context, found, id, renew.device);
    if (found === undefined || refusal !== undefined) {
      lost.push({ id, code: refusal?.code ?? 'session-unknown', detail: refusal?.detail ?? '' });
      continue;
    }
    await takeAnsweredNow(context, found, answered);
    let records: RecordsByKey = {};
    if (seen !== null && seen < found.seen) {
      const player = { number: found.player, environment: environment.number };
      const work = await RecordsInWork.load(context, player, newest.rules.manifest);
      const spoken = await spokenBy(context, environment, found, newest);
      records = recordsUnder(work.changedSince(seen), work, newest.rules, spoken, renew.device !== null);
    }
    const leaseEnds = leases.renew(id, environment.lease_seconds, renew.monotonic);
    renewed.push({ id, seen: found.seen, records, leaseEnds });
  }
  return { sessions: renewed, lost };
}

async function whyNot(
  { instances }: WriterContext,
  session: SessionRow | undefined,
  id: string,
  device: string | null,
): Promise<Refusal | undefined> {
  if (session === undefined || !mayWriteIn(session, device)) return sessionUnknown(id);
  if (session.ended_at !== null) return sessionEnded(session);
  const newest = session.instance === null ? undefined : await instances.newestOf(session.environment, session.host);
  return newest !== undefined && newest !== session.instance ? hostReplaced(session.host) : undefined;
}
