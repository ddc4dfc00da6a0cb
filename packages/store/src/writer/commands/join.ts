import {
  decideJoin,
  folded,
  isForPlayers,
  spokenRecords,
  startingRecords,
  type Records,
  type SessionEnd,
  type StoredRecord,
} from '@vekkon/core';
import { attributesFromRecords, type Attributes } from '@vekkon/core/tuning';
import type { InstalledManifest } from '../../manifests.js';
import type { PlayerRow, SessionRow } from '../../tables.js';
import { keptInsert, keptQuery } from '../../kept-query.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { notePlay } from '../note-play.js';
import { triesInWords } from './save.js';
import { readHeld } from '../read-held.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, addPlayer, checkDevice, endSession, hostReplaced, openSessionOf, spokenBy } from '../sessions.js';

export interface Join {
  readonly environment: number;
  readonly player: string;
  /** The id of the session, if one is opened. */
  readonly session: string;
  readonly host: string;
  readonly instance: string | null;
  /** The player's own device that joins; null for a game server. */
  readonly device: string | null;
  readonly attempt: string | null;
  readonly name: string | null;
  readonly attributes: { readonly [name: string]: string | number | boolean };
  /** The manifest version that the host was built against; null for the newest. */
  readonly manifest: number | null;
  /** Whoever holds the player is asked to let go: the caller waits for it. */
  readonly waits: boolean;
  /** How many tries failed before this one, as the sender says. */
  readonly triesFailed?: number;
}

export interface Joined {
  readonly session: {
    readonly id: string;
    readonly leaseSeconds: number;
    /** Milliseconds by the monotonic clock. */
    readonly leaseEnds: number;
    readonly nextSave: number;
  };
  readonly seen: number;
  readonly player: PlayerRow;
  readonly isNew: boolean;
  /** Under the names of the version that the session speaks. */
  readonly records: Records;
  /** The version that the session speaks. */
  readonly manifestVersion: number;
  /** What the player's records say of them. */
  readonly attributes: Attributes;
  /** Where the player was until this join ended it. */
  readonly ended: { readonly host: string; readonly end: SessionEnd } | null;
}

/** Another host holds the player: its lease must end, or it must let go. */
export interface Held {
  readonly holder: {
    readonly session: string;
    readonly host: string;
    /** By the monotonic clock. */
    readonly leaseEnds: number;
  };
}

/** A player joins a host. New players and their starting values are made here, in the commit of the join. */
export async function join(context: WriterContext, join: Join & Stamp): Promise<Joined | Held> {
  const { leases } = context;
  const environment = await environmentOf(context, join.environment);
  const manifest = await context.manifests.newestOf(environment);
  if (join.manifest !== null) await context.manifests.versionOf(environment, join.manifest);
  await checkInstance(context, join);
  const found = await findPlayer(context, join.environment, join.player);
  if (join.device !== null) await checkDevice(context, join.device, found);
  const open = found && (await openSessionOf(context, found));
  const leaseEnds = open && leases.endOf(open.id, environment.lease_seconds);
  const decision = decideJoin(
    open && { ...open, isLeaseOver: leaseEnds !== undefined && leaseEnds <= join.monotonic },
    join,
  );
  if (decision.do === 'wait' && open !== undefined) {
    const { environment: number, id, host } = open;
    if (join.waits) {
      context.feed.tell({ what: 'handover-wanted', environment: number, session: id, host });
      const detail = `"${host}" is asked to let the player go`;
      await notePlay(context, join, { what: 'handover-wanted', by: join.host, player: join.player, detail });
    }
    return { holder: { session: open.id, host: open.host, leaseEnds: leaseEnds ?? join.monotonic } };
  }
  // Whoever is not let in takes nobody's place.
  if (hasInstance(join)) await context.instances.see(join.environment, join.host, join.instance, join.now);

  const player = found ?? (await addPlayer(context, join));
  const records = await RecordsInWork.load(context, player, manifest.rules.manifest, player.seen);
  const ends = decision.do === 'open' ? decision.ends : undefined;
  if (open !== undefined && ends !== undefined) await endSession(context, open, player, ends, join.host, join.now);
  const session =
    decision.do === 'again' && open !== undefined
      ? open
      : await openSession(context, join, { player, records, manifest });
  if (decision.do !== 'again')
    await noteJoin(context, join, session, open !== undefined && ends !== undefined ? open : undefined, ends);
  const spoken = await spokenBy(context, environment, session, manifest);
  const newest = manifest.rules.manifest;
  const all = readHeld(records.records, manifest.rules);
  const read = join.device === null ? all : new Map([...all].filter(([key]) => isForPlayers(key, newest)));
  return {
    session: {
      id: session.id,
      leaseSeconds: environment.lease_seconds,
      leaseEnds: leases.renew(session.id, environment.lease_seconds, join.monotonic),
      nextSave: session.next_save,
    },
    seen: player.seen,
    player,
    isNew: session.is_new === 1,
    records: spoken === undefined ? read : spokenRecords(read, newest, spoken, manifest.rules.check),
    manifestVersion: session.manifest_version,
    attributes: attributesFromRecords(all, manifest.rules),
    ended: open !== undefined && ends !== undefined ? { host: open.host, end: ends } : null,
  };
}

