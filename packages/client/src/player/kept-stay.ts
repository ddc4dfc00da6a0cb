import {
  checkPlainly,
  readRecords,
  startingRecords,
  type Json,
  type Manifest,
  type Rules,
  type Transaction,
} from '@vekkon/core';
import type { RecordsByKey, TuningTold } from '@vekkon/protocol';
import type { ServiceRefused } from '../errors.js';
import type { GameTuning, HeldTuning } from '../session/game-tuning.js';
import { LocalRecords, type Done } from '../session/local-records.js';
import type { NumberedSave } from '../session/stay.js';
import { browserStorage } from './browser-storage.js';
import { conflictsIn, decided, type Conflict, type Decision } from './conflicts.js';
import { notStarted } from './connection.js';
import { Kept } from './kept.js';
import { emptySlot, keysPut, leftoverOf, type AsideHere, type Leftover, type Slot } from './kept-state.js';
import type { VekkonPlayerOptions } from './options.js';
import { memoryStorage, type PlayerStorage } from './storage.js';

/** Tunables as they are kept for a start without a network. */
type KeptTuning = HeldTuning & Pick<GameTuning, 'kept' | 'takeKept'>;

/** What is kept of a stay asks of the player whose it is. */
interface KeptFor {
  readonly tuning: KeptTuning;
  /** The id of the session; undefined while there is none. */
  session(): string | undefined;
  /** The player's id, where the service has told it in this stay. */
  player(): string | undefined;
  /** What has a number and no answer. */
  unanswered(): readonly NumberedSave[];
  /** Saves of sessions that were given up. */
  leftover(): readonly Leftover[];
  /** Some were left behind by others: they are this player's to deliver. */
  addLeftover(leftover: Leftover): void;
  /** It can't be kept any more, or can again. */
  changed(): void;
}

/** How much of what the service will never take a device keeps. */
const mostAside = 50;

/** A stay as it lies on the player's device: the records as the game sees them, and what the next start finds. */
export class KeptStay {
  local = new LocalRecords({}, { manifest: nothingDeclared });
  rules: Rules | undefined;
  /** A join that may have reached the service. */
  joining: Slot['joining'];
  /** What the service will never take as it is, the newest last. */
  aside: readonly AsideHere[] = [];
  #kept: Kept | undefined;
  /** The revisions that were known when values were put, by key. */
  #bases: { [key: string]: number } = {};
  #isKeeping = false;
  readonly #storage: PlayerStorage;
  readonly #options: VekkonPlayerOptions;
  readonly #owner: KeptFor;

  constructor(options: VekkonPlayerOptions, owner: KeptFor) {
    this.#storage = options.storage ?? (typeof document === 'undefined' ? memoryStorage() : browserStorage());
    this.#options = options;
    this.#owner = owner;
  }

  /** What the device keeps; undefined until it was opened. */
  get opened(): Kept | undefined {
    return this.#kept;
  }

  /** What the device keeps. @throws where it was not opened yet */
  get device(): Kept {
    if (this.#kept === undefined) throw notStarted();
    return this.#kept;
  }

  /** Would what waits survive the end of the page? */
  get isKept(): boolean {
    return this.#kept !== undefined && this.#kept.trouble === undefined;
  }

  /** Takes up what is kept, by this tab and by those that are gone: the game can play on it at once. @throws StorageUnreadable */
  async load(): Promise<void> {
    this.#kept ??= await this.#open();
    this.#kept.readAgain();
    const slots = await this.#kept.abandoned();
    for (const slot of slots.values()) this.#takeOver(slot);
    this.#kept.removeSlots(slots.keys());
    this.keep();
  }

  async #open(): Promise<Kept> {
    const kept = await Kept.open(this.#storage, () => this.#owner.changed());
    const slot = kept.readSlot();
    const { manifest, known, checkpoints = [], tuning } = kept.identity;
    if (tuning !== undefined) this.#owner.tuning.takeKept(tuning);
    const atHand = manifest?.manifest ?? this.#options.manifest;
    if (atHand !== undefined) {
      this.rules = this.rulesOf(atHand);
      this.local = new LocalRecords(known?.records ?? startingOf(this.rules), this.rules, {
        checkpoints: new Map(
          checkpoints.map((one) => [one.name, { ...one, records: new Map(Object.entries(one.records)) }]),
        ),
        byPlayer: true,
      });
    }
    this.joining = slot.joining;
    this.#takeOver(slot);
    return kept;
  }

  /** What the manifest says of each tunable. */
  get startingTunables(): { readonly [name: string]: Json } {
    const tunables = Object.entries(this.rules?.manifest.tunables ?? {});
    return Object.fromEntries(tunables.map(([name, { starting }]) => [name, starting]));
  }

  #takeOver(slot: Slot): void {
    const leftover = leftoverOf(slot);
    for (const one of leftover) this.#owner.addLeftover(one);
    const numbered = leftover.flatMap(({ saves }) => saves.flatMap(({ transactions }) => transactions));
    this.local.takeOver(
      numbered.map((transaction) => ({ transaction, at: now() })),
      slot.waiting,
    );
    this.#bases = { ...slot.bases, ...this.#bases };
    this.aside = [...(slot.aside ?? []), ...this.aside].slice(-mostAside);
  }

