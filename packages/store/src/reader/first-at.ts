import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/**
 * The first number whose row is of a time or later, in a table whose rows are
 * numbered as they come: found by number, in as many looks as that has bits.
 *
 * @param time milliseconds since 1970, UTC
 */
export async function firstAt(db: Kysely<Tables>, table: 'activity' | 'ledger', time: number): Promise<number> {
  const newest = await db
    .selectFrom(table)
    .select(({ fn }) => fn.max('number').as('number'))
    .executeTakeFirst();
  let [low, high] = [1, (newest?.number ?? 0) + 1];
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    const row = await db
      .selectFrom(table)
      .select(['number', 'at'])
      .where('number', '>=', middle)
      .orderBy('number')
      .limit(1)
      .executeTakeFirst();
    if (row === undefined || row.at >= time) high = middle;
    else low = row.number + 1;
  }
  return low;
}
