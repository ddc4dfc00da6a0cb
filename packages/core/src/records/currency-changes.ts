import { creditPeriods, type CurrencyDeclaration } from '../manifest/manifest.js';
import type { CurrencyChange } from './change.js';
import { problem, type OrProblem } from '../keys/problem.js';
import type { LedgerLine } from './record.js';

/** How much of a currency was credited since a moment (milliseconds since 1970), what this transaction did included. */
export type CreditedSince = (key: string, since: number) => number;

/**
 * The ledger line that a credit or a debit writes; its balance is the record's new value.
 *
 * @param at when, RFC 3339
 * @param creditedSince undefined where the ledger is not at hand, as in the copy that a client keeps
 */
export function changeBalance(
  change: CurrencyChange,
  balance: number,
  declaration: CurrencyDeclaration,
  at: string,
  creditedSince: CreditedSince | undefined,
): OrProblem<{ readonly line: LedgerLine }> {
  const amount = change.op === 'credit' ? change.amount : -change.amount;
  const after = balance + amount;
  // A balance that an earlier manifest allowed may come back towards its bounds.
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
  const { creditLimit } = declaration;
  if (amount > 0 && creditLimit !== undefined && creditedSince !== undefined) {
    const credited = creditedSince(change.key, Date.parse(at) - creditPeriods[creditLimit.per]);
    if (credited + amount > creditLimit.atMost) {
      return problem(
        'credit-limit',
        `${change.key} takes ${creditLimit.atMost} in credits within one ${creditLimit.per}, and ${credited} were credited in the last one: ${amount} more can't be. Wait, or raise the creditLimit in the manifest.`,
      );
    }
  }
  return {
    line: { key: change.key, op: change.op, amount, balance: after, reason: change.reason, count: change.count ?? 1 },
  };
}
