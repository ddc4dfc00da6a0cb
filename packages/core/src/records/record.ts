import type { Json } from '../json.js';

/** What is stored under one key for one player. */
export interface StoredRecord {
  /** Grows by one at every change; 0 for a starting value that was never stored. */
  readonly revision: number;
  readonly value: Json;
}

/** A player's records by key. */
export type Records = ReadonlyMap<string, StoredRecord>;

/** One movement of a currency. */
export interface LedgerLine {
  readonly key: string;
  /** What moved: above 0 for a credit, below for a debit. */
  readonly amount: number;
  readonly balance: number;
  readonly reason: string;
  /** How many movements were folded into this one. */
  readonly count: number;
}
