import type { Manifest, SchemaCheck } from '@vekkon/core';
import type { Conflict, Decision } from './conflicts.js';
import type { PlayerStorage } from './storage.js';

export interface VekkonPlayerOptions {
  /** Where the service is, such as http://127.0.0.1:4600. */
  readonly url: string;
  readonly deviceKey: string;
  /** Where the token, the known records and the waiting changes are kept: the browser's storage where there is one, else memory. */
  readonly storage?: PlayerStorage;
  /** The player's display name. */
  readonly name?: string;
  /** What is known of the player when audiences are matched. */
  readonly attributes?: { readonly [name: string]: string | number | boolean };
  /** Seconds between autosaves of what changed; 0 for none. 10 if left out. */
  readonly autosave?: number;
  /** Milliseconds for which a call is tried again before the game goes on offline. 5,000 if left out. */
  readonly deadline?: number;
  /** Seconds to wait, up to 20, while another tab or device that plays is asked to let go. 10 if left out. */
  readonly wait?: number;
  /** The manifest version that this game was written for; the one that is installed when it starts if left out. */
  readonly manifestVersion?: number;
  /** The manifest with its short forms written out, for a first start offline. */
  readonly manifest?: Manifest;
  /** Checks values before they are sent, beyond types, enums and bounds; the service checks them anyway. */
  readonly check?: SchemaCheck;
  /** Decides where a value was put offline and somebody else changed it meanwhile. What was put here holds if left out. */
  readonly onConflict?: (conflict: Conflict) => Decision | Promise<Decision>;
  /** What sends requests; the platform's `fetch` if left out. */
  readonly fetch?: typeof fetch;
}

/** How things stand, for a line that says so. */
export interface PlayerStatus {
  /**
   * `starting`; `online`; `offline`: plays on what was last known, and changes wait;
   * `lost`: another tab or device plays now; `left`.
   */
  readonly connection: 'starting' | 'online' | 'offline' | 'lost' | 'left';
  /** Why it is offline or lost, for a person. */
  readonly why: string | undefined;
  /** How many transactions are not on disk yet. */
  readonly pending: number;
  /** When everything that was done here was last known to be on disk. */
  readonly savedAt: Date;
  /** Would what waits survive the end of this page? Not where storage is full or forbidden. */
  readonly isKept: boolean;
}
