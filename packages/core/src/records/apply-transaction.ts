import { equalJson, type Json } from '../json.js';
import { renameFields, renamePointer } from '../manifest/former-names.js';
import { learnFrom, withLearned } from '../manifest/learn.js';
import type { InventoryValue, Manifest, RecordDeclaration } from '../manifest/manifest.js';
import type { OlderVersion } from '../manifest/older-version.js';
import {
  isWide,
  type Change,
  type Op,
  type RecordChange,
  type Submit,
  type Transaction,
  type WideChange,
} from './change.js';
import {
  makeCheckpoint,
  restoreCheckpoint,
  type Checkpoint,
  type CheckpointsAtHand,
  type MadeCheckpoint,
} from './checkpoints.js';
import { changeBalance, type CreditedSince } from './currency-changes.js';
import { checkFamilyRoom } from './family-room.js';
import { changeInventory, inventoryWith } from './inventory-changes.js';
import { isProblem, problem, type ChangeProblem, type OrProblem } from '../keys/problem.js';
import { changeProgress, checkRevision } from './progress-changes.js';
import { readRecord } from './read-record.js';
import { declarationOf, type DeclaredKey } from '../manifest/declaration-of.js';
import { declaredPart } from '../keys/record-key.js';
import type { LedgerLine, Records, StoredRecord, Trashed } from './record.js';
import type { Rules } from './rules.js';
import { startingLine } from './starting-line.js';
import { keysToReset, resetRecord } from './starting-over.js';
import { submitResult, type ScoreValue } from './score-changes.js';

/** What is known of a player and of who changes their records, beyond the records. */
export interface Circumstances {
  /** The older manifest version that the sender speaks; the newest if left out. */
  readonly spoken?: OlderVersion | undefined;
  /** Left out where the ledger is not at hand: limits on credits are then left to the service. */
  readonly creditedSince?: CreditedSince | undefined;
  /** Left out where none is known: what is done with them is left to the service. */
  readonly checkpoints?: CheckpointsAtHand | undefined;
  /** The player's own device sends it: only what the manifest lets players write is theirs to change. */
  readonly byPlayer?: boolean | undefined;
}

export interface Applied {
  readonly applied: true;
  /** The records that hold something else than before. */
  readonly changed: Records;
  /** Every key that a change named or reached, changed or not, under the names of now. */
  readonly touched: ReadonlySet<string>;
  readonly ledger: readonly LedgerLine[];
  /** What was there before it was removed or put back to its start. */
  readonly trash: readonly Trashed[];
  /** The checkpoints that it made. */
  readonly checkpoints: readonly MadeCheckpoint[];
  /** The results that it submitted, in order, under the keys of now. */
  readonly results: readonly Submit[];
  /** It did what only the service can: load a checkpoint that is not at hand. */
  readonly isForService: boolean;
  /** It started over, or loaded a checkpoint: what was done once in the run before may be done again. */
  readonly forgetsOnce: boolean;
  /** The manifest with what was learned on the way; undefined if nothing was. */
  readonly learned?: Manifest;
}

export interface Refused {
  readonly applied: false;
  /** `change` is the index of the change that met the problem. */
  readonly problem: ChangeProblem & { readonly change: number };
}

const opsOfKind: { readonly [kind in RecordDeclaration['kind']]: readonly Op[] } = {
  progress: ['put', 'merge', 'remove', 'increase', 'outdo', 'collect', 'discard', 'reset'],
  preference: ['put', 'remove', 'reset'],
  currency: ['credit', 'debit', 'reset'],
  inventory: ['gain', 'lose', 'alter', 'reset'],
  score: ['submit', 'reset'],
};

/** What a transaction has done so far. */
interface Work {
  rules: Rules;
  readonly records: Records;
  readonly circumstances: Circumstances;
  /** RFC 3339. */
  readonly at: string;
  readonly changed: Map<string, StoredRecord>;
  readonly touched: Set<string>;
  readonly ledger: LedgerLine[];
  readonly trash: Trashed[];
  readonly made: MadeCheckpoint[];
  readonly results: Submit[];
  /** With those that it made; made when it is first asked for. */
  checkpoints: Map<string, Checkpoint> | undefined;
  isForService: boolean;
  forgetsOnce: boolean;
  hasLearned: boolean;
}

