import { restoredByPerson } from '@vekkon/core';
import { Refusal, routes } from '@vekkon/protocol';
import { recordsIn, rfc3339, trashLasts } from '@vekkon/store';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { differencesInWords } from './history.js';
import { knownPlayer } from '../known-player.js';

/** A player's checkpoints, as the people behind the game see them. */
export function serveCheckpoints(desk: Desk): void {
  const { reader, longReads, writer } = desk;

  serveRoute(desk, routes.playerCheckpoints, async ({ params, environment }) => {
    const player = await knownPlayer(reader, environment(), params.player);
    const rows = await longReads.copies(player.number);
    return {
      checkpoints: rows.map(({ number, name, at, summary, by, by_operator, given_up_at, records }) => ({
        number,
        name,
        at: rfc3339(at),
        summary,
        by,
        byOperator: by_operator === 1,
        keptUntil: given_up_at === null ? null : rfc3339(given_up_at + trashLasts),
        records: [...recordsIn(records).keys()].sort(),
      })),
    };
  });

  serveRoute(desk, routes.makeCheckpoint, async ({ params, body, environment, principal }) => {
    const { name, summary = 'Made by hand.' } = body;
    const about = { environment: environment().number, player: params.player, name, summary };
    return writer.do('copyPlayer', { ...about, by: nameOf(principal) });
  });

  serveRoute(desk, routes.checkpointDifference, async ({ params, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const found = await longReads.copy(player.number, params.checkpoint);
    if (found === undefined) throw new Refusal('checkpoint-unknown');
    const { row, outside } = found;
    const { rules } = await reader.manifests.newestOf(place);
    const now = await reader.players.stored(player.number, rules.manifest);
    const about = { name: row.name, byOperator: row.by_operator === 1 };
    const { changed } = restoredByPerson(recordsIn(row.records), now, outside, rules, about);
    return { name: row.name, differences: differencesInWords(now, changed) };
  });

  serveRoute(desk, routes.restoreCheckpoint, async ({ params, environment, principal }) => {
    const place = environment();
    const { player, checkpoint } = params;
    const by = nameOf(principal);
    const { keys } = await writer.do('restoreCheckpoint', { environment: place.number, player, checkpoint, by });
    return { restored: [...keys] };
  });
}
