import { currentKey, wrongInScore, type Json, type Manifest, type ScoreValue } from '@vekkon/core';
import type { Kysely } from 'kysely';
import { keptQuery } from '../kept-query.js';
import type { PlayerRow, Tables } from '../tables.js';
import type { PlayerFault } from './fault.js';
import { verifyHistory, type NewestRevision } from './verify-history.js';
import { verifySessions, type IsSessionThere } from './verify-sessions.js';

export interface LookedAt {
  readonly faults: readonly PlayerFault[];
  readonly records: number;
  readonly revisions: number;
  readonly ledgerLines: number;
  readonly sessions: number;
}

/**
 * Holds what one player has against itself: records, history, ledger, results and sessions.
 *
 * @param prunedUpTo sessions that ended before it may have been pruned, milliseconds since 1970
 */
export async function verifyPlayer(
  db: Kysely<Tables>,
  player: PlayerRow,
  manifest: Manifest | undefined,
  prunedUpTo: number,
): Promise<LookedAt> {
  const faults: PlayerFault[] = [];
  const nameOf = (key: string) => (manifest === undefined ? key : currentKey(key, manifest));
  const records = await recordsOf(db, player.number);
  const sessions = await verifySessions(db, player, faults);
  const isThere: IsSessionThere = (session, at) => at <= prunedUpTo || sessions.has(session);
  const history = await verifyHistory(db, player, nameOf, isThere, faults);
  const { balances, lines } = await verifyLedger(db, player, nameOf, isThere, faults);
  const names = new Set(records.map(({ key }) => nameOf(key)));
  for (const [name, { revision }] of history.newest) {
    if (names.has(name)) continue;
    faults.push({
      detail: `${name} has a history up to revision ${revision}, and no record`,
      mend: `Put the value of that revision back as the record, with revision ${revision}.`,
    });
  }
  for (const [name, balance] of balances) {
    if (names.has(name) || history.newest.has(name)) continue;
    faults.push({
      detail: `${name} has a ledger that ends with ${balance}, and neither a record nor a history`,
      mend: `Restore a backup, or put the record back with ${balance}.`,
    });
  }
  for (const { key, revision, value, removed, seen } of records) {
    const name = nameOf(key);
    const parsed = parse(value);
    if (parsed === undefined) {
      faults.push({ detail: `${key} holds what is not JSON`, mend: newestFromHistory });
      continue;
    }
    verifyNewest({ key, revision, value, removed }, history.newest.get(name), faults);
    if (seen > player.seen) {
      const detail = `${key} was written at commit ${seen}, and the player is at ${player.seen}`;
      faults.push({ detail, mend: `Set the player's "seen" to ${seen}.` });
    }
    if (name.startsWith('currency/')) {
      const sum = balances.get(name) ?? 0;
      const held = removed === 1 ? 0 : Number(parsed);
      if (held !== sum) {
        const detail = `${key} holds ${held}, and its ledger's sum is ${sum}`;
        faults.push({ detail, mend: `Look which of them the history agrees with, and set the other to it.` });
      }
    }
    if (name.startsWith('score/') && removed !== 1) {
      const wrong = wrongInScore(parsed as ScoreValue);
      if (wrong !== undefined) faults.push({ detail: `${key}: ${wrong}`, mend: newestFromHistory });
    }
  }
  return {
    faults,
    records: records.length,
    revisions: history.revisions,
    ledgerLines: lines,
    sessions: sessions.size,
  };
}

const newestFromHistory = 'Put back the newest revision of its history that is whole.';

function verifyNewest(
  record: NewestRevision & { readonly key: string },
  newest: NewestRevision | undefined,
  faults: PlayerFault[],
): void {
  const { key, revision } = record;
  if (newest === undefined) {
    faults.push({ detail: `${key} has no history`, mend: `Write its value into the history as revision ${revision}.` });
  } else if (newest.revision > revision) {
    faults.push({
      detail: `${key} stands at revision ${revision}, and its history goes on to ${newest.revision}`,
      mend: `Put the value of revision ${newest.revision} back.`,
    });
  } else if (newest.revision < revision || newest.value !== record.value || newest.removed !== record.removed) {
    faults.push({
      detail: `${key}: revision ${revision} is not what its history has`,
      mend: 'Look at both, and put back the one that is right.',
    });
  }
}

async function verifyLedger(
  db: Kysely<Tables>,
  player: PlayerRow,
  nameOf: (key: string) => string,
  isThere: IsSessionThere,
  faults: PlayerFault[],
): Promise<{ readonly balances: ReadonlyMap<string, number>; readonly lines: number }> {
  const lines = (await linesOf(db, player.number)).toSorted((one, other) => one.number - other.number);
  const balances = new Map<string, number>();
  for (const line of lines) {
    const key = nameOf(line.key);
    const before = balances.get(key) ?? 0;
    if (before + line.amount !== line.balance) {
      faults.push({
        detail: `ledger line ${line.number} of ${key}: ${before} and ${line.amount} is not ${line.balance}`,
        mend: 'A line before it is missing, or one of the two was changed: restore a backup, or write a line that makes up for it.',
      });
    }
    balances.set(key, line.balance);
    if (line.session !== null && !isThere(line.session, line.at)) {
      faults.push({
        detail: `ledger line ${line.number} of ${key} is from session ${line.session}, which is not there`,
        mend: 'Restore a backup where it matters in which session it was; the balance is right.',
      });
    }
  }
  return { balances, lines: lines.length };
}

const recordsOf = keptQuery((db, player: number) =>
  db.selectFrom('records').select(['key', 'revision', 'value', 'removed', 'seen']).where('player', '=', player),
);

const linesOf = keptQuery((db, player: number) =>
  db.selectFrom('ledger').select(['number', 'key', 'at', 'amount', 'balance', 'session']).where('player', '=', player),
);

function parse(text: string): Json | undefined {
  try {
    return JSON.parse(text) as Json;
  } catch {
    return undefined;
  }
}
