import type { Manifest } from '../manifest/manifest.js';
import { readRecord } from './apply-transaction.js';
import type { LedgerLine, Records, StoredRecord } from './record.js';
import { startingLine } from './starting-line.js';

/**
 * What is stored for a new player: every declared record but families and
 * scores, which are made when they are first used, and the ledger's first lines.
 */
export function startingRecords(manifest: Manifest): {
  readonly records: Records;
  readonly ledger: readonly LedgerLine[];
} {
  const records = new Map<string, StoredRecord>();
  const ledger: LedgerLine[] = [];
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.family !== undefined || declaration.kind === 'score') continue;
    records.set(key, { revision: 1, value: declaration.starting });
    if (declaration.kind === 'currency') ledger.push(startingLine(key, declaration.starting));
  }
  return { records, ledger };
}

/**
 * A player's records as a game reads them: all that is stored and still
 * declared, and the starting values of what is declared but not stored.
 */
export function readRecords(stored: Records, manifest: Manifest): Records {
  const read = new Map<string, StoredRecord>();
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.family === undefined) read.set(key, readRecord(stored.get(key), declaration));
  }
  for (const [key, record] of stored) {
    const declaration = manifest.records[key.split('/', 2).join('/')];
    if (declaration?.family !== undefined) read.set(key, readRecord(record, declaration));
  }
  return read;
}
