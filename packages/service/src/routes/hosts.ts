import { Refusal, routes } from '@vekkon/protocol';
import { rfc3339 } from '@vekkon/store';
import { listenerOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { tuningPart } from '../tell-tuning.js';
import { sessionSummary } from '../known-player.js';

/** What concerns a host as a whole: all of its leases at once, and the stream on which it listens. */
export function serveHosts(desk: Desk): void {
  const { reader, writer, clock } = desk;

  serveRoute(desk, routes.hostRenew, async ({ params, body, environment }) => {
    const { sessions, lost } = await writer.do('renew', {
      environment: environment().number,
      sessions: body.sessions.map(({ session, seen, answered }) => ({
        session,
        seen: seen ?? null,
        answered: answered ?? null,
      })),
      device: null,
      host: { name: params.host, instance: body.instance ?? null },
    });
    desk.overview.heard(environment().number, params.host);
    const tags = new Map(body.sessions.map(({ session, tuned }) => [session, tuned]));
    const told = await Promise.all(
      sessions.map(({ id }) => desk.sessionTunings.told(environment(), id, { read: null, has: tags.get(id) })),
    );
    for (const { session, asked } of body.sessions) await desk.sessionTunings.asked(environment(), session, asked);
    return {
      now: rfc3339(clock.now()),
      sessions: sessions.map(({ id, seen, records, leaseEnds }, index) => ({
        id,
        seen,
        records,
        session: {
          expiresAt: rfc3339(clock.now() + leaseEnds - clock.monotonic()),
          handoverWanted: desk.handovers.isWanted(id),
        },
        ...tuningPart(told[index]),
      })),
      lost: [...lost],
    };
  });

  serveRoute(desk, routes.hostStream, async ({ params, query, environment, principal, response }) => {
    const { number } = environment();
    if (query.instance !== undefined) {
      // An instance that was replaced is told so here too, and hears nothing more.
      await writer.do('renew', {
        environment: number,
        sessions: [],
        device: null,
        host: { name: params.host, instance: query.instance },
      });
    }
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    desk.streams.listen({ environment: number, host: params.host, response, principal: listenerOf(principal) });
    return undefined;
  });

  serveRoute(desk, routes.hostSessions, async ({ params, query, environment }) => {
    const { number, lease_seconds } = environment();
    const rows = await reader.sessions.ofHost(number, params.host, query.count);
    return {
      now: rfc3339(clock.now()),
      sessions: rows.map((row) => ({
        ...sessionSummary(row),
        player: row.player_id,
        changes: (row.seen_at_end ?? row.player_seen) - row.seen_at_join,
        changedBefore: row.previous_seen === null ? 0 : row.seen_at_join - row.previous_seen,
        isLeaseOver:
          row.ended_at === null && (row.last_saved_at ?? row.joined_at) + lease_seconds * 2_000 < clock.now(),
      })),
    };
  });
}
