import { currentKey } from '../manifest/former-names.js';
import { declaredPart } from '../keys/record-key.js';
import type { Manifest } from '../manifest/manifest.js';
import type { Rules } from './rules.js';
import { readRecord } from './read-record.js';
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
export function readRecords(stored: Records, rules: Pick<Rules, 'manifest' | 'check'>): Records {
  const keys = Object.entries(rules.manifest.records).flatMap(([key, { family }]) => (family === undefined ? key : []));
  const members = [...stored].flatMap(([key, { removed }]) => (removed === true ? [] : key));
  return readKeys(new Set([...keys, ...members]), stored, rules);
}

/** Records as a game reads them. What is not declared is left out; one of a family that was removed is marked so. */
export function readKeys(keys: Iterable<string>, stored: Records, rules: Pick<Rules, 'manifest' | 'check'>): Records {
  const read = new Map<string, StoredRecord>();
  for (const key of keys) {
    const declared = declaredPart(key);
    const declaration = Object.hasOwn(rules.manifest.records, declared) ? rules.manifest.records[declared] : undefined;
    if (declaration === undefined || (declaration.family === undefined) !== (declared === key)) continue;
    // One of a family has no starting value of its own: it is there when it is put.
    if (declaration.family !== undefined && !stored.has(key)) continue;
    const record = readRecord(stored.get(key), declaration, rules);
    if (record.removed !== true) read.set(key, record);
    else if (declaration.family !== undefined) read.set(key, { revision: record.revision, value: null, removed: true });
    else read.set(key, { revision: record.revision, value: record.value });
  }
  return read;
}

/** Stored records under the keys that the manifest declares now. */
export function underCurrentKeys(stored: Records, manifest: Manifest): Records {
  const current = new Map<string, StoredRecord>();
  for (const [key, record] of stored) {
    const now = currentKey(key, manifest);
    // Where both are stored, the one that was written under the name of now holds.
    if (now === key || !stored.has(now)) current.set(now, record);
  }
  return current;
}
