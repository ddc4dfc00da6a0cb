import { currentValue } from '../manifest/former-names.js';
import type { InventoryValue, RecordDeclaration } from '../manifest/manifest.js';
import { fillIn, startingRecordValue } from '../manifest/starting-value.js';
import type { Rules } from './rules.js';
import { inventoryMisfit } from './inventory-changes.js';
import type { StoredRecord } from './record.js';

/**
 * A record as the rules read it: what is stored under the names of now, with
 * missing fields filled in; the starting value where nothing is stored; the
 * starting value, marked as a misfit, where what is stored does not fit.
 */
export function readRecord(
  stored: StoredRecord | undefined,
  declaration: RecordDeclaration,
  rules: Pick<Rules, 'manifest' | 'check'>,
): StoredRecord {
  if (stored === undefined) return { revision: 0, value: startingRecordValue(declaration) };
  if (stored.misfit === true) return stored;
  if (stored.removed === true) return { ...stored, value: startingRecordValue(declaration) };
  if (declaration.kind === 'currency' || declaration.kind === 'score') return stored;
  const current = currentValue(stored.value, declaration, rules.manifest);
  const value = declaration.kind === 'inventory' ? current : fillIn(current, declaration.schema);
  if (misfitOf(value, declaration, rules) !== undefined) {
    return { revision: stored.revision, value: startingRecordValue(declaration), misfit: true };
  }
  return value === stored.value ? stored : { ...stored, value };
}

/** What does not fit the manifest in a value under the names of now, with what it lacks filled in. */
export function misfitOf(
  value: StoredRecord['value'],
  declaration: RecordDeclaration,
  { manifest, check }: Pick<Rules, 'manifest' | 'check'>,
): { readonly pointer: string; readonly detail: string } | undefined {
  if (declaration.kind === 'inventory') {
    return inventoryMisfit(value as InventoryValue, { manifest, declaration, check });
  }
  if (declaration.kind === 'progress' || declaration.kind === 'preference') return check?.(declaration.schema, value);
  return undefined;
}
