import { decideSave, maySaveIn, type SaveRefusal, type Transaction } from '@vekkon/core';
import { attributeKeys, attributesFromRecords, type Attributes } from '@vekkon/core/tuning';
import type { RecordsByKey, TransactionOutcome } from '@vekkon/protocol';
import { Refusal } from '@vekkon/protocol/problems';
import type { EnvironmentRow, SavingPlayer, SavingSession } from '../../tables.js';
import { digestOfSave } from '../../save-digest.js';
import { keptQuery, keptWrite } from '../../kept-query.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { heldSession, takenOver } from '../held-sessions.js';
import { notePlay } from '../note-play.js';
import { RecordsInWork } from '../records-in-work.js';
import { recordsUnder } from '../records-under.js';
import { hasNothingAside, outcomeOf, putAside, takeAnswered, type AnsweredSave } from '../save-outcomes.js';
import { endSession, hostReplaced, sessionEnded, sessionUnknown, spokenBy } from '../sessions.js';
import type { ResultTaken } from '../standings-in-work.js';
import { UnsettledInWork } from '../unsettled-in-work.js';
import { boundWhatPlayersWrite, holdWritten } from '../written-by-players.js';
import { applyTransactions } from './apply-transactions.js';

export interface Save {
  readonly environment: number;
  readonly session: string;
  /** The device that calls, which may save its own sessions only; null for a game server. */
  readonly device: string | null;
  /** The player whose device it is; null for a game server. */
  readonly owner?: string | null;
  /** Absent only in a leave that saves nothing. */
  readonly number: number | null;
  /** The last commit to the player that the sender knows of. */
  readonly seen: number | null;
  /** The highest number whose answer the sender has. */
  readonly answered: number | null;
  readonly transactions: readonly Transaction[];
  /** Ends the session in the same commit. */
  readonly leave: boolean;
  /** How many tries failed before this one, as the sender says. */
  readonly triesFailed?: number;
  /** Of what it holds, by `digestOfSave`, from who has the time for it; made here if left out. */
  readonly digest?: string;
}

/** What a save did: the response but for `now` and `session`. */
export interface SaveOutcome {
  readonly number: number | null;
  readonly seen: number;
  readonly transactions: readonly TransactionOutcome[];
  readonly records: RecordsByKey;
}

export interface Saved {
  /** The outcome as JSON text: the same number gets it byte for byte. */
  readonly outcome: string;
  /** What became of the results that it submitted. */
  readonly results: readonly ResultTaken[];
  /** What the player's records say of them, where the save may have changed it. */
  readonly attributes: Attributes | null;
  /** The number was sent before. */
  readonly isAgain: boolean;
  readonly player: string;
  readonly host: string;
  /** By the monotonic clock; null once the session has ended. */
  readonly leaseEnds: number | null;
  /** Milliseconds since 1970, UTC; null while the session is open. */
  readonly endedAt: number | null;
}

/**
 * Applies a numbered save once; a repeated one gets the outcome it had. With
 * `leave` it ends the session too. What comes too late is kept as unsettled.
 */
