import { routes } from '@vekkon/protocol';
import { rfc3339, trashLasts } from '@vekkon/store';
import type { Json } from '@vekkon/core';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { knownPlayer } from '../known-player.js';

/** What was removed from a player: listed, and brought back. */
export function serveTrash(desk: Desk): void {
  const { reader, longReads, writer } = desk;

  serveRoute(desk, routes.trash, async ({ params, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const rows = await longReads.trash(player.number);
    return {
      trash: rows.map(({ number, key, revision, value, at, why, by, session, label }) => ({
        number,
        key,
        revision,
        value: JSON.parse(value) as Json,
        at: rfc3339(at),
        until: rfc3339(at + trashLasts),
        why,
        by,
        session,
        label,
      })),
    };
  });

  serveRoute(desk, routes.bringBack, async ({ params, environment, principal }) => {
    const place = environment();
    const { key } = await writer.do('bringBack', {
      environment: place.number,
      player: params.player,
      trashed: params.trashed,
      by: nameOf(principal),
    });
    return { broughtBack: key };
  });
}
