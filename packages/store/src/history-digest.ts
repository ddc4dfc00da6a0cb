import { crc32 } from 'node:zlib';
import { digestOf } from './digest.js';
import type { HistoryTable } from './tables.js';

type DigestedRow = Pick<HistoryTable, 'key' | 'revision' | 'follows' | 'value' | 'removed' | 'seen' | 'at'>;

/** How long the digests of earlier versions are: the beginning of a SHA-256 in base64url. */
const earlierLength = 12;

/**
 * Tells whether a row of history is as it was written: CRC-32 of what it
 * holds, as a signed decimal number. Enough to tell damage, which is all that
 * it is for; nobody is kept out by it.
 */
export function historyDigest(player: number, row: DigestedRow): string {
  // Signed, a number of 32 bits is written out at once.
  return String(crc32(textOf(player, row)) | 0);
}

/** Is a row what its digest was made of? */
export function isAsDigested(player: number, row: DigestedRow, digest: string): boolean {
  if (digest.length !== earlierLength) return digest === historyDigest(player, row);
  return digest === digestOf(textOf(player, row)).slice(0, earlierLength);
}

function textOf(player: number, { key, revision, follows, value, removed, seen, at }: DigestedRow): string {
  return `${player} ${key} ${follows} ${revision} ${removed} ${seen} ${at} ${value}`;
}