async function noteJoin(
  context: WriterContext,
  join: Join & Stamp,
  session: SessionRow,
  ended: SessionRow | undefined,
  end: SessionEnd | undefined,
): Promise<void> {
  const { environment, player, host } = join;
  const isNew = session.is_new === 1;
  if ((join.triesFailed ?? 0) > 0) {
    const detail = `join: ${triesInWords(join.triesFailed ?? 0)}`;
    await notePlay(context, join, { what: 'tries-failed', by: host, player, detail });
  }
  context.feed.tell({ what: 'joined', environment, player, session: session.id, host, isNew });
  if (ended !== undefined && ended.host !== host) {
    const detail = `"${host}" has joined the player (${end})`;
    await notePlay(context, join, { what: 'taken-over', by: ended.host, player, detail });
  }
  const after = ended === undefined ? '' : `, after a stay on "${ended.host}" that it ended (${end})`;
  await notePlay(context, join, { what: 'joined', by: host, player, detail: `${isNew ? 'new' : 'known'}${after}` });
}

interface Joining {
  /** Brought up to date with the join. */
  readonly player: PlayerRow;
  readonly records: RecordsInWork;
  readonly manifest: InstalledManifest;
}

const setJoined = keptQuery(
  (db, seen: number, fence: number, first_joined_at: number | null, last_joined_at: number, number: number) =>
    db.updateTable('players').set({ seen, fence, first_joined_at, last_joined_at }).where('number', '=', number),
);

const setName = keptQuery((db, name: string, asFound: string, number: number) =>
  db.updateTable('players').set({ name, folded: asFound }).where('number', '=', number),
);

const insertSession = keptInsert('sessions');

async function openSession(
  { db, foundBy }: WriterContext,
  join: Join & Stamp,
  { player, records, manifest }: Joining,
): Promise<SessionRow> {
  const isNew = player.first_joined_at === null;
  if (isNew) {
    const starting = startingRecords(manifest.rules.manifest);
    // What was put or given before the first join stays; the rest starts here.
    const missing = new Map<string, StoredRecord>();
    for (const [key, record] of starting.records) {
      const held = records.records.get(key);
      if (held === undefined) missing.set(key, record);
      else if (held.removed === true) missing.set(key, { ...record, revision: held.revision + 1 });
    }
    const lines = starting.ledger.filter((line) => missing.has(line.key));
    records.set(missing, lines, { session: join.session, by: join.host, label: null, at: join.now });
    player.seen += 1;
    player.first_joined_at = join.now;
    await records.write(player.seen, join.now);
  }
  player.fence += 1;
  player.last_joined_at = join.now;
  const { number, seen, fence, first_joined_at, last_joined_at } = player;
  await setJoined(db, seen, fence, first_joined_at, last_joined_at, number);
  if (join.name !== null && join.name !== player.name) {
    player.name = join.name;
    await setName(db, join.name, folded(player.id, join.name), number);
  }
  const row: SessionRow = {
    id: join.session,
    environment: join.environment,
    player: number,
    host: join.host,
    instance: join.instance,
    device: join.device,
    attempt: join.attempt,
    fence,
    is_new: isNew ? 1 : 0,
    manifest_version: join.manifest ?? manifest.version,
    attributes: JSON.stringify(join.attributes),
    joined_at: join.now,
    seen_at_join: seen,
    ended_at: null,
    end: null,
    seen_at_end: null,
    next_save: 1,
    last_saved_at: null,
    last_digest: null,
    last_outcome: null,
    leave_outcome: null,
    answered: null,
    outcomes_from: null,
    outcomes_bytes: 0,
  };
  await insertSession(db, row);
  await foundBy.joined(join.environment, number, manifest.rules.manifest, join.attributes);
  return row;
}

async function checkInstance({ instances }: WriterContext, join: Join): Promise<void> {
  if (!hasInstance(join)) return;
  if (await instances.isReplaced(join.environment, join.host, join.instance)) throw hostReplaced(join.host);
}

/** A page that is loaded again is another instance every time: sessions tell them apart, nothing else must. */
function hasInstance<J extends Join>(join: J): join is J & { readonly instance: string } {
  return join.instance !== null && join.device === null;
}
