import type { Json } from '../json.js';

/** What is stored under one key for one player. */
export interface StoredRecord {
  /** Grows by one at every change; 0 for a starting value that was never stored. */
  readonly revision: number;
  readonly value: Json;
  /** It was removed: the value counts for nothing, and the revision goes on from here. */
  readonly removed?: true | undefined;
  /** What is stored does not fit the manifest any more: the value is the starting value in its place. */
  readonly misfit?: true | undefined;
}

/** A player's records by key. */
export type Records = ReadonlyMap<string, StoredRecord>;

/** One movement of a currency. */
export interface LedgerLine {
  readonly key: string;
  /** What moved it: a credit, a debit, its starting value, or what brought it back there. */
  readonly op: 'starting' | 'credit' | 'debit' | 'start-over' | 'reset' | 'made-new' | 'restore';
  /** What moved: above 0 for a credit, below for a debit. */
  readonly amount: number;
  readonly balance: number;
  readonly reason: string;
  /** How many movements were folded into this one. */
  readonly count: number;
}

/** What a change took away, which waits in the trash until its time is up. */
export interface Trashed {
  readonly key: string;
  readonly record: StoredRecord;
  readonly by: 'remove' | 'reset' | 'start-over' | 'made-new' | 'brought-back' | 'restore';
}
