import type { Json } from '../json.js';

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
export interface Submit extends OnKey {
  readonly op: 'submit';
  readonly value: number;
  readonly name?: string | undefined;
  readonly note?: string | undefined;
}

export type ProgressChange = Put | Merge | Increase | Outdo | Collect | Discard;
export type CurrencyChange = Credit | Debit;
/** One operation on one record. */
export type Change = ProgressChange | CurrencyChange | Submit;
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

/**
 * Does a change replace a value without saying which one? While a host plays
 * on its copy, that is not safe from outside; all other changes are.
 */
export function replacesBlindly(change: Change): boolean {
  return (change.op === 'put' || change.op === 'merge') && change.ifRevision === undefined;
}

/** How long a `once` token is remembered, in milliseconds. */
export const onceTokenLasts = 7 * 24 * 60 * 60 * 1000;