/**
 * Applies one transaction to a player's records: all of it, or none.
 *
 * @param records     the player's records as stored; not changed
 * @param transaction what to apply, in order
 * @param rules       what the game declares, and the schema check
 * @param at          when, RFC 3339 in UTC: the time that scores are stamped with
 * @param circumstances what is known beyond the records
 * @returns the records that changed and the ledger lines it wrote, or the
 *   first problem, with the index of the change that met it
 */
export function applyTransaction(
  records: Records,
  transaction: Transaction,
  rules: Rules,
  at: string,
  circumstances: Circumstances = {},
): Applied | Refused {
  const work: Work = {
    rules,
    records,
    circumstances,
    at,
    changed: new Map(),
    touched: new Set(),
    ledger: [],
    trash: [],
    made: [],
    results: [],
    checkpoints: undefined,
    isForService: false,
    forgetsOnce: false,
    hasLearned: false,
  };
  for (const [index, change] of transaction.changes.entries()) {
    const met = applyChange(change, work);
    if (met !== undefined) {
      const key = 'key' in change ? { key: change.key } : {};
      return { applied: false, problem: { ...key, ...met, change: index } };
    }
  }
  const { changed, touched, ledger, trash, made: checkpoints, results, isForService, forgetsOnce } = work;
  return {
    applied: true,
    changed,
    touched,
    ledger,
    trash,
    checkpoints,
    results,
    isForService,
    forgetsOnce,
    ...(work.hasLearned && { learned: work.rules.manifest }),
  };
}

function stored(key: string, { changed, records }: Work): StoredRecord | undefined {
  return changed.get(key) ?? records.get(key);
}

function allKeys({ changed, records }: Work): ReadonlySet<string> {
  return new Set([...records.keys(), ...changed.keys()]);
}

/** @returns the problem that it meets */
function applyChange(change: Change, work: Work): ChangeProblem | undefined {
  if (isWide(change)) return applyWide(change, work);
  const declared = learnOrFind(change, work);
  if (isProblem(declared)) return declared.problem;
  const { declaration } = declared;
  const notTheirs = checkPlayers(declared.key, work);
  if (notTheirs !== undefined) return notTheirs;
  if (!opsOfKind[declaration.kind].includes(change.op)) {
    return problem(
      'op-not-for-kind',
      `A ${declaration.kind} doesn't know ${change.op}: it takes ${opsOfKind[declaration.kind].join(', ')}.`,
    ).problem;
  }
  work.touched.add(declared.key);
  return applyTo(inNamesOfNow(change, declared), declared, work);
}

/** What the manifest declares for the key of a change; in an environment that learns, what the change tells of it. */
function learnOrFind(change: RecordChange, work: Work): OrProblem<DeclaredKey> {
  const declared = declarationOf(change.key, work.rules.manifest);
  const isUnknown = isProblem(declared) ? declared.problem.code === 'key-not-declared' : change.op === 'gain';
  if (!isUnknown || work.rules.learns !== true) return declared;
  const learned = learnFrom(change, work.rules.manifest);
  if (learned === undefined) return declared;
  work.rules = { ...work.rules, manifest: withLearned(work.rules.manifest, learned) };
  work.hasLearned = true;
  return declarationOf(change.key, work.rules.manifest);
}

/** The change under the names that the manifest declares now, whichever it was sent under. */
function inNamesOfNow(change: RecordChange, { key, declaration }: DeclaredKey): RecordChange {
  if (declaration.kind !== 'progress' && declaration.kind !== 'preference') return { ...change, key };
  if (change.op === 'put' || change.op === 'merge') {
    return { ...change, key, value: renameFields(change.value, declaration.schema) };
  }
  return 'path' in change
    ? { ...change, key, path: renamePointer(change.path, declaration.schema) }
    : { ...change, key };
}

