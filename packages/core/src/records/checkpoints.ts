import { equalJson } from '../json.js';
import { currentKey } from '../manifest/former-names.js';
import type { CurrencyDeclaration, InventoryValue, Manifest } from '../manifest/manifest.js';
import type { Rules } from './rules.js';
import type { MakeCheckpoint, Restore } from './change.js';
import { beforeItWasStored, withOutside, type OutsideChange } from './outside-changes.js';
import { problem, type ChangeProblem, type OrProblem } from '../keys/problem.js';
import { declaredPart } from '../keys/record-key.js';
import type { LedgerLine, Records, StoredRecord, Trashed } from './record.js';
import { startingLine } from './starting-line.js';
import { underCurrentKeys } from './starting-records.js';

/** A named copy of a player's records at one moment, made by the game. */
export interface Checkpoint {
  readonly name: string;
  /** One line, as the game wrote it. */
  readonly summary: string | null;
  /** When it was made, RFC 3339. */
  readonly at: string;
  /** The player's last commit before it: what came from outside later survives a restore. */
  readonly seen: number;
  /** What it holds; undefined where only the list is at hand. */
  readonly records: Records | undefined;
}

/** What is known of a player's checkpoints. */
export interface CheckpointsAtHand {
  readonly byName: ReadonlyMap<string, Checkpoint>;
  /** Are these all that there are? Else what is not here is left to the service. */
  readonly areAll: boolean;
  /** The player's last commit. */
  readonly seen: number;
  /** What was changed from outside after a commit, in order. */
  readonly outsideSince: (seen: number) => readonly OutsideChange[];
}

/** What making a checkpoint leads to. */
export interface MadeCheckpoint {
  readonly checkpoint: Checkpoint;
  /** The one that it takes the place of. */
  readonly instead: string | undefined;
}

/** The copy that "save here" makes, or why it can't be made. */
export function makeCheckpoint(
  { name, summary, instead }: MakeCheckpoint,
  records: Records,
  { byName, areAll, seen }: CheckpointsAtHand,
  { manifest }: Rules,
  at: string,
): OrProblem<MadeCheckpoint> {
  const declared = manifest.checkpoints;
  if (declared === undefined) return notDeclared();
  if (instead !== undefined && areAll && !byName.has(instead)) return unknown(instead, byName);
  const taken = byName.get(name);
  if (taken !== undefined && instead !== name) {
    return problem(
      'checkpoint-exists',
      `There is a checkpoint "${name}" already, of ${taken.at}: choose another name, or say instead: "${name}" to give that one up.`,
      { checkpoints: [...byName.keys()] },
    );
  }
  const count = byName.size + (instead === undefined || !byName.has(instead) ? 1 : 0);
  if (areAll && count > declared.atMost) {
    return problem(
      'checkpoints-full',
      `The player has ${byName.size} checkpoints, and the manifest allows ${declared.atMost}: which is to be given up for "${name}"? Say it as instead; there are ${listed(byName)}.`,
      { checkpoints: [...byName.keys()] },
    );
  }
  const copied = new Map<string, StoredRecord>();
  for (const [key, record] of records) {
    if (record.removed !== true && isUnderCheckpoints(key, manifest)) copied.set(key, record);
  }
  return { checkpoint: { name, summary: summary ?? null, at, seen, records: copied }, instead };
}

/** What loading a checkpoint leads to. */
export interface Restored {
  readonly changed: Records;
  /** Every key that it reached. */
  readonly touched: readonly string[];
  readonly ledger: readonly LedgerLine[];
  /** What was there before. */
  readonly trash: readonly Trashed[];
}

/**
 * Brings back what a checkpoint holds: each record as it was, with what came
 * from outside since applied to it again, whatever its bounds. Currencies move
 * by ledger lines. What the manifest does not put under checkpoints stays.
 *
 * @returns undefined where what it holds is not at hand, and the service decides
 */
export function restoreCheckpoint(
  { name }: Restore,
  records: Records,
  { byName, areAll, outsideSince }: CheckpointsAtHand,
  rules: Rules,
): OrProblem<Restored> | undefined {
  if (rules.manifest.checkpoints === undefined) return notDeclared();
  const checkpoint = byName.get(name);
  if (checkpoint === undefined && areAll) return unknown(name, byName);
  if (checkpoint?.records === undefined) return undefined;
  const { manifest } = rules;
  return restored(checkpoint.records, records, outsideSince(checkpoint.seen), rules, {
    name,
    reaches: (key) => isUnderCheckpoints(key, manifest),
  });
}

/**
 * Brings back what a copy holds.
 *
 * @param copied  the records as they were
 * @param records as they are
 * @param outside what came from outside since
 * @param reaches which records are turned back
 */
