import {
  currentKey,
  readKeys,
  type ChangeProblemCode,
  type Json,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { addPlayer, checkDevice, findPlayer, openSessionOf } from '../sessions.js';
import { boundWhatPlayersWrite } from '../written-by-players.js';
import { applyTransactions } from './apply-transactions.js';

export interface PutRecord {
  readonly environment: number;
  readonly player: string;
  readonly key: string;
  readonly value: Json;
  /** The revision that must be stored. */
  readonly ifRevision: number | null;
  /** The key that was shown. */
  readonly by: string;
  /** The player's own device; null for a game server. */
  readonly device: string | null;
}

/** Puts one value without a session. A player who never joined is made, and finds it at their first join. */
export async function putRecord(context: WriterContext, put: PutRecord & Stamp): Promise<StoredRecord> {
  const environment = await environmentOf(context, put.environment);
  const newest = await context.manifests.newestOf(environment);
  const found = await findPlayer(context, put.environment, put.player);
  if (put.device !== null) await checkDevice(context, put.device, found);
  const open = found && (await openSessionOf(context, found));
  if (open !== undefined && put.ifRevision === null) {
    throw new Refusal(
      'precondition-needed',
      `The player is in a session on "${open.host}": read the record, and send its ETag as If-Match.`,
    );
  }
  const player = found ?? (await addPlayer(context, put));
  const { ifRevision } = put;
  const records = await RecordsInWork.load(context, player, newest.rules.manifest);
  const transaction: Transaction = {
    changes: [{ op: 'put', key: put.key, value: put.value, ...(ifRevision !== null && { ifRevision }) }],
  };
  const source = {
    environment,
    session: null,
    by: put.by,
    byPlayer: put.device !== null,
    earliest: put.now,
    now: put.now,
    agesBy: put.agesBy,
  };
  const { outcomes, rules } = await applyTransactions(context, records, newest.rules, player, [transaction], source);
  const [outcome] = outcomes;
  const key = currentKey(put.key, rules.manifest);
  if (outcome !== undefined && !outcome.applied) {
    const { change: _, code, detail, ...facts } = outcome.problem;
    const stored = readKeys([key], records.records, rules).get(key);
    const isOther = code === 'revision-mismatch' && stored !== undefined;
    throw new Refusal(code as ChangeProblemCode, detail, { ...facts, ...(isOther && { revision: stored.revision }) });
  }
  await records.writeFor(player, put.now);
  if (put.device !== null) await boundWhatPlayersWrite(context, player, records, 0, put.now);
  const record = readKeys([key], records.records, rules).get(key);
  if (record === undefined) throw new Error(`${key} was put and is not there.`);
  await tellOutside(context, { player, open, keys: [key], records, rules });
  return record;
}
