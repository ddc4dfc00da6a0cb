import type { Json, JsonObject } from '../json.js';

/** Several neighbouring changes of one sort, folded into one, count as this many. */
interface Folded {
  readonly count?: number | undefined;
}

interface OnKey {
  readonly key: string;
}

interface Guarded {
  /** The revision that must be stored for the change to apply; 0: none yet. */
  readonly ifRevision?: number | undefined;
}

export interface Put extends OnKey, Guarded {
  readonly op: 'put';
  readonly value: Json;
}
export interface Merge extends OnKey, Guarded {
  readonly op: 'merge';
  readonly value: Json;
}
export interface Remove extends OnKey, Guarded {
  readonly op: 'remove';
}
export interface Increase extends OnKey {
  readonly op: 'increase';
  readonly path: string;
  readonly by: number;
}
export interface Outdo extends OnKey {
  readonly op: 'outdo';
  readonly path: string;
  readonly value: number;
  readonly better: 'higher' | 'lower';
}
export interface Collect extends OnKey {
  readonly op: 'collect';
  readonly path: string;
  readonly value: Json;
}
export interface Discard extends OnKey {
  readonly op: 'discard';
  readonly path: string;
  readonly value: Json;
}
export interface Credit extends OnKey, Folded {
  readonly op: 'credit';
  readonly amount: number;
  readonly reason: string;
}
export interface Debit extends OnKey, Folded {
  readonly op: 'debit';
  readonly amount: number;
  readonly reason: string;
}
/** So many of an item that comes in stacks, or one piece with its id. */
export interface Gain extends OnKey {
  readonly op: 'gain';
  readonly item: string;
  readonly count?: number | undefined;
  readonly piece?: string | undefined;
  readonly traits?: JsonObject | undefined;
}
export interface Lose extends OnKey {
  readonly op: 'lose';
  readonly item: string;
  readonly count?: number | undefined;
  readonly piece?: string | undefined;
}
export interface Alter extends OnKey {
  readonly op: 'alter';
  readonly piece: string;
  /** A JSON Merge Patch (RFC 7396). */
  readonly traits: JsonObject;
}
export interface Submit extends OnKey {
  readonly op: 'submit';
  readonly value: number;
  readonly name?: string | undefined;
  readonly note?: string | undefined;
}
/** Back to starting values: all that lasts for a run. */
export interface StartOver {
  readonly op: 'start-over';
}
/** Back to starting values: one record, all of a family, or all of a kind. */
export interface Reset extends OnKey {
  readonly op: 'reset';
}

/** "Save here": a named copy of what the manifest puts under checkpoints. */
export interface MakeCheckpoint {
  readonly op: 'checkpoint';
  readonly name: string;
  /** One line for whoever chooses among them. */
  readonly summary?: string | undefined;
  /** The checkpoint that is given up for it, of the same name or of another. */
  readonly instead?: string | undefined;
}
/** "Load": what a checkpoint holds, brought back. */
export interface Restore {
  readonly op: 'restore';
  readonly name: string;
}

export type ProgressChange = Put | Merge | Remove | Increase | Outdo | Collect | Discard;
export type CurrencyChange = Credit | Debit;
export type InventoryChange = Gain | Lose | Alter;
/** A change of one record. */
export type RecordChange = ProgressChange | CurrencyChange | InventoryChange | Submit;
/** A change of many records at once: it stands between all that comes before and all that comes after. */
export type WideChange = StartOver | Reset | MakeCheckpoint | Restore;
/** One operation. */
export type Change = RecordChange | WideChange;
export type Op = Change['op'];

/** Changes that apply whole or not at all. */
export interface Transaction {
  readonly changes: readonly Change[];
  /** Shown to people. */
  readonly label?: string | undefined;
  /** A second transaction of the same player with the same token, within 7 days, changes nothing. */
  readonly once?: string | undefined;
  /** When it happened in the game, RFC 3339. */
  readonly at?: string | undefined;
  /** If it is refused, it is kept as unsettled. */
  readonly keep?: boolean | undefined;
}

/** Whoever asks for these waits for the answer, and is told what came of it. */
export function isOfCheckpoints(change: Change): change is MakeCheckpoint | Restore {
  return change.op === 'checkpoint' || change.op === 'restore';
}

export function isWide(change: Change): change is WideChange {
  return change.op === 'start-over' || change.op === 'reset' || isOfCheckpoints(change);
}

/**
 * Does a change replace a value without saying which one? While a host plays
 * on its copy, that is not safe from outside; all other changes are.
 */
export function replacesBlindly(change: Change): change is Put | Merge | Remove {
  const isGuardable = change.op === 'put' || change.op === 'merge' || change.op === 'remove';
  return isGuardable && change.ifRevision === undefined;
}

/** How long a `once` token is remembered, in milliseconds. */
export const onceTokenLasts = 7 * 24 * 60 * 60 * 1000;