export function restored(
  copied: Records,
  records: Records,
  outside: readonly OutsideChange[],
  rules: Rules,
  { name, reaches }: { readonly name: string; readonly reaches: (key: string) => boolean },
): Restored {
  const held = underCurrentKeys(copied, rules.manifest);
  const back: { changed: Map<string, StoredRecord>; touched: string[]; ledger: LedgerLine[]; trash: Trashed[] } = {
    changed: new Map(),
    touched: [],
    ledger: [],
    trash: [],
  };
  const keys = [...new Set([...records.keys(), ...held.keys()])].filter(reaches);
  const elsewhere = piecesElsewhere(records, new Set(keys));
  for (const key of keys) {
    const declaration = rules.manifest.records[declaredPart(key)];
    if (declaration === undefined) continue;
    back.touched.push(key);
    const now = records.get(key);
    const then = withoutPieces(held.get(key) ?? beforeItWasStored(declaration), elsewhere);
    const value = withOutside(key, then, declaration, outside, rules);
    if (value.removed === true ? now === undefined || now.removed === true : isHeld(now, value)) continue;
    back.changed.set(key, { ...value, revision: (now?.revision ?? 0) + 1 });
    if (now !== undefined && now.removed !== true) back.trash.push({ key, record: now, by: 'restore' });
    if (declaration.kind === 'currency') back.ledger.push(...linesFor(key, now, value, declaration, name));
  }
  return back;
}

/**
 * Brings a player's records back as they were at a moment.
 *
 * @param then   the records as they were
 * @param now    as they are
 * @param when   the moment, as a person reads it
 * @param chosen only these, under the keys of now; null for all that are declared
 */
export function turnedBack(
  then: Records,
  now: Records,
  rules: Rules,
  when: string,
  chosen: readonly string[] | null,
): Restored {
  const reaches = (key: string) =>
    rules.manifest.records[declaredPart(key)] !== undefined && (chosen === null || chosen.includes(key));
  return restored(then, now, [], rules, { name: when, reaches });
}

/**
 * Brings back what a checkpoint holds because a person wants it: of a copy that
 * an operator made everything that is declared, of a game's own what it holds.
 *
 * @param outside what came from outside since, which stays
 */
export function restoredByPerson(
  copied: Records,
  now: Records,
  outside: readonly OutsideChange[],
  rules: Rules,
  { name, byOperator }: { readonly name: string; readonly byOperator: boolean },
): Restored {
  const held = new Set([...copied.keys()].map(declaredPart));
  const reaches = (key: string) =>
    byOperator ? rules.manifest.records[declaredPart(key)] !== undefined : held.has(declaredPart(key));
  return restored(copied, now, outside, rules, { name, reaches });
}

function isHeld(now: StoredRecord | undefined, { value }: StoredRecord): boolean {
  return now !== undefined && now.removed !== true && equalJson(now.value, value);
}

function linesFor(
  key: string,
  now: StoredRecord | undefined,
  { value }: StoredRecord,
  declaration: CurrencyDeclaration,
  name: string,
): readonly LedgerLine[] {
  const isThere = now !== undefined && now.removed !== true;
  const from = isThere ? Number(now.value) : declaration.starting;
  const balance = Number(value);
  const line = {
    key,
    op: 'restore' as const,
    amount: balance - from,
    balance,
    reason: `restored "${name}"`.slice(0, 200),
    count: 1,
  };
  return isThere ? [line] : [startingLine(key, declaration.starting), line];
}

/** Is a record among those that checkpoints copy and bring back? */
function isUnderCheckpoints(key: string, manifest: Manifest): boolean {
  return manifest.checkpoints?.records.some((one) => currentKey(one, manifest) === declaredPart(key)) === true;
}

/** Pieces that lie where no restore reaches: brought back, they would be there twice. */
function piecesElsewhere(records: Records, restored: ReadonlySet<string>): ReadonlySet<string> {
  const pieces = new Set<string>();
  for (const [key, { value, removed }] of records) {
    if (removed === true || restored.has(key) || !key.startsWith('inventory/')) continue;
    for (const piece of Object.keys((value as InventoryValue).pieces)) pieces.add(piece);
  }
  return pieces;
}

function withoutPieces(record: StoredRecord, elsewhere: ReadonlySet<string>): StoredRecord {
  const value = record.value as Partial<InventoryValue> | null;
  if (elsewhere.size === 0 || record.removed === true || value?.pieces === undefined) return record;
  const pieces = Object.fromEntries(Object.entries(value.pieces).filter(([piece]) => !elsewhere.has(piece)));
  return { ...record, value: { ...value, pieces } as StoredRecord['value'] };
}

function notDeclared() {
  return problem(
    'checkpoints-not-declared',
    'The manifest declares no checkpoints: add "checkpoints: { records: [ … ] }", with what a checkpoint is to hold.',
  );
}

function unknown(name: string, byName: CheckpointsAtHand['byName']): { readonly problem: ChangeProblem } {
  const there = byName.size === 0 ? 'there is none yet' : `there are ${listed(byName)}`;
  return problem('checkpoint-unknown', `There is no checkpoint "${name}": ${there}.`, {
    checkpoints: [...byName.keys()],
  });
}

function listed(byName: CheckpointsAtHand['byName']): string {
  return [...byName.keys()].map((one) => `"${one}"`).join(', ');
}
