import type { LedgerLine } from './record.js';

/** The reason of a currency's first ledger line. */
export const startingReason = 'starting value';

/** A currency's first ledger line. */
export function startingLine(key: string, starting: number): LedgerLine {
  return { key, op: 'starting', amount: starting, balance: starting, reason: startingReason, count: 1 };
}