  rulesOf(manifest: Manifest, learns = false): Rules {
    return { manifest, check: this.#options.check ?? checkPlainly, learns };
  }

  /** From here on the game plays on what the service has said, with what waits on top. */
  takeUp(records: RecordsByKey, rules: Rules, waiting: readonly Done[]): void {
    const { checkpoints } = this.local;
    this.rules = rules;
    this.local = new LocalRecords(records, rules, { waiting, checkpoints, byPlayer: true });
    this.joining = undefined;
    this.putOn(records);
  }

  /** The service has told what this player gets of tunables: kept for a start without a network. */
  takeTuning(told: TuningTold | undefined, at: string): void {
    if (told === undefined) return;
    this.#owner.tuning.take(told, at);
    this.#kept?.setIdentity({ tuning: this.#owner.tuning.kept });
  }

  /** The device is somebody else's now: it begins as everybody does. */
  startAnew(rules: Rules): void {
    this.local = new LocalRecords(startingOf(rules), rules, { byPlayer: true });
    this.joining = undefined;
    this.keep();
  }

  /** What waits was put on these records. */
  putOn(records: RecordsByKey): void {
    const keys = this.local.waitingDone.flatMap((done) => keysPut(done));
    this.#bases = Object.fromEntries(keys.map((key) => [key, records[key]?.revision ?? 0]));
  }

  /** What was put here lies on what the service has said since. */
  rebase(records: RecordsByKey): void {
    for (const [key, { revision }] of Object.entries(records)) {
      if (this.#bases[key] !== undefined) this.#bases[key] = revision;
    }
    if (this.local.waiting.length === 0) this.#bases = {};
  }

  /**
   * Asks the game what is to hold where others changed what was put here.
   *
   * @returns makes what waits into what was decided
   */
  async decide(stored: RecordsByKey): Promise<(waiting: readonly Done[]) => readonly Done[]> {
    const { onConflict = () => 'mine' as const } = this.#options;
    const decisions: [Conflict, Decision][] = [];
    const isKnown = this.#kept?.identity.known !== undefined;
    for (const conflict of isKnown ? conflictsIn(this.local.waitingDone, this.#bases, stored) : []) {
      decisions.push([conflict, await onConflict(conflict)]);
    }
    return (waiting) =>
      decisions.reduce((rest, [conflict, decision]) => decided(rest, conflict, decision, now()), waiting);
  }

  /** Keeps what was done just now. @returns resolves when it is kept, if it can be */
  async keepDone(transaction: Transaction): Promise<void> {
    for (const key of keysPut({ transaction, at: '' })) this.#bases[key] ??= this.local.revisionOf(key);
    if (!this.#isKeeping) {
      this.#isKeeping = true;
      // What is done in one go is kept in one go.
      queueMicrotask(() => {
        this.#isKeeping = false;
        this.keep();
      });
    }
    await Promise.resolve();
    await this.#kept?.flushed();
  }

  putAside(aside: readonly Transaction[], { message: reason }: ServiceRefused): void {
    const at = now();
    this.aside = [...this.aside, ...aside.map((transaction) => ({ transaction, reason, at }))].slice(-mostAside);
  }

  /** Keeps what was done here and is not acknowledged. */
  keep(): void {
    // A day without a network stays small, and what is counted as pending is what will be sent.
    if (this.local.waiting.length > 1) this.local.fold();
    this.#kept?.setSlot({
      ...emptySlot,
      joining: this.joining,
      session: this.#owner.session(),
      saves: this.#owner.unanswered(),
      leftover: this.#owner.leftover(),
      waiting: this.local.waitingDone,
      bases: this.#bases,
      aside: this.aside,
    });
  }

  /** Keeps what the service has said, for a start without a network. */
  keepKnown(): void {
    const checkpoints = [...this.local.acknowledgedCheckpoints.values()].map(({ records = new Map(), ...one }) => ({
      ...one,
      records: Object.fromEntries(records) as RecordsByKey,
    }));
    const player = this.#owner.player() ?? this.#kept?.identity.known?.player ?? '';
    this.#kept?.setIdentity({ known: { player, records: this.local.acknowledged }, checkpoints });
  }
}

const nothingDeclared: Manifest = { game: '', title: '', records: {}, items: {}, tunables: {}, attributes: {} };

/** What everybody begins with. */
function startingOf(rules: Rules): RecordsByKey {
  return Object.fromEntries(readRecords(startingRecords(rules.manifest).records, rules));
}

/** RFC 3339. */
function now(): string {
  return new Date().toISOString();
}
