import { digestOf } from './digest.js';
import type { HistoryTable } from './tables.js';

/** How much of a digest is kept, in characters of base64url: enough to tell damage, which is all that it is for. */
const kept = 12;

/** Tells whether a row of history is as it was written: SHA-256 of what it holds, shortened. */
export function historyDigest(
  player: number,
  {
    key,
    revision,
    follows,
    value,
    removed,
    seen,
    at,
  }: Pick<HistoryTable, 'key' | 'revision' | 'follows' | 'value' | 'removed' | 'seen' | 'at'>,
): string {
  return digestOf(`${player} ${key} ${follows} ${revision} ${removed} ${seen} ${at} ${value}`).slice(0, kept);
}
