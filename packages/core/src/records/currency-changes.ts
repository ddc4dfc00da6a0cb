import type { CurrencyDeclaration } from '../manifest/manifest.js';
import type { CurrencyChange } from './change.js';
import { problem, type OrProblem } from './problem.js';
import type { LedgerLine } from './record.js';

/** The ledger line that a credit or a debit writes; its balance is the record's new value. */
export function changeBalance(
  change: CurrencyChange,
  balance: number,
  declaration: CurrencyDeclaration,
): OrProblem<{ readonly line: LedgerLine }> {
  const amount = change.op === 'credit' ? change.amount : -change.amount;
  const after = balance + amount;
  if (amount < 0 && after < declaration.floor) {
    return problem(
      'balance-too-low',
      `${change.key} holds ${balance}, and its floor is ${declaration.floor}: ${change.amount} can't be debited. Offer less, or credit first.`,
    );
  }
  if (amount > 0 && after > declaration.ceiling) {
    return problem(
      'balance-too-high',
      `${change.key} holds ${balance}, and its ceiling is ${declaration.ceiling}: ${change.amount} can't be credited.`,
    );
  }
  return { line: { key: change.key, amount, balance: after, reason: change.reason, count: change.count ?? 1 } };
}
