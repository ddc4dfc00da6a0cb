import { isForPlayers, readKeys, spokenRecords } from '@vekkon/core';
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
  const stored = await reader.stored(player.number, rules.manifest);
  const shown = open.isOnDevice ? keys.filter((key) => isForPlayers(key, rules.manifest)) : keys;
  const read = readKeys(shown, stored, rules);
  const isOlder = open.manifestVersion !== environment.manifest_version;
  const spoken = isOlder ? (await reader.manifestVersion(environment, open.manifestVersion)).rules.manifest : undefined;
  const records = spoken === undefined ? read : spokenRecords(read, rules.manifest, spoken, rules.check);
  streams.tell(environment.number, open.host, 'outside-change', {
    session: open.id,
    seen,
    records: recordsByKey(records),
  });
}
