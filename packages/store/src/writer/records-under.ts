import { isForPlayers, readKeys, spokenRecords, type Manifest, type Rules } from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';
import type { RecordsInWork } from './records-in-work.js';

/**
 * Records as they are sent, by key, to a reader who may speak an older
 * version. What is not declared is left out, and so is what a player's own
 * device may not see.
 */
export function recordsUnder(
  keys: Iterable<string>,
  records: RecordsInWork,
  rules: Rules,
  spoken?: Manifest,
  isForPlayer = false,
): RecordsByKey {
  const shown = isForPlayer ? [...keys].filter((key) => isForPlayers(key, rules.manifest)) : keys;
  const read = readKeys(shown, records.records, rules);
  return Object.fromEntries(spoken === undefined ? read : spokenRecords(read, rules.manifest, spoken, rules.check));
}
