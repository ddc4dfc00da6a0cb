import { routes } from '@vekkon/protocol';
import type { Transaction } from '@vekkon/core';
import { rfc3339 } from '@vekkon/store';
import type { IRouter } from 'express';
import { nameOf } from '../access.js';
import { tellOutside } from '../outside-changes.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** What came too late or was refused after the game was told that it would hold: listed, settled, dropped. */
export function serveUnsettled(router: IRouter, desk: Desk): void {
  const { reader, writer } = desk;

  serveRoute(router, desk, routes.unsettled, async ({ query, environment }) => {
    const { number } = await environment();
    const { total, rows } = await reader.unsettled(number, query.player, query.count);
    return {
      total,
      unsettled: rows.map((row) => ({
        id: row.id,
        player: row.player_id,
        at: rfc3339(row.at),
        session: row.session,
        host: row.host,
        number: row.save_number,
        reason: row.reason,
        detail: row.detail,
        transaction: JSON.parse(row.content) as Transaction & { changes: never[] },
      })),
    };
  });

  serveRoute(router, desk, routes.settle, async ({ params, environment, principal }) => {
    const place = await environment();
    const outside = await writer.do('settle', {
      environment: place.number,
      id: params.unsettled,
      by: nameOf(principal),
    });
    await tellOutside(desk, place, outside);
    return { settled: params.unsettled };
  });

  serveRoute(router, desk, routes.drop, async ({ params, environment, principal }) => {
    const { number } = await environment();
    await writer.do('drop', { environment: number, id: params.unsettled, by: nameOf(principal) });
    return { dropped: params.unsettled };
  });

  serveRoute(router, desk, routes.activity, async ({ query, environment }) => {
    const { number } = await environment();
    const rows = await reader.activity(number, query.count);
    return {
      activity: rows.map(({ at, what, by, player, detail }) => ({ at: rfc3339(at), what, by, player, detail })),
    };
  });
}
