import { isWide, type RecordChange, type Transaction } from './change.js';

/**
 * Folds changes that wait to be sent, so that a hundred taps are one change.
 *
 * Neighbours on one key become one: the last `put` wins, whole-number
 * increases add up, credits (or debits) of one reason become one with a
 * count. Neighbours are changes with none in between on the same key; a
 * transaction that is named, guarded by `once`, or of several changes, stays
 * as it is and keeps what comes before it on its keys from what comes after.
 *
 * @param transactions in the order in which they were done
 * @param keyNow the key of now for one that may be a former one: both mean one record
 * @returns transactions that lead to the same values, in an order that does too
 */
export function foldTransactions(
  transactions: readonly Transaction[],
  keyNow: (key: string) => string = (key) => key,
): readonly Transaction[] {
  const folded: Transaction[] = [];
  // Where in the result the newest foldable change of each key stands.
  const newest = new Map<string, { readonly place: number; readonly change: RecordChange }>();
  for (const transaction of transactions) {
    const change = foldableChange(transaction);
    if (change === undefined) {
      for (const one of transaction.changes) {
        if (isWide(one)) newest.clear();
        else newest.delete(keyNow(one.key));
      }
      folded.push(transaction);
      continue;
    }
    const key = keyNow(change.key);
    const before = newest.get(key);
    const both = before && foldTwo(before.change, change);
    if (before !== undefined && both !== undefined) {
      folded[before.place] = { ...folded[before.place], changes: [both] };
      newest.set(key, { place: before.place, change: both });
    } else {
      newest.set(key, { place: folded.length, change });
      folded.push(transaction);
    }
  }
  return folded;
}

/** The one change of a transaction that may be folded with others. */
function foldableChange({ changes, label, once, at }: Transaction): RecordChange | undefined {
  const [change, ...others] = changes;
  if (change === undefined || others.length > 0) return undefined;
  if (label !== undefined || once !== undefined || at !== undefined) return undefined;
  if (isWide(change) || change.op === 'remove') return undefined;
  return 'ifRevision' in change && change.ifRevision !== undefined ? undefined : change;
}

/** Two neighbouring changes on one key as one, or undefined if they can't be. */
function foldTwo(before: RecordChange, after: RecordChange): RecordChange | undefined {
  if (after.op === 'put' && (before.op === 'put' || before.op === 'merge')) return after;
  if (before.op === 'increase' && after.op === 'increase' && before.path === after.path) {
    // Fractions do not add up exactly in another order, so they stay as they are.
    const by = before.by + after.by;
    const isExact = Number.isSafeInteger(before.by) && Number.isSafeInteger(after.by) && Number.isSafeInteger(by);
    return isExact ? { ...before, by } : undefined;
  }
  if (
    (before.op === 'credit' && after.op === 'credit' && before.reason === after.reason) ||
    (before.op === 'debit' && after.op === 'debit' && before.reason === after.reason)
  ) {
    const amount = before.amount + after.amount;
    if (!Number.isSafeInteger(amount)) return undefined;
    return { ...before, amount, count: (before.count ?? 1) + (after.count ?? 1) };
  }
  return undefined;
}
