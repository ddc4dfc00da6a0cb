import { Refusal } from '@vekkon/protocol/problems';
import { folded, type Manifest, type SessionEnd } from '@vekkon/core';
import { rfc3339 } from '../clock.js';
import { keptQuery } from '../kept-query.js';
import type { InstalledManifest } from '../manifests.js';
import type { EnvironmentRow, PlayerRow, SavingPlayer, SavingSession, SessionRow } from '../tables.js';
import type { WriterContext } from './context.js';

/** A player who is new here. */
interface NewPlayer {
  readonly environment: number;
  readonly player: string;
  /** Given along, it costs half of what giving it afterwards does: what finds players by parts is made once. */
  readonly name?: string | null;
  /** When they were made, in milliseconds since 1970. */
  readonly now: number;
  /** When they played elsewhere, milliseconds since 1970. */
  readonly firstJoinedAt?: number | null;
  readonly lastJoinedAt?: number | null;
  readonly lastLeftAt?: number | null;
}

/** Makes a player who is known, but has not joined here yet. */
export async function addPlayer({ db }: WriterContext, made: NewPlayer): Promise<PlayerRow> {
  const { environment, player, name = null, now } = made;
  const { firstJoinedAt = null, lastJoinedAt = null, lastLeftAt = null } = made;
  const asFound = folded(player, name);
  const times = [now, firstJoinedAt, lastJoinedAt, lastLeftAt] as const;
  const [row] = await insertPlayer(db, environment, player, name, asFound, ...times);
  if (row === undefined) throw new Error(`The player ${player} was not made.`);
  return row;
}

const insertPlayer = keptQuery(
  (
    db,
    environment: number,
    id: string,
    name: string | null,
    asFound: string,
    created_at: number,
    first_joined_at: number | null,
    last_joined_at: number | null,
    last_left_at: number | null,
  ) =>
    db
      .insertInto('players')
      .values({
        environment,
        id,
        name,
        folded: asFound,
        created_at,
        first_joined_at,
        last_joined_at,
        last_left_at,
        fence: 0,
        seen: 0,
      })
      .returningAll(),
);

const openSession = keptQuery((db, player: number) =>
  db.selectFrom('sessions').selectAll().where('player', '=', player).where('ended_at', 'is', null),
);

export async function openSessionOf({ db }: WriterContext, player: PlayerRow): Promise<SessionRow | undefined> {
  return (await openSession(db, player.number))[0];
}

const playerNamed = keptQuery((db, environment: number, id: string) =>
  db.selectFrom('players').selectAll().where('environment', '=', environment).where('id', '=', id),
);

/** The player with an id; undefined if nobody knows them. */
export async function findPlayer(
  { db }: WriterContext,
  environment: number,
  id: string,
): Promise<PlayerRow | undefined> {
  return (await playerNamed(db, environment, id))[0];
}

const setEnd = keptQuery((db, ended_at: number, end: SessionEnd, seen_at_end: number, id: string) =>
  db.updateTable('sessions').set({ ended_at, end, seen_at_end }).where('id', '=', id),
);

/** @param by the host whose join ends it; null where it leaves by itself */
export async function endSession(
  { db, leases, heldSessions, feed }: WriterContext,
  { id: session, environment, host }: SavingSession,
  { id: player, seen }: SavingPlayer,
  end: SessionEnd,
  by: string | null,
  now: number,
): Promise<void> {
  leases.forget(session);
  heldSessions.forget(session);
  await setEnd(db, now, end, seen, session);
  feed.tell({ what: 'session-ended', environment, player, session, host, end, by });
}

const deviceNamed = keptQuery((db, id: string) =>
  db.selectFrom('devices').select(['player', 'revoked_at']).where('id', '=', id),
);

/** A device is its player's, for as long as neither was erased or shut out: whatever was known when the call began. */
export async function checkDevice({ db }: WriterContext, device: string, player: PlayerRow | undefined): Promise<void> {
  const [known] = await deviceNamed(db, device);
  if (known === undefined || known.player !== player?.number) throw new Refusal('credential-unknown');
  if (known.revoked_at !== null) throw new Refusal('device-revoked');
}

export function hostReplaced(host: string): Refusal {
  return new Refusal(
    'host-replaced',
    `A newer start of "${host}" has taken its place: end this process, or give it a host name of its own.`,
  );
}

export function sessionUnknown(id: string): Refusal {
  return new Refusal('session-unknown', `There is no session "${id}" in this environment: join the player again.`);
}

export function sessionEnded(session: SavingSession): Refusal {
  const why = {
    left: 'the player left',
    'joined-again': `"${session.host}" joined the player again`,
    'lease-over': 'its lease was over and another host joined the player',
    'host-restarted': `"${session.host}" was started again`,
  };
  return new Refusal(
    'session-ended',
    `The session ended at ${rfc3339(session.ended_at ?? 0)}: ${why[session.end ?? 'left']}. Join the player again to go on.`,
  );
}

/** The manifest that a session speaks where it is an older version; undefined if it speaks the newest. */
export async function spokenBy(
  { manifests }: Pick<WriterContext, 'manifests'>,
  environment: EnvironmentRow,
  session: Pick<SessionRow, 'manifest_version'>,
  newest: InstalledManifest,
): Promise<Manifest | undefined> {
  if (session.manifest_version === newest.version) return undefined;
  return (await manifests.versionOf(environment, session.manifest_version)).rules.manifest;
}