export async function save(context: WriterContext, save: Save & Stamp): Promise<Saved | Refusal> {
  // Most of it is held in memory: what need not be waited for is not, on the way of every save.
  const found = heldSessionWithPlayer(context, save.session) ?? (await readSessionWithPlayer(context, save.session));
  const { session, player } = checkWhose(found, save);
  const environment = context.environments.get(save.environment) ?? (await environmentOf(context, save.environment));
  // Tells contents apart: the same number may only stand for the same save.
  const digest = save.digest ?? digestOfSave(save.transactions, save.leave);
  const newestStart =
    session.instance === null ? undefined : await context.instances.newestOf(session.environment, session.host);
  const kept = isKnownNumber(save, session) ? await outcomeOf(context, session, save.number) : undefined;
  const decision = decide(session, save, digest, newestStart, kept);
  if ((save.triesFailed ?? 0) > 0) await noteTries(context, session, player, save);
  if (decision.do === 'again') {
    return answer(context, environment, session, player, { ...toldAgain(decision.outcome), isAgain: true }, save);
  }
  if (decision.do === 'refuse') return tooLate(context, session, player.id, save, decision.refusal);

  const isBoundKnown = save.device === null || context.heldWritten.of(player.number) !== undefined;
  if (!isBoundKnown) await holdWritten(context, player.number);
  const forgetting = takeAnswered(context, session, save.answered);
  if (forgetting !== undefined) await forgetting;
  if (save.number !== null && !hasNothingAside(session, save.number)) await putAside(context, session, save.number);
  const newest = context.manifests.keptNewestOf(environment) ?? (await context.manifests.newestOf(environment));
  const { manifest } = newest.rules;
  const speaksNewest = session.manifest_version === newest.version;
  const spoken = speaksNewest ? undefined : await spokenBy(context, environment, session, newest);
  const records =
    RecordsInWork.ofHeld(context, player, manifest) ??
    (await RecordsInWork.load(context, player, manifest, player.seen));
  let unsettled: UnsettledInWork | undefined;
  const { outcomes, results, touched, rules } = await applyTransactions(
    context,
    records,
    newest.rules,
    player,
    save.transactions,
    {
      environment,
      session: session.id,
      saveNumber: save.number,
      by: session.host,
      spoken,
      earliest: session.joined_at,
      now: save.now,
      agesBy: save.agesBy,
      byPlayer: save.device !== null,
      // The game was told that it would hold: a person decides.
      keep: (unapplied) => {
        unsettled ??= new UnsettledInWork(context, session, { number: save.number ?? 0, digest, now: save.now });
        return unsettled.keep(unapplied);
      },
    },
  );
  await records.writeFor(player, save.now);
  if (unsettled !== undefined) await unsettled.write();
  const keys = new Set([...touched, ...(save.seen === null ? [] : records.changedSince(save.seen))]);
  const told = JSON.stringify({
    number: save.number,
    seen: player.seen,
    transactions: outcomes,
    records: recordsUnder(keys, records, rules, spoken, save.device !== null),
  } satisfies SaveOutcome);
  // What is answered beside the outcome is looked up again from this.
  const outcome = results.length === 0 ? told : `${told}${recordSeparator}${JSON.stringify(results)}`;
  // Of a session its last outcome stays: what it is longer than the one before is kept beside the records.
  const longer = save.leave ? outcome.length : Math.max(outcome.length - (session.last_outcome?.length ?? 0), 0);
  if (save.device !== null) await boundWhatPlayersWrite(context, player, records, longer, save.now);
  keepOutcome(context, session, save, digest, outcome);
  if (save.leave) await leave(context, session, player, save.now, outcome);
  else context.heldSessions.keep(session.id, heldSession(session, player));
  if (save.leave || outcomes.some(({ applied }) => !applied)) {
    await noteSaved(context, session, player, save, outcomes);
  }
  const read = attributeKeys(manifest);
  const attributes =
    read.size > 0 && [...touched].some((key) => read.has(key)) ? attributesFromRecords(records.records, rules) : null;
  return answer(context, environment, session, player, { outcome: told, results, attributes, isAgain: false }, save);
}

/** Plain saves are counted by who answers them; those in which something was refused are noted, and so is a leave. */
async function noteSaved(
  context: WriterContext,
  session: SavingSession,
  player: SavingPlayer,
  save: Save & Stamp,
  outcomes: readonly TransactionOutcome[],
): Promise<void> {
  const problems = outcomes.flatMap((one) => (one.applied ? [] : [one.problem]));
  const about = { environment: save.environment, device: session.device, now: save.now };
  const line = { by: session.host, player: player.id };
  if (problems.length > 0) {
    const keys = problems.map(({ code, key }) => (key === undefined ? code : `${code} (${key})`));
    const words = [...new Set(keys)].slice(0, mostProblemsNoted).join(', ');
    const detail = `save ${save.number ?? '–'}: ${problems.length} of ${outcomes.length} transactions refused: ${words}`;
    await notePlay(context, about, { ...line, what: 'save-refused', detail });
  }
  if (save.leave) {
    const saves = session.next_save - 1;
    await notePlay(context, about, {
      ...line,
      what: 'left',
      detail: saves === 1 ? 'after 1 save' : `after ${saves} saves`,
    });
  }
}

async function noteTries(
  context: WriterContext,
  session: SavingSession,
  player: SavingPlayer,
  { environment, number, triesFailed = 0, now }: Save & Stamp,
): Promise<void> {
  const about = { environment, device: session.device, now };
  const what = number === null ? 'leave' : `save ${number}`;
  const detail = `${what}: ${triesInWords(triesFailed)}`;
  await notePlay(context, about, { what: 'tries-failed', by: session.host, player: player.id, detail });
}

/** How many tries failed before one was answered. */
export function triesInWords(failed: number): string {
  return failed === 1 ? '1 try had failed before' : `${failed} tries had failed before`;
}

const mostProblemsNoted = 5;

/** What no JSON text holds by itself: between an outcome and what became of its results. */
const recordSeparator = '\u001e';

