import { isForPlayers, mayWriteIn, readKeys, spokenRecords, underCurrentKeys } from '@vekkon/core';
import { Refusal, routes } from '@vekkon/protocol';
import { recordsByKey, recordsIn, rfc3339, type EnvironmentRow, type SessionRow } from '@vekkon/store';
import { deviceIn, deviceKeyOf, deviceOf, listenerOf, nameOf, type Principal } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newId, newToken } from '../tokens.js';
import { knownPlayer, playerSummary } from '../known-player.js';

/** How long a device's token holds, in milliseconds. With its secret a device gets another at any time. */
const tokenLasts = 30 * 24 * 60 * 60 * 1000;

/** Games without a server of their own: their devices, and what a device asks of its session. */
export function serveDevices(desk: Desk): void {
  const { reader, writer, clock } = desk;

  serveRoute(desk, routes.addDevice, async ({ body, environment, principal, request, response }) => {
    const { number } = environment();
    const leave = await desk.limits.addDevice(request, response, number);
    const token = newToken('deviceToken');
    const expiresAt = clock.now() + tokenLasts;
    const added = await writer
      .do('addDevice', {
        environment: number,
        secretHash: hashToken(body.secret),
        name: body.name ?? null,
        device: newId('dev'),
        player: newId('p'),
        tokenHash: hashToken(token),
        madeWith: deviceKeyOf(principal).credential,
        expiresAt,
      })
      .finally(leave);
    return { now: rfc3339(clock.now()), ...added, token, expiresAt: rfc3339(expiresAt) };
  });

  serveRoute(desk, routes.me, async ({ environment, principal }) => {
    const place = environment();
    const { rules } = await reader.manifests.newestOf(place);
    const player = await knownPlayer(reader, place, deviceOf(principal).player);
    const records = [...(await reader.players.records(player, place))].filter(([key]) =>
      isForPlayers(key, rules.manifest),
    );
    return {
      ...playerSummary(player),
      now: rfc3339(clock.now()),
      seen: player.seen,
      records: recordsByKey(new Map(records)),
    };
  });

  serveRoute(desk, routes.sessionStream, async ({ params, environment, principal, response }) => {
    const place = environment();
    const session = await ownSession(desk, place, params.session, principal);
    if (session.ended_at !== null) {
      throw new Refusal('session-ended', `The session ended at ${rfc3339(session.ended_at)}. Join the player again.`);
    }
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    const { number: at } = place;
    desk.streams.listen({
      environment: at,
      host: session.host,
      response,
      principal: listenerOf(principal),
      session: session.id,
    });
    return undefined;
  });

  serveRoute(desk, routes.checkpoints, async ({ params, query, environment, principal }) => {
    const place = environment();
    const session = await ownSession(desk, place, params.session, principal);
    const { rules } = await reader.manifests.newestOf(place);
    const rows = await reader.players.checkpoints(session.player);
    const spoken = (await reader.manifests.version(place, session.manifest_version)).rules.manifest;
    const held = (text: string) => {
      const stored = underCurrentKeys(recordsIn(text), rules.manifest);
      const keys = [...stored.keys()].filter((key) => principal.sort === 'host' || isForPlayers(key, rules.manifest));
      return recordsByKey(spokenRecords(readKeys(keys, stored, rules), rules.manifest, spoken, rules.check));
    };
    return {
      atMost: rules.manifest.checkpoints?.atMost ?? 0,
      checkpoints: rows.map(({ name, at, summary, records }) => ({
        name,
        at: rfc3339(at),
        summary,
        ...(query.contents === 'true' && { records: held(records) }),
      })),
    };
  });

  serveRoute(desk, routes.devices, async ({ params, environment }) => {
    const player = await knownPlayer(reader, environment(), params.player);
    const rows = await reader.players.devices(player.number);
    return {
      devices: rows.map(({ id, name, created_at, revoked_at }) => ({
        device: id,
        name,
        createdAt: rfc3339(created_at),
        revokedAt: revoked_at === null ? null : rfc3339(revoked_at),
      })),
    };
  });

  serveRoute(desk, routes.revokeDevice, async ({ params, environment, principal }) => {
    const { number } = environment();
    const { player, device } = params;
    await writer.do('revokeDevice', { environment: number, player, device, by: nameOf(principal) });
    return { revoked: device };
  });
}

/** A session that the caller may ask about: for a device, one of its own. */
async function ownSession(
  { reader }: Desk,
  place: EnvironmentRow,
  id: string,
  principal: Principal,
): Promise<SessionRow> {
  const session = await reader.sessions.one(place.number, id);
  if (session === undefined || !mayWriteIn(session, deviceIn(principal))) {
    throw new Refusal('session-unknown', `There is no session "${id}" in this environment: join the player again.`);
  }
  return session;
}
