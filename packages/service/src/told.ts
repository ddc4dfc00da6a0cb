import { Refusal, type TransactionOutcome } from '@vekkon/protocol';
import type { EnvironmentRow, Joined, Saved } from '@vekkon/store';
import type { Desk } from './serve-route.js';

/**
 * Tells the log of a join, a save or a leave and how it went, in one plain
 * line; in a live environment only where somebody asks for that much.
 */
export async function told<T>(
  { log }: Desk,
  environment: EnvironmentRow,
  what: string,
  outcomeOf: (result: T) => string,
  work: () => Promise<T>,
): Promise<T> {
  const level = environment.is_live === 1 ? 'debug' : 'info';
  try {
    const result = await work();
    if (log.isLevelEnabled(level)) log[level](`${what}: ${outcomeOf(result)}`);
    return result;
  } catch (error) {
    if (error instanceof Refusal) log[level](`${what}: refused, ${error.code}. ${error.detail}`);
    throw error;
  }
}

export function joinOutcome({ isNew, records, session, ended }: Joined): string {
  const found = isNew ? 'a new player, starting values made' : `${records.size} records loaded`;
  const before = ended === null ? '' : `; the session on ${ended.host} was ended (${ended.end})`;
  return `${found}, ${session.id}${before}`;
}

export function saveOutcome({ outcome, isAgain, player, host }: Saved): string {
  const { transactions } = JSON.parse(outcome) as { transactions: TransactionOutcome[] };
  const refused = transactions.filter((one) => !one.applied);
  const reasons = refused.map((one) => one.problem.code).join(', ');
  const applied = `${transactions.length - refused.length} of ${transactions.length} transactions applied`;
  const again = isAgain ? ', sent again: same answer' : '';
  return `${player} on ${host}, ${applied}${reasons === '' ? '' : `, refused: ${reasons}`}${again}`;
}
