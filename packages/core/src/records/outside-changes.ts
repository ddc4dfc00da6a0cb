import { currentKey } from '../manifest/former-names.js';
import type { InventoryValue, RecordDeclaration } from '../manifest/manifest.js';
import { startingRecordValue } from '../manifest/starting-value.js';
import type { Rules } from './rules.js';
import type { Change, ProgressChange, RecordChange, Remove } from './change.js';
import { changeBalance } from './currency-changes.js';
import { changeInventory } from './inventory-changes.js';
import { isProblem } from '../keys/problem.js';
import { changeProgress } from './progress-changes.js';
import { readRecord } from './read-record.js';
import type { StoredRecord } from './record.js';
import { submitResult, type ScoreValue } from './score-changes.js';
import { keysToReset } from './starting-over.js';

/** A change from outside a session: as it was sent, or a value that was brought back whole. */
export type OutsideChange = { readonly at: string } & (
  { readonly change: Change } | { readonly key: string; readonly value: StoredRecord['value'] }
);

/** What a record was before it was stored: one of a family was not there, all others started. */
export function beforeItWasStored(declaration: RecordDeclaration): StoredRecord {
  const { kind, family } = declaration;
  const fallsBack = family !== undefined || kind === 'progress' || kind === 'preference';
  const starting = startingRecordValue(declaration);
  return fallsBack ? { revision: 0, value: null, removed: true } : { revision: 0, value: starting };
}

/** A record with what came from outside applied to it again. What can't be applied to it any more is left out. */
export function withOutside(
  key: string,
  then: StoredRecord,
  declaration: RecordDeclaration,
  outside: readonly OutsideChange[],
  rules: Rules,
): StoredRecord {
  let record = then;
  for (const one of outside) {
    if ('value' in one) {
      if (currentKey(one.key, rules.manifest) === key) record = { revision: 0, value: one.value };
      continue;
    }
    const { change, at } = one;
    if (change.op === 'start-over' || change.op === 'reset') {
      const keys = keysToReset(change, [key], rules.manifest);
      if (!isProblem(keys) && keys.keys.includes(key)) record = beforeItWasStored(declaration);
    } else if ('key' in change && currentKey(change.key, rules.manifest) === key) {
      record = afterOutside({ ...change, key }, record, declaration, rules, at);
    }
  }
  return record;
}

function afterOutside(
  change: RecordChange,
  record: StoredRecord,
  declaration: RecordDeclaration,
  rules: Rules,
  at: string,
): StoredRecord {
  if (change.op === 'remove') return { revision: 0, value: null, removed: true };
  const value = lenientValue(change, readRecord(record, declaration, rules), declaration, rules, at);
  return value === undefined ? record : { revision: 0, value };
}

/** The value after a change that no bound holds back; undefined where it means nothing any more. */
function lenientValue(
  change: RecordChange,
  current: StoredRecord,
  declaration: RecordDeclaration,
  rules: Rules,
  at: string,
): StoredRecord['value'] | undefined {
  switch (declaration.kind) {
    case 'currency': {
      if (change.op !== 'credit' && change.op !== 'debit') return undefined;
      const { creditLimit: _, ...unlimited } = declaration;
      const boundless = { ...unlimited, floor: -Number.MAX_SAFE_INTEGER, ceiling: Number.MAX_SAFE_INTEGER };
      const moved = changeBalance(change, Number(current.value), boundless, at, undefined);
      return isProblem(moved) ? undefined : moved.line.balance;
    }
    case 'inventory': {
      if (change.op !== 'gain' && change.op !== 'lose' && change.op !== 'alter') return undefined;
      const { capacity: _, ...boundless } = declaration;
      const value = current.value as InventoryValue;
      const place = { manifest: rules.manifest, declaration: boundless, check: rules.check };
      const whereIs = (piece: string) => (Object.hasOwn(value.pieces, piece) ? change.key : undefined);
      const there = change.op === 'lose' && change.piece === undefined ? value.stacks[change.item] : undefined;
      const isTooMuch = change.op === 'lose' && there !== undefined && (change.count ?? 1) > there;
      const fewer = isTooMuch ? { ...change, count: there } : change;
      const changed = changeInventory(fewer, value, { ...place, whereIs });
      return isProblem(changed) ? undefined : changed.value;
    }
    case 'score': {
      if (change.op !== 'submit') return undefined;
      const submitted = submitResult(change, current.value as ScoreValue, declaration, at);
      return isProblem(submitted) ? undefined : submitted.value;
    }
    default: {
      if (!isForProgress(change)) return undefined;
      const changed = changeProgress(change, current, declaration, rules.check, at);
      return isProblem(changed) ? undefined : changed.value;
    }
  }
}

function isForProgress(change: RecordChange): change is Exclude<ProgressChange, Remove> {
  return progressOps.has(change.op);
}

const progressOps: ReadonlySet<string> = new Set<ProgressChange['op']>([
  'put',
  'merge',
  'increase',
  'outdo',
  'collect',
  'discard',
]);
