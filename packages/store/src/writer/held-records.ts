import type { Manifest, Records } from '@vekkon/core';
import { NotedMap, type Notes } from './undoable.js';

/** A player's records as they stand in the store, under the keys of a manifest. */
export interface HeldRecords {
  readonly manifest: Manifest;
  readonly records: Records;
  /** The player's commit at which each was written. */
  readonly seenOf: ReadonlyMap<string, number>;
  /** The bytes of each value's text. */
  readonly bytesOf: ReadonlyMap<string, number>;
  /** Rows that lie under former keys, by the key of now. */
  readonly formerRows: ReadonlyMap<string, string>;
  readonly bytes: number;
}

/** How much is held at the most, in bytes of values. */
const mostHeld = 64 * 1024 * 1024;

/**
 * The records of the players who were written last. Only the writer changes
 * records, so what it wrote is what is stored, and need not be read again.
 */
export class HeldRecordsOfPlayers {
  /** The one that was written last comes last. */
  readonly #held: NotedMap<number, HeldRecords>;
  readonly #notes: Notes;
  #bytes = 0;

  constructor(notes: Notes) {
    this.#held = new NotedMap(notes);
    this.#notes = notes;
  }

  /** What is held of a player, under the keys of this very manifest. */
  of(player: number, manifest: Manifest): HeldRecords | undefined {
    const held = this.#held.get(player);
    return held?.manifest === manifest ? held : undefined;
  }

  keep(player: number, held: HeldRecords): void {
    this.forget(player);
    this.#held.set(player, held);
    this.#grow(held.bytes);
    for (const oldest of this.#held.keys()) {
      if (this.#bytes <= mostHeld) break;
      this.forget(oldest);
    }
  }

  forget(player: number): void {
    const held = this.#held.get(player);
    if (held === undefined) return;
    this.#grow(-held.bytes);
    this.#held.delete(player);
  }

  #grow(bytes: number): void {
    this.#bytes += bytes;
    this.#notes.add(() => (this.#bytes -= bytes));
  }
}
