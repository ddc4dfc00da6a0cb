import type { LedgerLine } from './record.js';

/** A movement of a currency as a person reads it: `+30 feather: climb 8812`. */
export function movementInWords({ key, amount, reason, count }: Omit<LedgerLine, 'op' | 'balance'>): string {
  const name = key.slice(key.indexOf('/') + 1);
  const times = count > 1 ? ` (${count} times)` : '';
  return `${amount > 0 ? '+' : '−'}${Math.abs(amount)} ${name}: ${reason}${times}`;
}

/** The reason of a currency's first ledger line. */
export const startingReason = 'starting value';

/** A currency's first ledger line. */
export function startingLine(key: string, starting: number): LedgerLine {
  return { key, op: 'starting', amount: starting, balance: starting, reason: startingReason, count: 1 };
}
