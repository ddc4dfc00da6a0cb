import { declarationOf, isProblem } from '@vekkon/core';
import type { ChangedOutside, EnvironmentRow } from '@vekkon/store';
import { recordsByKey } from './records-by-key.js';
import type { Desk } from './serve-route.js';

/** Tells the host that holds a player what others changed, at once. If it does not listen, its next response does. */
export async function tellOutside(
  { reader, streams }: Pick<Desk, 'reader' | 'streams'>,
  environment: EnvironmentRow,
  { player: id, keys, seen, open }: ChangedOutside,
): Promise<void> {
  if (open === null || !streams.isListening(environment.number, open.host)) return;
  const player = await reader.player(environment.number, id);
  if (player === undefined) return;
  const { rules } = await reader.manifestOf(environment);
  const records = await reader.records(player, environment);
  const changed = new Map(
    [...records].filter(([key]) => keys.includes(key) && !isProblem(declarationOf(key, rules.manifest))),
  );
  streams.tell(environment.number, open.host, 'outside-change', {
    session: open.id,
    seen,
    records: recordsByKey(changed),
  });
}
