import equal from 'fast-deep-equal';
import type { Json } from '../json.js';
import { fillIn, startingRecordValue } from '../manifest/starting-value.js';
import type { Manifest, RecordDeclaration } from '../manifest/manifest.js';
import type { Change, Op, Transaction } from './change.js';
import { changeBalance } from './currency-changes.js';
import { isProblem, problem, type ChangeProblem, type OrProblem } from './problem.js';
import { changeProgress, type SchemaCheck } from './progress-changes.js';
import { declarationOf, type DeclaredKey } from './record-key.js';
import type { LedgerLine, Records, StoredRecord } from './record.js';
import { startingLine } from './starting-line.js';
import { submitResult, type ScoreValue } from './score-changes.js';

/** What a transaction is judged by. */
export interface Rules {
  readonly manifest: Manifest;
  /** Left out where no validator is at hand, as in a game on a device: the service checks anyway. */
  readonly check?: SchemaCheck | undefined;
}

export interface Applied {
  readonly applied: true;
  /** The records that hold something else than before. */
  readonly changed: Records;
  readonly ledger: readonly LedgerLine[];
}

export interface Refused {
  readonly applied: false;
  /** `change` is the index of the change that met the problem. */
  readonly problem: ChangeProblem & { readonly change: number };
}

const opsOfKind: { readonly [kind in RecordDeclaration['kind']]: readonly Op[] } = {
  progress: ['put', 'merge', 'increase', 'outdo', 'collect', 'discard'],
  preference: ['put'],
  currency: ['credit', 'debit'],
  score: ['submit'],
};

/**
 * Applies one transaction to a player's records: all of it, or none.
 *
 * @param records     the player's records as stored; not changed
 * @param transaction what to apply, in order
 * @param rules       what the game declares, and the schema check
 * @param at          when, RFC 3339 in UTC: the time that scores are stamped with
 * @returns the records that changed and the ledger lines it wrote, or the
 *   first problem, with the index of the change that met it
 */
export function applyTransaction(
  records: Records,
  transaction: Transaction,
  rules: Rules,
  at: string,
): Applied | Refused {
  const changed = new Map<string, StoredRecord>();
  const ledger: LedgerLine[] = [];
  for (const [index, change] of transaction.changes.entries()) {
    const outcome = applyChange(change, records, changed, rules, at);
    if (isProblem(outcome)) {
      return { applied: false, problem: { key: change.key, ...outcome.problem, change: index } };
    }
    ledger.push(...(outcome.lines ?? []));
    if (outcome.record !== undefined) changed.set(change.key, outcome.record);
  }
  return { applied: true, changed, ledger };
}

/**
 * A record as the rules read it: what is stored with missing fields filled
 * in, or the starting value at revision 0.
 */
export function readRecord(stored: StoredRecord | undefined, declaration: RecordDeclaration): StoredRecord {
  if (stored === undefined) return { revision: 0, value: startingRecordValue(declaration) };
  if (declaration.kind === 'currency' || declaration.kind === 'score') return stored;
  const value = fillIn(stored.value, declaration.schema);
  return value === stored.value ? stored : { revision: stored.revision, value };
}

function applyChange(
  change: Change,
  records: Records,
  changed: Records,
  rules: Rules,
  at: string,
): OrProblem<{ readonly record?: StoredRecord; readonly lines?: readonly LedgerLine[] }> {
  const declared = declarationOf(change.key, rules.manifest);
  if (isProblem(declared)) return declared;
  const { declaration } = declared;
  if (!opsOfKind[declaration.kind].includes(change.op)) {
    return problem(
      'op-not-for-kind',
      `A ${declaration.kind} doesn't know ${change.op}: it takes ${opsOfKind[declaration.kind].join(', ')}.`,
    );
  }
  const stored = changed.get(change.key) ?? records.get(change.key);
  if (stored === undefined) {
    const full = checkFamilyRoom(declared, records, changed);
    if (full !== undefined) return full;
  }
  const current = readRecord(stored, declaration);
  const outcome = valueAfter(change, current, declared, rules, at);
  if (isProblem(outcome)) return outcome;
  // An equal value makes no revision; but a first put makes the record, whatever it holds.
  const isSame = stored !== undefined && equal(outcome.value, stored.value);
  return {
    ...(outcome.line !== undefined && { lines: withStartingLine(outcome.line, stored, declaration) }),
    ...(!isSame && { record: { revision: current.revision + 1, value: outcome.value } }),
  };
}

/** A currency that was never stored starts its ledger with its starting value, so that the sum is the balance. */
function withStartingLine(
  line: LedgerLine,
  stored: StoredRecord | undefined,
  declaration: RecordDeclaration,
): readonly LedgerLine[] {
  if (stored !== undefined || declaration.kind !== 'currency') return [line];
  return [startingLine(line.key, declaration.starting), line];
}

function valueAfter(
  change: Change,
  current: StoredRecord,
  declared: DeclaredKey,
  rules: Rules,
  at: string,
): OrProblem<{ readonly value: Json; readonly line?: LedgerLine }> {
  const { declaration } = declared;
  if (declaration.kind === 'currency') {
    if (change.op !== 'credit' && change.op !== 'debit') throw new TypeError(`${change.op} is not for a currency`);
    const moved = changeBalance(change, current.value as number, declaration);
    return isProblem(moved) ? moved : { value: moved.line.balance, line: moved.line };
  }
  if (declaration.kind === 'score') {
    if (change.op !== 'submit') throw new TypeError(`${change.op} is not for a score`);
    return submitResult(change, current.value as ScoreValue, declaration, at);
  }
  if (change.op === 'submit' || change.op === 'credit' || change.op === 'debit') {
    throw new TypeError(`${change.op} is not for a ${declaration.kind}`);
  }
  return changeProgress(change, current, declared.declared, declaration, rules.check);
}

/** A family that is full takes no further member. */
function checkFamilyRoom(declared: DeclaredKey, records: Records, changed: Records): OrProblem<never> | undefined {
  const { family } = declared.declaration;
  if (family === undefined) return undefined;
  const members = new Set<string>();
  for (const key of [...records.keys(), ...changed.keys()]) {
    if (key.startsWith(`${declared.declared}/`)) members.add(key);
  }
  if (members.size < family.atMost) return undefined;
  return problem(
    'family-full',
    `The player holds ${members.size} of ${declared.declared} already, and the manifest allows ${family.atMost}: remove one first.`,
  );
}