function applyTo(change: RecordChange, declared: DeclaredKey, work: Work): ChangeProblem | undefined {
  const { declaration } = declared;
  const held = stored(change.key, work);
  if ((held === undefined || held.removed === true) && change.op !== 'remove') {
    const full = checkFamilyRoom(declared, allKeys(work), (key) => stored(key, work));
    if (full !== undefined) return full;
  }
  const current = readRecord(held, declaration, work.rules);
  const notReady = checkMisfit(change, current, declared, work) ?? checkGuard(change, current);
  if (notReady !== undefined) return notReady;
  if (change.op === 'remove') {
    if (held === undefined || held.removed === true) return undefined;
    work.trash.push({ key: change.key, record: held, by: 'remove' });
    work.changed.set(change.key, { revision: held.revision + 1, value: null, removed: true });
    return undefined;
  }
  const outcome = valueAfter(change, current, declared, work);
  if (isProblem(outcome)) return outcome.problem;
  if (change.op === 'submit') work.results.push(change);
  if (outcome.line !== undefined) work.ledger.push(...withStartingLine(outcome.line, held, declaration));
  // An equal value makes no revision; but a first put makes the record, whatever it holds.
  const isSame = held !== undefined && held.removed !== true && equalJson(outcome.value, held.value);
  if (!isSame) work.changed.set(change.key, { revision: current.revision + 1, value: outcome.value });
  return undefined;
}

/** What is the host's alone is not for a player to change. */
function checkPlayers(key: string, { circumstances, rules }: Work): ChangeProblem | undefined {
  if (circumstances.byPlayer !== true || rules.manifest.records[declaredPart(key)]?.player === 'write')
    return undefined;
  return problem(
    'not-for-players',
    `${key} belongs to the game's servers: players may write only what the manifest declares with "player: write".`,
    { key },
  ).problem;
}

function applyWide(change: WideChange, work: Work): ChangeProblem | undefined {
  switch (change.op) {
    case 'start-over':
    case 'reset':
      return startOver(change, work);
    case 'checkpoint':
    case 'restore': {
      const { circumstances, rules } = work;
      if (circumstances.byPlayer === true && rules.manifest.checkpoints?.by === 'host') {
        return problem(
          'not-for-players',
          'Checkpoints are made and loaded by the game\'s servers: see "by" under checkpoints in the manifest.',
        ).problem;
      }
      return change.op === 'checkpoint' ? saveHere(change, work) : load(change, work);
    }
  }
}

/** What is known of checkpoints, with those that this transaction made. */
function checkpointsAtHand(work: Work): CheckpointsAtHand & { readonly byName: Map<string, Checkpoint> } {
  const { areAll = false, seen = 0, outsideSince = () => [], byName } = work.circumstances.checkpoints ?? {};
  work.checkpoints ??= new Map(byName);
  return { byName: work.checkpoints, areAll, seen, outsideSince };
}

function saveHere(change: Extract<Change, { op: 'checkpoint' }>, work: Work): ChangeProblem | undefined {
  const now = new Map([...work.records, ...work.changed]);
  const atHand = checkpointsAtHand(work);
  const made = makeCheckpoint(change, now, atHand, work.rules, work.at);
  if (isProblem(made)) return made.problem;
  if (made.instead !== undefined) atHand.byName.delete(made.instead);
  atHand.byName.set(change.name, made.checkpoint);
  work.made.push(made);
  return undefined;
}

function load(change: Extract<Change, { op: 'restore' }>, work: Work): ChangeProblem | undefined {
  const now = new Map([...work.records, ...work.changed]);
  const restored = restoreCheckpoint(change, now, checkpointsAtHand(work), work.rules);
  work.forgetsOnce = true;
  if (restored === undefined) {
    work.isForService = true;
    return undefined;
  }
  if (isProblem(restored)) return restored.problem;
  for (const key of restored.touched) work.touched.add(key);
  for (const [key, record] of restored.changed) work.changed.set(key, record);
  work.ledger.push(...restored.ledger);
  work.trash.push(...restored.trash);
  return undefined;
}

function startOver(change: Extract<Change, { op: 'start-over' | 'reset' }>, work: Work): ChangeProblem | undefined {
  const { manifest } = work.rules;
  const keys = keysToReset(change, [...allKeys(work)], manifest);
  if (isProblem(keys)) return keys.problem;
  if (change.op === 'start-over') work.forgetsOnce = true;
  for (const key of keys.keys) {
    const declared = declarationOf(key, manifest);
    const held = stored(key, work);
    if (isProblem(declared) || held === undefined) continue;
    work.touched.add(key);
    const reset = resetRecord(key, held, declared.declaration, work.rules, change.op);
    if (reset === undefined) continue;
    const notTheirs = checkPlayers(key, work);
    if (notTheirs !== undefined) return notTheirs;
    work.trash.push({ key, record: held, by: change.op });
    work.changed.set(key, reset.record);
    if (reset.line !== undefined) work.ledger.push(reset.line);
  }
  return undefined;
}

