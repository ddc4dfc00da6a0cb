import type { UnsettledRow } from '../tables.js';
import type { WriterContext } from './context.js';

type Counted = Pick<UnsettledRow, 'environment' | 'player' | 'reason' | 'host' | 'count' | 'bytes'>;

/** What stood there before, and what stands there now; undefined for nothing. */
export interface CountedChange {
  readonly before: Counted | undefined;
  readonly row: Counted | undefined;
}

/** Under which host a transaction is counted: all of players' own devices are one, whose hosts' names hold a "/". */
export function countedHost(host: string): string {
  return host.includes('/') ? '' : host;
}

/** Keeps the sums of what is unsettled true, so that nobody has to walk it to count it. */
export async function countUnsettled(
  { db }: Pick<WriterContext, 'db'>,
  changes: readonly CountedChange[],
): Promise<void> {
  const sums = new Map<string, { environment: number; reason: string; host: string; unlike: number; many: number }>();
  const players = new Map<number, { environment: number; unlike: number; many: number; bytes: number }>();
  const add = ({ environment, player, reason, host, count, bytes }: Counted, sign: 1 | -1) => {
    const place = JSON.stringify([environment, reason, countedHost(host)]);
    const sum = sums.get(place) ?? { environment, reason, host: countedHost(host), unlike: 0, many: 0 };
    sums.set(place, { ...sum, unlike: sum.unlike + sign, many: sum.many + sign * count });
    const of = players.get(player) ?? { environment, unlike: 0, many: 0, bytes: 0 };
    const held = { unlike: of.unlike + sign, many: of.many + sign * count, bytes: of.bytes + sign * bytes };
    players.set(player, { environment, ...held });
  };
  for (const { before, row } of changes) {
    if (before !== undefined) add(before, -1);
    if (row !== undefined) add(row, 1);
  }
  for (const { environment, reason, host, unlike, many } of sums.values()) {
    if (unlike === 0 && many === 0) continue;
    await db
      .insertInto('unsettled_sums')
      .values({ environment, reason, host, unlike, transactions: many })
      .onConflict((conflict) =>
        conflict.columns(['environment', 'reason', 'host']).doUpdateSet((row) => ({
          unlike: row('unsettled_sums.unlike', '+', unlike),
          transactions: row('unsettled_sums.transactions', '+', many),
        })),
      )
      .execute();
    if (unlike >= 0) continue;
    await db
      .deleteFrom('unsettled_sums')
      .where('environment', '=', environment)
      .where('reason', '=', reason)
      .where('host', '=', host)
      .where('unlike', '<=', 0)
      .execute();
  }
  for (const [player, { environment, unlike, many, bytes }] of players) {
    await db
      .insertInto('unsettled_of_players')
      .values({ player, environment, unlike, transactions: many, bytes })
      .onConflict((conflict) =>
        conflict.column('player').doUpdateSet((row) => ({
          unlike: row('unsettled_of_players.unlike', '+', unlike),
          transactions: row('unsettled_of_players.transactions', '+', many),
          bytes: row('unsettled_of_players.bytes', '+', bytes),
        })),
      )
      .execute();
    if (unlike >= 0) continue;
    await db.deleteFrom('unsettled_of_players').where('player', '=', player).where('unlike', '<=', 0).execute();
  }
}
