import type { Rules } from '@vekkon/core';
import type { PlayerRow, SessionRow } from '../tables.js';
import { environmentOf, type WriterContext } from './context.js';
import { recordsUnder } from './records-under.js';
import type { RecordsInWork } from './records-in-work.js';
import { spokenBy } from './sessions.js';

export interface ChangedFromOutside {
  readonly player: PlayerRow;
  /** The session that the player is in. */
  readonly open: SessionRow | undefined;
  readonly keys: Iterable<string>;
  readonly records: RecordsInWork;
  readonly rules: Rules;
}

/** Tells whoever must know that a player was changed from outside a session: the host that holds them, above all. */
export async function tellOutside(
  context: WriterContext,
  { player, open, keys: changed, records, rules }: ChangedFromOutside,
): Promise<void> {
  const keys = [...changed];
  if (keys.length === 0) return;
  const { environment, id, seen } = player;
  const told = { what: 'player-changed', environment, player: id, keys, seen } as const;
  if (open === undefined) return context.feed.tell({ ...told, open: null });
  const place = await environmentOf(context, environment);
  const spoken = await spokenBy(context, place, open, await context.manifests.newestOf(place));
  const read = recordsUnder(keys, records, rules, spoken, open.device !== null);
  context.feed.tell({ ...told, open: { session: open.id, host: open.host, records: read } });
}
