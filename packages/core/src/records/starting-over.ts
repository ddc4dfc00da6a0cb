import { equalJson } from '../json.js';
import { currentKey } from '../manifest/former-names.js';
import type { Manifest, RecordDeclaration } from '../manifest/manifest.js';
import { startingRecordValue } from '../manifest/starting-value.js';
import type { Reset, StartOver } from './change.js';
import { isProblem, type OrProblem } from '../keys/problem.js';
import type { Rules } from './rules.js';
import { readRecord } from './read-record.js';
import { declarationOf } from '../manifest/declaration-of.js';
import { declaredPart, kinds } from '../keys/record-key.js';
import type { LedgerLine, Records, StoredRecord, Trashed } from './record.js';

/** The stored keys that go back to their starting values: all that lasts for a run, one record, a family, or a kind. */
export function keysToReset(
  change: StartOver | Reset,
  held: readonly string[],
  manifest: Manifest,
): OrProblem<{ readonly keys: readonly string[] }> {
  const declarationUnder = (key: string) => manifest.records[declaredPart(key)];
  if (change.op === 'start-over') return { keys: held.filter((key) => declarationUnder(key)?.lasts === 'run') };
  if ((kinds as readonly string[]).includes(change.key)) {
    return { keys: held.filter((key) => key.startsWith(`${change.key}/`)) };
  }
  const wanted = currentKey(change.key, manifest);
  if (manifest.records[wanted]?.family !== undefined) {
    return { keys: held.filter((key) => key.startsWith(`${wanted}/`)) };
  }
  const declared = declarationOf(wanted, manifest);
  return isProblem(declared) ? declared : { keys: [wanted] };
}

/** A record back at its start; undefined if it is there already. One of a family is gone. */
export function resetRecord(
  key: string,
  held: StoredRecord,
  declaration: RecordDeclaration,
  rules: Rules,
  op: 'start-over' | 'reset',
): { readonly record: StoredRecord; readonly line?: LedgerLine } | undefined {
  if (held.removed === true) return undefined;
  const starting = startingRecordValue(declaration);
  const current = readRecord(held, declaration, rules);
  const isThere = declaration.family === undefined && current.misfit !== true && equalJson(current.value, starting);
  if (isThere) return undefined;
  const revision = held.revision + 1;
  if (declaration.kind === 'currency') {
    const amount = declaration.starting - (held.value as number);
    const line = { key, op, amount, balance: declaration.starting, reason: reasons[op], count: 1 };
    return { record: { revision, value: declaration.starting }, line };
  }
  // What falls back by itself is removed, so that it follows the manifest if its starting value changes.
  const { kind, family } = declaration;
  const fallsBack = family !== undefined || kind === 'progress' || kind === 'preference';
  return { record: fallsBack ? { revision, value: null, removed: true } : { revision, value: starting } };
}

const reasons = { 'start-over': 'started over', reset: 'reset' } as const;

/** What taking away all that a player has leads to: nothing is left, and each balance comes to 0 by a ledger line. */
export function takeAllAway(records: Records): {
  readonly changed: Records;
  readonly ledger: readonly LedgerLine[];
  readonly trash: readonly Trashed[];
} {
  const changed = new Map<string, StoredRecord>();
  const ledger: LedgerLine[] = [];
  const trash: Trashed[] = [];
  for (const [key, record] of records) {
    if (record.removed === true) continue;
    trash.push({ key, record, by: 'made-new' });
    changed.set(key, { revision: record.revision + 1, value: null, removed: true });
    if (!key.startsWith('currency/')) continue;
    ledger.push({ key, op: 'made-new', amount: -Number(record.value), balance: 0, reason: 'made new', count: 1 });
  }
  return { changed, ledger, trash };
}
