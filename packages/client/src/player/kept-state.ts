import {
  isJsonObject,
  isWide,
  type Checkpoint,
  type Manifest,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';
import { VekkonError } from '../errors.js';
import type { Done } from '../session/local-records.js';
import type { TuningKept } from '../session/game-tuning.js';
import type { NumberedSave } from '../session/stay.js';
import { randomId } from './random-id.js';
import type { PlayerStorage } from './storage.js';

/**
 * The version of what is kept. Raise it whenever its form changes so that an
 * older reader would misread it, and keep reading the old.
 */
const formatVersion = 1;

/** Who the player is, and what is known of them: the same for all tabs. */
export interface Identity {
  readonly form: typeof formatVersion;
  /** Made by this device: it is who the player is. */
  readonly secret: string;
  readonly token?: string | undefined;
  /** The account that this device is signed in to. */
  readonly account?: KeptAccount | undefined;
  /** The player has gone to an identity provider, and may come back on another load of the page. */
  readonly attempt?: string | undefined;
  readonly player?: { readonly id: string; readonly name: string | null } | undefined;
  readonly manifest?: { readonly version: number; readonly manifest: Manifest } | undefined;
  /** What the service last said is stored, and of whom; absent before the first join. */
  readonly known?: { readonly player: string; readonly records: RecordsByKey } | undefined;
  readonly checkpoints?: readonly KeptCheckpoint[] | undefined;
  /** The tunables as they were last told. */
  readonly tuning?: TuningKept | undefined;
}

/** A sign-in as it is kept: with its refresh token the next access token is asked for. */
export interface KeptAccount {
  readonly email: string;
  readonly refreshToken: string;
  /** When the access token is over, by this device's clock, in milliseconds since 1970. */
  readonly until: number;
}

type KeptCheckpoint = Omit<Checkpoint, 'records'> & { readonly records: { readonly [key: string]: StoredRecord } };

/** Saves that have their numbers, of a session that may be over. */
export interface Leftover {
  readonly session: string;
  readonly saves: readonly NumberedSave[];
}

/** What one tab has done and the service has not acknowledged. */
export interface Slot {
  readonly form: typeof formatVersion;
  /** A join that may have reached the service: sent again, it opens the same session. */
  readonly joining?: { readonly attempt: string; readonly instance: string } | undefined;
  readonly session?: string | undefined;
  /** What of the session has its number. */
  readonly saves: readonly NumberedSave[];
  /** Of sessions before it, the oldest first. */
  readonly leftover: readonly Leftover[];
  readonly waiting: readonly Done[];
  /** The revisions that were known when values were put, by key. */
  readonly bases: { readonly [key: string]: number };
  readonly aside?: readonly AsideHere[] | undefined;
}

/** What the service will never take as it is, and why. */
export interface AsideHere {
  readonly transaction: Transaction;
  readonly reason: string;
  /** RFC 3339. */
  readonly at: string;
}

/** What is kept can't be read. Nothing was overwritten: only the service says who is new. */
export class StorageUnreadable extends VekkonError {
  override readonly name = 'StorageUnreadable';
  readonly canRetry = false;

  constructor(what: string, cause?: unknown) {
    super(
      `${what} can't be read: it was changed from outside, or is of a newer version. Put a copy of it back; or take it away, and the device begins as a new player.`,
      { cause },
    );
  }
}

export const emptySlot: Slot = { form: formatVersion, saves: [], leftover: [], waiting: [], bases: {} };

/** A device with a secret of its own, which nobody knows yet. */
export function newIdentity(): Identity {
  return { form: formatVersion, secret: randomId(32) };
}

/** The device as it is kept; undefined if it is not. */
export function readIdentity(storage: PlayerStorage): Identity | undefined {
  const kept = readKept<Identity>(storage, 'player');
  if (kept !== undefined && typeof kept.secret !== 'string') throw new StorageUnreadable('What this device keeps');
  return kept;
}

export function readSlot(storage: PlayerStorage, name: string): Slot {
  const slot = readKept<Slot>(storage, name) ?? emptySlot;
  const lists = [slot.waiting, slot.saves, slot.leftover, slot.aside ?? []];
  const isWhole = lists.every((one) => Array.isArray(one)) && isJsonObject(slot.bases);
  if (!isWhole) throw new StorageUnreadable(`"${name}"`);
  return slot;
}

function readKept<Kept extends { readonly form: number }>(storage: PlayerStorage, name: string): Kept | undefined {
  const text = storage.read(name);
  if (text === undefined) return undefined;
  let kept: Kept | null;
  try {
    kept = JSON.parse(text) as Kept | null;
  } catch (cause) {
    throw new StorageUnreadable('What this device keeps', cause);
  }
  if (kept?.form !== formatVersion) throw new StorageUnreadable('What this device keeps');
  return kept;
}

/** What a slot leaves to whoever takes it over: its session is given up. */
export function leftoverOf({ leftover, session, saves }: Slot): readonly Leftover[] {
  return session === undefined ? leftover : [...leftover, { session, saves }];
}

/** The keys whose whole value is replaced by what was done. */
export function keysPut({ transaction }: Done): readonly string[] {
  return transaction.changes.flatMap((change) => (!isWide(change) && change.op === 'put' ? [change.key] : []));
}