const savingSession = keptQuery((db, id: string) =>
  db
    .selectFrom('sessions')
    .innerJoin('players', 'players.number', 'sessions.player')
    .select(['sessions.id', 'sessions.environment', 'player', 'host', 'instance', 'device', 'manifest_version'])
    .select(['joined_at', 'ended_at', 'end', 'next_save', 'last_digest', 'last_outcome', 'leave_outcome'])
    .select(['answered', 'outcomes_from', 'outcomes_bytes', 'players.id as player_id', 'players.seen'])
    .where('sessions.id', '=', id),
);

const keepAnswer = keptWrite(
  (
    db,
    next_save: number,
    last_saved_at: number,
    last_digest: string,
    last_outcome: string,
    answered: number | null,
    outcomes_from: number | null,
    outcomes_bytes: number,
    id: string,
  ) =>
    db
      .updateTable('sessions')
      .set({ next_save, last_saved_at, last_digest, last_outcome, answered, outcomes_from, outcomes_bytes })
      .where('id', '=', id),
);

const keepLeave = keptQuery(
  (
    db,
    leave_outcome: string,
    answered: number | null,
    outcomes_from: number | null,
    outcomes_bytes: number,
    id: string,
  ) => db.updateTable('sessions').set({ leave_outcome, answered, outcomes_from, outcomes_bytes }).where('id', '=', id),
);

const setLeft = keptQuery((db, last_left_at: number, number: number) =>
  db.updateTable('players').set({ last_left_at }).where('number', '=', number),
);

function checkWhose(found: SessionWithPlayer | undefined, save: Save): SessionWithPlayer {
  const { environment, session: id, device, owner = null } = save;
  if (found?.session.environment !== environment || !maySaveIn(found.session, found.player.id, device, owner))
    throw sessionUnknown(id);
  return found;
}

/** A session as this command may change it, and whose it is. */
interface SessionWithPlayer {
  readonly session: SavingSession;
  readonly player: SavingPlayer;
}

function heldSessionWithPlayer(context: WriterContext, id: string): SessionWithPlayer | undefined {
  const known = context.heldSessions.of(id);
  const seen = known && context.held.of(known.player.number)?.seen;
  if (known === undefined || seen === undefined) return undefined;
  const { session, player } = known;
  const { number, id: name } = player;
  return {
    session: takenOver(session, context.notes),
    player: { number, environment: session.environment, id: name, seen },
  };
}

async function readSessionWithPlayer({ db }: WriterContext, id: string): Promise<SessionWithPlayer | undefined> {
  const [found] = await savingSession(db, id);
  if (found === undefined) return undefined;
  const { player_id, seen, ...session } = found;
  return { session, player: { number: session.player, environment: session.environment, id: player_id, seen } };
}

type Decision =
  | { readonly do: 'apply' }
  | { readonly do: 'again'; readonly outcome: string }
  | { readonly do: 'refuse'; readonly refusal: Refusal };

function isKnownNumber(save: Save, session: SavingSession): save is Save & { readonly number: number } {
  return save.number !== null && save.number < session.next_save;
}

/**
 * @param newestStart of the session's host; undefined where none is known
 * @param kept        what was answered under the save's number
 */
function decide(
  session: SavingSession,
  save: Save,
  digest: string,
  newestStart: string | undefined,
  kept: AnsweredSave | undefined,
): Decision {
  const hasEnded = session.ended_at !== null;
  const isHostReplaced = newestStart !== undefined && newestStart !== session.instance;
  if (save.number === null) {
    if (session.leave_outcome !== null) return { do: 'again', outcome: session.leave_outcome };
    if (hasEnded) return { do: 'refuse', refusal: sessionEnded(session) };
    return isHostReplaced ? { do: 'refuse', refusal: hostReplaced(session.host) } : { do: 'apply' };
  }
  const decision = decideSave(
    { hasEnded, isHostReplaced, nextSave: session.next_save, keptDigest: kept?.digest ?? null },
    { number: save.number, digest },
  );
  if (decision.do === 'apply') return decision;
  if (decision.do === 'again') return { do: 'again', outcome: kept?.outcome ?? '' };
  return { do: 'refuse', refusal: refusalFor(decision.code, session, save.number) };
}

function refusalFor(code: SaveRefusal, session: SavingSession, number: number): Refusal {
  const { next_save: expected } = session;
  switch (code) {
    case 'session-ended':
      return sessionEnded(session);
    case 'host-replaced':
      return hostReplaced(session.host);
    case 'save-differs':
      return new Refusal(
        code,
        `Save ${number} was answered with other contents: repeat it unchanged, or send ${expected}.`,
        { expected },
      );
    case 'save-out-of-order':
      return new Refusal(code, `Save ${number} is out of turn: the session expects ${expected}.`, { expected });
  }
}

