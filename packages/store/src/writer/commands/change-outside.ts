import { changedInWords, readKeys, replacesBlindly, type Transaction } from '@vekkon/core';
import type { TransactionOutcome } from '@vekkon/protocol';
import { Refusal } from '@vekkon/protocol/problems';
import { digestOf } from '../../digest.js';
import type { PlayerRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { recordsUnder } from '../records-under.js';
import { findPlayer, addPlayer, openSessionOf } from '../sessions.js';
import { boundWhatPlayersWrite } from '../written-by-players.js';
import { note } from './activity.js';
import { applyTransactions } from './apply-transactions.js';

export interface ChangeOutside {
  readonly environment: number;
  readonly player: string;
  /** The idempotency key: the same for every try of one call. */
  readonly token: string;
  readonly transactions: readonly Transaction[];
  /** The key that was shown, or the operator. */
  readonly by: string;
  /** A person does it, who looks at what there is: whole values only under the revision that was read, and noted. */
  readonly byOperator: boolean;
  /** The player's own device does it: only what the manifest lets players write, and no more than it lets them. */
  readonly byPlayer?: boolean;
}

export interface ChangedByToken {
  /** The response but for `now`, as JSON text. */
  readonly outcome: string;
}

/** How long an idempotency key is remembered, in milliseconds. */
export const tokenLasts = 7 * 24 * 60 * 60 * 1000;

/**
 * Applies transactions from outside a session, once for an idempotency key.
 * A player who never joined is made: what they are given waits for them, and
 * they are new at their first join all the same.
 */
export async function changeOutside(context: WriterContext, change: ChangeOutside & Stamp): Promise<ChangedByToken> {
  const { db } = context;
  const { environment: number, transactions, byPlayer = false, now, agesBy } = change;
  // A player's tokens are their own: they meet nobody else's.
  const token = byPlayer ? `player ${change.player} ${change.token}` : change.token;
  const digest = digestOf(JSON.stringify([change.player, transactions]));
  const before = await db
    .selectFrom('outside_requests')
    .select(['digest', 'outcome', 'at'])
    .where('environment', '=', number)
    .where('token', '=', token)
    .executeTakeFirst();
  if (before !== undefined && before.at > agesBy - tokenLasts) {
    if (before.digest !== digest) throw new Refusal('idempotency-key-reused');
    return { outcome: before.outcome };
  }
  const environment = await environmentOf(context, number);
  const newest = await context.manifests.newestOf(environment);
  const found = await findPlayer(context, number, change.player);
  const open = found && (await openSessionOf(context, found));
  if (open !== undefined) checkGuarded(transactions, `The player is in a session on "${open.host}"`);
  if (change.byOperator) {
    if (found === undefined) throw new Refusal('player-unknown');
    checkGuarded(transactions, 'Somebody may have changed it since you looked');
  }
  const player: PlayerRow = found ?? (await addPlayer(context, change));
  const records = await RecordsInWork.load(context, player, newest.rules.manifest);
  const was = change.byOperator ? new Map(records.records) : undefined;
  const { outcomes, touched, rules } = await applyTransactions(context, records, newest.rules, player, transactions, {
    environment,
    session: null,
    by: change.by,
    earliest: now,
    now,
    agesBy,
    byPlayer,
  });
  await records.writeFor(player, now);
  const outcome = JSON.stringify({
    seen: player.seen,
    transactions: outcomes satisfies TransactionOutcome[],
    records: recordsUnder(touched, records, rules, undefined, byPlayer),
  });
  if (byPlayer) await boundWhatPlayersWrite(context, player, records, outcome.length, now);
  const row = { environment: number, token, digest, outcome, at: now, player: player.number };
  await db
    .insertInto('outside_requests')
    .values(row)
    .onConflict((conflict) =>
      conflict.columns(['environment', 'token']).doUpdateSet({ digest, outcome, at: now, player: player.number }),
    )
    .execute();
  if (was !== undefined && touched.size > 0) {
    const detail = changedInWords(readKeys(touched, was, rules), readKeys(touched, records.records, rules));
    await note(context, { environment: number, what: 'changed', by: change.by, player: change.player, detail, now });
  }
  await tellOutside(context, { player, open, keys: touched, records, rules });
  return { outcome };
}

/** A whole value that somebody else may have changed is replaced only by who says what they replace. */
function checkGuarded(transactions: readonly Transaction[], why: string): void {
  for (const change of transactions.flatMap(({ changes }) => changes)) {
    if (replacesBlindly(change)) {
      throw new Refusal(
        'precondition-needed',
        `${why}: a ${change.op} on ${change.key} needs ifRevision, the revision that you read.`,
        { key: change.key },
      );
    }
  }
}