/** A value that does not fit is replaced only by somebody who says that they know it. */
function checkMisfit(
  change: RecordChange,
  current: StoredRecord,
  { declaration }: DeclaredKey,
  { rules, circumstances }: Work,
): ChangeProblem | undefined {
  const isKnown = (change.op === 'put' || change.op === 'remove') && change.ifRevision !== undefined;
  if (isKnown) return undefined;
  if (current.misfit !== true) {
    const { spoken } = circumstances;
    if (change.op !== 'put' || spoken === undefined) return undefined;
    // It fits the newest version, but the sender's own may not be able to read it.
    if (spoken.reads(change.key, current, rules)) return undefined;
  }
  const ways =
    declaration.kind === 'progress' || declaration.kind === 'preference'
      ? `put it with ifRevision ${current.revision}, or reset it`
      : 'reset it, or declare what it holds';
  return problem(
    'record-misfit',
    `What is stored under ${change.key} does not fit the manifest any more, and is kept: ${ways}.`,
  ).problem;
}

function checkGuard(change: RecordChange, current: StoredRecord): ChangeProblem | undefined {
  const isGuardable = change.op === 'put' || change.op === 'merge' || change.op === 'remove';
  return isGuardable ? checkRevision(change, current)?.problem : undefined;
}

/** A currency that was never stored starts its ledger with its starting value, so that the sum is the balance. */
function withStartingLine(
  line: LedgerLine,
  held: StoredRecord | undefined,
  declaration: RecordDeclaration,
): readonly LedgerLine[] {
  if ((held !== undefined && held.removed !== true) || declaration.kind !== 'currency') return [line];
  return [startingLine(line.key, declaration.starting), line];
}

function valueAfter(
  change: Exclude<RecordChange, { op: 'remove' }>,
  current: StoredRecord,
  declared: DeclaredKey,
  work: Work,
): OrProblem<{ readonly value: Json; readonly line?: LedgerLine }> {
  const { declaration } = declared;
  const { rules, circumstances, at } = work;
  switch (change.op) {
    case 'credit':
    case 'debit': {
      if (declaration.kind !== 'currency') break;
      const credited = circumstances.creditedSince;
      const moved = changeBalance(
        change,
        current.value as number,
        declaration,
        at,
        credited && ((key, since) => credited(key, since) + creditedIn(work.ledger, key)),
      );
      return isProblem(moved) ? moved : { value: moved.line.balance, line: moved.line };
    }
    case 'submit':
      if (declaration.kind !== 'score') break;
      return submitResult(change, current.value as ScoreValue, declaration, at);
    case 'gain':
    case 'lose':
    case 'alter': {
      if (declaration.kind !== 'inventory') break;
      const { manifest, check } = rules;
      const whereIs = (piece: string) => inventoryWith(piece, allKeys(work), (key) => stored(key, work));
      return changeInventory(change, current.value as InventoryValue, { manifest, declaration, check, whereIs });
    }
    default: {
      if (declaration.kind !== 'progress' && declaration.kind !== 'preference') break;
      return changeProgress(completed(change, current, work), current, declaration, rules.check, at);
    }
  }
  throw new TypeError(`${change.op} is not for a ${declaration.kind}`);
}

/** A `put` of an older version replaces only the fields that its version declares. */
function completed<C extends RecordChange>(change: C, current: StoredRecord, { rules, circumstances }: Work): C {
  const { spoken } = circumstances;
  if (change.op !== 'put' || spoken === undefined) return change;
  return { ...change, value: spoken.completed(change.key, change.value, current.value, rules) };
}

function creditedIn(ledger: readonly LedgerLine[], key: string): number {
  return ledger.reduce((sum, line) => (line.key === key && line.op === 'credit' ? sum + line.amount : sum), 0);
}