/**
 * A save that nobody may apply any more: the records stay as they are, its
 * transactions are kept. However often it is sent, they are kept once.
 */
async function tooLate(
  context: WriterContext,
  session: SavingSession,
  player: string,
  save: Save & Stamp,
  refusal: Refusal,
): Promise<Refusal> {
  const isLate = refusal.code === 'session-ended' || refusal.code === 'host-replaced';
  // A number from before the end was answered long ago: it is no late save.
  if (!isLate || save.number === null) return refusal;
  if (save.number < session.next_save) {
    return new Refusal(refusal.code, refusal.detail, { ...refusal.facts, expected: session.next_save });
  }
  if (save.transactions.length === 0) return refusal;
  // What a leave held comes from the spool as a plain save: it is the same, and kept once.
  const digest = digestOfSave(save.transactions, false);
  const unsettled = await keepLate(context, session, { ...save, number: save.number }, digest, refusal);
  const about = { environment: save.environment, device: session.device, now: save.now };
  const detail = `save ${save.number}: ${refusal.code}; ${unsettled.length} transactions are kept as unsettled`;
  await notePlay(context, about, { what: 'came-late', by: session.host, player, detail });
  return new Refusal(
    refusal.code,
    `${refusal.detail} What the save held is kept as unsettled, until a person deals with it.`,
    { ...refusal.facts, unsettled },
  );
}

const lateSave = keptQuery((db, session: string, number: number, digest: string) =>
  db
    .selectFrom('late_saves')
    .select('unsettled')
    .where('session', '=', session)
    .where('number', '=', number)
    .where('digest', 'in', ['', digest]),
);

async function keepLate(
  context: WriterContext,
  session: SavingSession,
  { number, transactions, now }: { number: number; transactions: readonly Transaction[]; now: number },
  digest: string,
  { code: reason, detail }: Refusal,
): Promise<readonly string[]> {
  const { db } = context;
  const [before] = await lateSave(db, session.id, number, digest);
  if (before !== undefined) return JSON.parse(before.unsettled) as string[];
  const work = new UnsettledInWork(context, session, { number, digest, now });
  const ids: string[] = [];
  for (const [position, transaction] of transactions.entries()) {
    ids.push(await work.keep({ position, transaction, reason, detail }));
  }
  await work.write();
  const row = { session: session.id, number, digest, unsettled: JSON.stringify(ids), at: now };
  await db.insertInto('late_saves').values(row).execute();
  return ids;
}

function keepOutcome(
  context: WriterContext,
  session: SavingSession,
  { number, now }: Save & Stamp,
  digest: string,
  outcome: string,
): void {
  if (number === null) return;
  session.next_save = number + 1;
  session.last_digest = digest;
  session.last_outcome = outcome;
  const { next_save, answered, outcomes_from, outcomes_bytes } = session;
  keepAnswer(context, next_save, now, digest, outcome, answered, outcomes_from, outcomes_bytes, session.id);
}

async function leave(
  context: WriterContext,
  session: SavingSession,
  player: SavingPlayer,
  now: number,
  outcome: string,
): Promise<void> {
  const { db } = context;
  const { answered, outcomes_from, outcomes_bytes } = session;
  session.ended_at = now;
  await keepLeave(db, outcome, answered, outcomes_from, outcomes_bytes, session.id);
  await endSession(context, session, player, 'left', null, now);
  await setLeft(db, now, player.number);
}

/** What a save that was applied before is answered again. */
function toldAgain(kept: string): Pick<Saved, 'outcome' | 'results' | 'attributes'> {
  const [outcome = '', results = '[]'] = kept.split(recordSeparator);
  return { outcome, results: JSON.parse(results) as readonly ResultTaken[], attributes: null };
}

function answer(
  { leases }: WriterContext,
  environment: EnvironmentRow,
  session: SavingSession,
  player: SavingPlayer,
  told: Pick<Saved, 'outcome' | 'results' | 'attributes' | 'isAgain'>,
  { monotonic }: Stamp,
): Saved {
  const isOpen = session.ended_at === null;
  const { outcome, results, attributes, isAgain } = told;
  return {
    outcome,
    results,
    attributes,
    isAgain,
    player: player.id,
    host: session.host,
    leaseEnds: isOpen ? leases.renew(session.id, environment.lease_seconds, monotonic) : null,
    endedAt: session.ended_at,
  };
}
