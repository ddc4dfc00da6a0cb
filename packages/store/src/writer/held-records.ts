import type { Manifest, Records } from '@vekkon/core';

/** A player's records as they stand in the store, under the keys of a manifest. */
export interface HeldRecords {
  readonly manifest: Manifest;
  /** The player's last commit. */
  readonly seen: number;
  readonly records: Records;
  /** What is known of each record beside its value. */
  readonly lies: ReadonlyMap<string, HowItLies>;
  /** Rows that lie under former keys, by the key of now. */
  readonly formerRows: ReadonlyMap<string, string>;
  /** Of the values' texts. */
  readonly valueBytes: number;
  /** What holding them takes, about. */
  readonly bytes: number;
}

/** How a record lies in the store. */
export interface HowItLies {
  /** The player's commit at which it was written. */
  readonly seen: number;
  /** Of its value's text. */
  readonly bytes: number;
}

/** How much of players' records is held at the most, in bytes. */
export const mostRecordsHeld = 64 * 1024 * 1024;

/** What a record takes in memory beside its value, about. */
const recordBytes = 300;

/** What holding a player's records takes, about. */
export function heldBytes(valueBytes: number, records: number): number {
  return valueBytes + records * recordBytes;
}
