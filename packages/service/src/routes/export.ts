import { routes } from '@vekkon/protocol';
import { exportParts, rfc3339, type ExportCursor, type PlayerRow } from '@vekkon/store';
import { nameOf } from '../access.js';
import { JsonPieces } from '../answers.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { knownPlayer, playerSummary } from '../known-player.js';

/** How many rows are read at a time: what is sent is never held as a whole. */
const rowsAtATime = 200;

/** Everything that is kept of a player, for the player or for another service. */
export function serveExport(desk: Desk): void {
  const { reader, longReads, writer } = desk;

  serveRoute(desk, routes.exportPlayer, async ({ params, environment, principal, response }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const by = nameOf(principal);
    await writer.do('note', {
      environment: place.number,
      what: 'exported',
      by,
      player: player.id,
      detail: 'everything',
    });
    const head = {
      format: 'vekkon-player',
      version: 1,
      environment: `${place.game}/${place.name}`,
      exportedAt: rfc3339(desk.clock.now()),
      player: playerSummary(player),
    };
    const name = encodeURIComponent(player.id);
    response.set('Content-Disposition', `attachment; filename*=UTF-8''${name}.json`);
    return new JsonPieces(textOf(head, player));
  });

  /** The document, piece by piece. */
  async function* textOf(head: object, player: PlayerRow): AsyncGenerator<string> {
    yield JSON.stringify(head).slice(0, -1);
    for (const part of exportParts) {
      yield `,"${part}":[`;
      let [after, isFirst]: [ExportCursor | null, boolean] = [null, true];
      for (;;) {
        const page = await longReads.exportRows(player, part, after, rowsAtATime);
        if (page.next === null) break;
        yield `${isFirst ? '' : ','}${page.rows.join(',')}`;
        [after, isFirst] = [page.next, false];
      }
      yield ']';
    }
    yield '}';
  }
}
