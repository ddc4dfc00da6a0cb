import type { Json, Transaction } from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';
import type { Done } from '../session/local-records.js';
import { keysPut } from './kept-state.js';

/** A value was put here while it could not be saved, and somebody else changed the same record meanwhile. */
export interface Conflict {
  readonly key: string;
  /** What was put here last. */
  readonly mine: Json;
  /** What is stored by now. Whatever is decided, it stays in the history. */
  readonly stored: Json;
}

/** What is to hold: what was put here, what is stored, or a value made of both. */
export type Decision = 'mine' | 'stored' | { readonly value: Json };

/** The conflicts between what waits and what is stored by now. */
export function conflictsIn(
  waiting: readonly Done[],
  bases: { readonly [key: string]: number },
  stored: RecordsByKey,
): readonly Conflict[] {
  const conflicts = new Map<string, Conflict>();
  for (const done of waiting) {
    for (const key of keysPut(done)) {
      const [record, base] = [stored[key], bases[key]];
      if (record === undefined || base === undefined || record.revision <= base) continue;
      const put = done.transaction.changes.findLast((change) => change.op === 'put' && change.key === key);
      if (put?.op !== 'put') continue;
      if (JSON.stringify(put.value) === JSON.stringify(record.value)) conflicts.delete(key);
      else conflicts.set(key, { key, mine: put.value, stored: record.value });
    }
  }
  return [...conflicts.values()];
}

/** What waits, after it was decided what holds for one key. */
export function decided(waiting: readonly Done[], { key }: Conflict, decision: Decision, at: string): readonly Done[] {
  if (decision === 'mine') return waiting;
  const isOther = (change: Transaction['changes'][number]) => change.op !== 'put' || change.key !== key;
  const kept = waiting.flatMap(({ transaction, at: then }) => {
    const changes = transaction.changes.filter(isOther);
    return changes.length === 0 ? [] : [{ transaction: { ...transaction, changes }, at: then }];
  });
  if (decision === 'stored') return kept;
  return [...kept, { transaction: { changes: [{ op: 'put', key, value: decision.value }] }, at }];
}
