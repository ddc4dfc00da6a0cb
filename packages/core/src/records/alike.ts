import type { Change, Transaction } from './change.js';

/**
 * What tells transactions apart that wait for a person: those of one player
 * with the same reason, the same label and the same changes of mere amounts on
 * the same keys are alike, whatever the amounts, and become one.
 *
 * @param reason the code of the problem for which it was not applied
 * @returns the same text for alike ones; undefined for one that is like no other
 */
export function likenessOf(reason: string, { changes, label, once }: Transaction): string | undefined {
  // A token makes the second of two do nothing: added up, it would count twice.
  if (once !== undefined) return undefined;
  const parts: string[][] = [];
  for (const change of changes) {
    const part = ofMereAmount(change);
    if (part === undefined) return undefined;
    parts.push(part);
  }
  return JSON.stringify([reason, label ?? null, parts]);
}

function ofMereAmount(change: Change): string[] | undefined {
  switch (change.op) {
    case 'credit':
    case 'debit':
      return [change.op, change.key];
    case 'increase':
      // Fractions do not add up exactly in another order.
      return Number.isSafeInteger(change.by) ? [change.op, change.key, change.path] : undefined;
    case 'gain':
    case 'lose':
      return change.piece === undefined ? [change.op, change.key, change.item] : undefined;
    default:
      return undefined;
  }
}

/** What the reasons of several movements become where they differ. */
const others = ' and others';
const longestReason = 200;

/**
 * Two alike transactions as one that does what both do.
 *
 * @returns undefined where a sum would be no exact number: then they stay two
 */
export function addAlike(kept: Transaction, next: Transaction): Transaction | undefined {
  const changes: Change[] = [];
  for (const [index, before] of kept.changes.entries()) {
    const both = addChange(before, next.changes[index]);
    if (both === undefined) return undefined;
    changes.push(both);
  }
  // When each happened is not kept: they apply when somebody settles them.
  const { at: _, ...rest } = kept;
  return { ...rest, changes };
}

function addChange(before: Change, after: Change | undefined): Change | undefined {
  if ((before.op === 'credit' || before.op === 'debit') && after?.op === before.op) {
    const amount = before.amount + after.amount;
    if (!Number.isSafeInteger(amount)) return undefined;
    const reason = reasonOfBoth(before.reason, after.reason);
    return { ...before, amount, reason, count: (before.count ?? 1) + (after.count ?? 1) };
  }
  if (before.op === 'increase' && after?.op === 'increase') {
    const by = before.by + after.by;
    return Number.isSafeInteger(by) ? { ...before, by } : undefined;
  }
  if ((before.op === 'gain' || before.op === 'lose') && after?.op === before.op) {
    const count = (before.count ?? 1) + (after.count ?? 1);
    return Number.isSafeInteger(count) ? { ...before, count } : undefined;
  }
  return undefined;
}

function reasonOfBoth(kept: string, next: string): string {
  const first = kept.endsWith(others) ? kept.slice(0, -others.length) : kept;
  return first === next || kept === next ? kept : `${first.slice(0, longestReason - others.length)}${others}`;
}
