import { currentKey, onceTokenLasts, type Manifest, type Rules, type ScoreValue, type Transaction } from '@vekkon/core';
import type { TransactionOutcome } from '@vekkon/protocol';
import type { EnvironmentRow, SavingPlayer } from '../../tables.js';
import { keptQuery } from '../../kept-query.js';
import { environmentOf, type WriterContext } from '../context.js';
import { notePlay } from '../note-play.js';
import { areForCheckpoints } from '../checkpoints-in-work.js';
import { creditsWithLimit } from '../credits-in-work.js';
import type { RecordsInWork } from '../records-in-work.js';
import { takeResult, type ResultTaken } from '../standings-in-work.js';
import { keepLearned } from './learning.js';
import type { Unapplied } from '../unsettled-in-work.js';

/** Whence transactions come. Times in milliseconds since 1970, UTC. */
interface Source {
  readonly environment: EnvironmentRow;
  readonly session: string | null;
  readonly saveNumber?: number | null;
  /** The host of the session, or the key that was shown. */
  readonly by: string;
  /** The older manifest version that the sender speaks. */
  readonly spoken?: Manifest | undefined;
  /** Nothing can have happened before this. */
  readonly earliest: number;
  readonly now: number;
  /** The time by which `once` tokens grow old. */
  readonly agesBy: number;
  /** It is the player's own device. */
  readonly byPlayer?: boolean;
  /** Keeps what was refused after the game was told that it would hold. @returns its id */
  readonly keep?: (unapplied: Unapplied) => Promise<string>;
}

export interface AppliedTransactions {
  readonly outcomes: TransactionOutcome[];
  /** What became of the results in them. */
  readonly results: ResultTaken[];
  /** Under the keys of now. */
  readonly touched: Set<string>;
  /** With what was learned on the way. */
  readonly rules: Rules;
}

/** Applies transactions in order, each whole or not at all; one with a `once` token that was used changes nothing. */
export async function applyTransactions(
  context: WriterContext,
  records: RecordsInWork,
  before: Rules,
  player: SavingPlayer,
  transactions: readonly Transaction[],
  source: Source,
): Promise<AppliedTransactions> {
  const { db } = context;
  let rules = before;
  const touched = new Set<string>();
  const outcomes: TransactionOutcome[] = [];
  const results: ResultTaken[] = [];
  const times = transactions.map((one) => timeOf(one, source));
  if (creditsWithLimit(transactions, rules.manifest)) await records.credits.load(transactions, rules.manifest, times);
  if (areForCheckpoints(transactions)) await records.checkpoints.load(transactions);
  for (const [position, transaction] of transactions.entries()) {
    const { once, label = null } = transaction;
    if (once !== undefined && (await isUsed(once))) {
      outcomes.push({ applied: true, already: true });
      continue;
    }
    const { session, by, spoken, byPlayer = false } = source;
    const origin = { session, by, label, at: timeOf(transaction, source) };
    const scores = scoresBefore(transaction, records, rules.manifest);
    const outcome = records.apply(transaction, rules, origin, { spoken, byPlayer, seen: player.seen });
    if (!outcome.applied) {
      const { code: reason, detail } = outcome.problem;
      const isKept = transaction.keep === true && source.keep !== undefined;
      const unsettled = isKept ? await source.keep?.({ position, transaction, reason, detail }) : undefined;
      outcomes.push(unsettled === undefined ? outcome : { ...outcome, unsettled });
      continue;
    }
    outcomes.push({ applied: true });
    for (const key of outcome.touched) touched.add(key);
    if (outcome.learned !== undefined) {
      const place = await environmentOf(context, source.environment.number);
      await keepLearned(context, place, rules.manifest, outcome.learned, { by, now: source.now });
      rules = { ...rules, manifest: outcome.learned };
    }
    for (const change of outcome.results) {
      const held = scores.get(change.key);
      const about = { session, host: session === null ? null : by, saveNumber: source.saveNumber ?? null };
      const now = source.agesBy;
      const taken = await takeResult(
        context,
        player,
        rules.manifest,
        { change, at: origin.at, held },
        { ...about, now },
      );
      if (taken !== undefined) results.push(taken);
      if (taken?.doubtful === true) {
        const device = byPlayer ? by : null;
        const detail = `${change.key}: ${change.value} waits for a person`;
        const line = { what: 'result-doubtful', by, player: player.id, detail };
        await notePlay(context, { environment: player.environment, device, now: source.now }, line);
      }
    }
    if (outcome.forgetsOnce) await db.deleteFrom('once_tokens').where('player', '=', player.number).execute();
    if (once !== undefined) await use(once);
  }
  return { outcomes, results, touched, rules };

  async function isUsed(token: string): Promise<boolean> {
    const [row] = await tokenOf(db, player.number, token);
    return row !== undefined && row.at > source.agesBy - onceTokenLasts;
  }

  async function use(token: string): Promise<void> {
    await db
      .insertInto('once_tokens')
      .values({ player: player.number, token, at: source.now })
      .onConflict((conflict) => conflict.columns(['player', 'token']).doUpdateSet({ at: source.now }))
      .execute();
  }
}

const tokenOf = keptQuery((db, player: number, token: string) =>
  db.selectFrom('once_tokens').select('at').where('player', '=', player).where('token', '=', token),
);

/** The score records that a transaction submits to, as they are before it. */
function scoresBefore(
  { changes }: Transaction,
  { records }: RecordsInWork,
  manifest: Manifest,
): ReadonlyMap<string, ScoreValue> {
  const scores = new Map<string, ScoreValue>();
  for (const change of changes) {
    if (change.op !== 'submit') continue;
    const key = currentKey(change.key, manifest);
    const held = records.get(key);
    if (held !== undefined && held.removed !== true) scores.set(key, held.value as ScoreValue);
  }
  return scores;
}

/** When a transaction happened: within its session, whatever the sender's clock says. */
function timeOf({ at }: Transaction, { earliest, now }: Source): number {
  return at === undefined ? now : Math.min(Math.max(Date.parse(at), earliest), now);
}
