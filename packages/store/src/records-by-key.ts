import type { Records } from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';

/** Records as they are sent. */
export function recordsByKey(records: Records): RecordsByKey {
  return Object.fromEntries([...records].sort(([a], [b]) => (a < b ? -1 : 1)));
}
