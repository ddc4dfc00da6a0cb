import { checkPlainly, readRecords, startingRecords, type Manifest, type Rules, type Transaction } from '@vekkon/core';
import type { CheckpointList, JoinResponse, RecordsByKey, TuningTold } from '@vekkon/protocol';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import { GameTuning } from '../session/game-tuning.js';
import { LocalRecords } from '../session/local-records.js';
import { Stay } from '../session/stay.js';
import { RetryingTransport, type FailedTry } from '../transport/retrying-transport.js';
import { HttpTransport, type Sent } from '../transport/transport.js';
import { browserStorage } from './browser-storage.js';
import { conflictsIn, type Conflict, type Decision } from './conflicts.js';
import { DeviceTransport } from './device-transport.js';
import { Kept } from './kept.js';
import { emptySlot, keysPut, leftoverOf, type AsideHere, type Slot } from './kept-state.js';
import type { ServiceRefused } from '../errors.js';
import { Leftovers } from './leftovers.js';
import type { PlayerStatus, VekkonPlayerOptions } from './options.js';
import { memoryStorage, type PlayerStorage } from './storage.js';

/** How much of what the service will never take a device keeps. */
const mostAside = 50;
/** Milliseconds for which a call is tried, unless somebody says otherwise. */
export const defaultDeadline = 5_000;
/** A stay on the player's own device: what is kept of it there, and what is known of how things stand. */
export abstract class DeviceStay<Game extends GameShape = AnyGame> extends Stay<Game> {
  protected local = new LocalRecords({}, { manifest: nothingDeclared });
  /** The tunables as this player gets them; offline as they were last seen. */
  readonly tuning: GameTuning<Game>;
  protected readonly options: VekkonPlayerOptions;
  protected readonly leftovers: Leftovers;
  protected rules: Rules | undefined;
  protected kept: Kept | undefined;
  protected connection: PlayerStatus['connection'] = 'starting';
  protected trouble: Error | undefined;
  protected joined: JoinResponse | undefined;
  protected nextSave = 1;
  /** The last commit to this player that is known here. */
  protected seen = 0;
  /** When the service last answered, in milliseconds since 1970. */
  protected heardAt = 0;
  /** A join that may have reached the service. */
  protected joining: Slot['joining'];
  /** The revisions that were known when values were put, by key. */
  protected bases: { [key: string]: number } = {};
  readonly #storage: PlayerStorage;
  readonly #statusListeners = new Listeners<[status: PlayerStatus]>();
  readonly #failedTries = new Listeners<[failed: FailedTry]>();
  protected transport: RetryingTransport | undefined;
  protected device: DeviceTransport | undefined;
  #isKeeping = false;
  #setAside: readonly AsideHere[] = [];

  constructor(options: VekkonPlayerOptions) {
    super();
    this.options = options;
    this.tuning = new GameTuning<Game>({
      starting: () =>
        Object.fromEntries(
          Object.entries(this.rules?.manifest.tunables ?? {}).map(([name, { starting }]) => [name, starting]),
        ),
    });
    this.#storage = options.storage ?? (typeof document === 'undefined' ? memoryStorage() : browserStorage());
    this.leftovers = new Leftovers({
      send: (sent) => this.send(sent),
      answered: (save, answer) => {
        this.takeIn(
          answer.records,
          answer.transactions.map(({ applied }) => applied),
        );
        this.rebase(answer.records);
        this.keepKnown();
      },
      applied: (save) =>
        this.takeIn(
          {},
          save.transactions.map(() => true),
        ),
      putAside: (aside, refusal, isStaying) => {
        this.keepAside(aside, refusal);
        // What is left over has its number before all else.
        this.refuseAside(aside, refusal, 0, isStaying);
      },
      refused: (save, { code, message: detail, facts }) => {
        this.takeIn(
          {},
          save.transactions.map(() => false),
        );
        this.refuse(save, { code, detail }, facts.unsettled ?? []);
      },
      changed: () => this.keepSlot(),
    });
  }

  /** Who the player is; undefined until the service was reached for the first time. */
  get player(): { readonly id: string; readonly name: string | null } | undefined {
    return this.kept?.identity.player;
  }

  /** Did the player play for the first time when they joined? Undefined while that is not known. */
  get isNew(): boolean | undefined {
    return this.joined?.player.isNew;
  }

  /** The id of the session; undefined while there is none. */
  get session(): string | undefined {
    return this.joined?.session.id;
  }

  get status(): PlayerStatus {
    return {
      connection: this.connection,
      why: this.connection === 'online' ? undefined : this.trouble?.message,
      pending: this.pending,
      savedAt: this.savedAt,
      isKept: this.kept !== undefined && this.kept.trouble === undefined,
    };
  }

  /** What the service will never take as it is, with the reason, the newest last: kept on the device for whoever looks into it. */
  get setAside(): readonly AsideHere[] {
    return this.#setAside;
  }

  /** Tells how things stand, whenever that changes. @returns takes it back */
  onStatus(listener: (status: PlayerStatus) => void): () => void {
    return this.#statusListeners.add(listener);
  }

  /** Tells of each try that failed, and when the next will be. @returns takes it back */
  onFailedTry(listener: (failed: FailedTry) => void): () => void {
    return this.#failedTries.add(listener);
  }

  protected override async keepDone(transaction: Transaction): Promise<void> {
    for (const key of keysPut({ transaction, at: '' })) this.bases[key] ??= this.local.revisionOf(key);
    this.tellStatus();
    if (!this.#isKeeping) {
      this.#isKeeping = true;
      // What is done in one go is kept in one go.
      queueMicrotask(() => {
        this.#isKeeping = false;
        this.keepSlot();
      });
    }
    await Promise.resolve();
    await this.kept?.flushed();
  }

  protected override readCheckpoints(): Promise<CheckpointList> {
    return this.send({ method: 'GET', path: `/v1/sessions/${this.openSession()}/checkpoints?contents=true` });
  }

  /** Takes up what is kept on the device, by this tab and by those that are gone: the game can play on it at once. */
  protected async load(): Promise<void> {
    if (this.kept === undefined) await this.#open();
    const { kept } = this;
    if (kept === undefined) return;
    kept.readAgain();
    const slots = await kept.abandoned();
    for (const slot of slots.values()) this.#takeOver(slot);
    kept.removeSlots(slots.keys());
    this.keepSlot();
  }

  async #open(): Promise<void> {
    const kept = await Kept.open(this.#storage, () => this.tellStatus());
    const slot = kept.readSlot();
    this.kept = kept;
    this.transport = this.#makeTransport(kept);
    const { manifest, known, checkpoints = [], tuning } = kept.identity;
    if (tuning !== undefined) this.tuning.takeKept(tuning);
    const atHand = manifest?.manifest ?? this.options.manifest;
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
  }

  #takeOver(slot: Slot): void {
    const leftover = leftoverOf(slot);
    for (const one of leftover) this.leftovers.add(one);
    const numbered = leftover.flatMap(({ saves }) => saves.flatMap(({ transactions }) => transactions));
    this.local.takeOver(
      numbered.map((transaction) => ({ transaction, at: now() })),
      slot.waiting,
    );
    this.bases = { ...slot.bases, ...this.bases };
    this.#setAside = [...(slot.aside ?? []), ...this.#setAside].slice(-mostAside);
  }

  #makeTransport(kept: Kept): RetryingTransport {
    const { url, deviceKey, deadline = defaultDeadline } = this.options;
    const device = new DeviceTransport(new HttpTransport(url, {}, this.options.fetch), deviceKey, kept);
    this.device = device;
    return new RetryingTransport(device, { deadline, onFailedTry: (failed) => this.#failedTries.tell(failed) });
  }

  protected rulesOf(manifest: Manifest, learns = false): Rules {
    return { manifest, check: this.options.check ?? checkPlainly, learns };
  }

  /** The revisions on which what waits is put from now on. */
  protected freshBases(records: RecordsByKey): { [key: string]: number } {
    const keys = this.local.waitingDone.flatMap((done) => keysPut(done));
    return Object.fromEntries(keys.map((key) => [key, records[key]?.revision ?? 0]));
  }

  protected async decide(stored: RecordsByKey): Promise<readonly [Conflict, Decision][]> {
    if (this.kept?.identity.known === undefined) return [];
    const { onConflict = () => 'mine' as const } = this.options;
    const decisions: [Conflict, Decision][] = [];
    for (const conflict of conflictsIn(this.local.waitingDone, this.bases, stored)) {
      decisions.push([conflict, await onConflict(conflict)]);
    }
    return decisions;
  }

  /** What checkpoints hold is known before it is needed, so that they can be loaded offline. */
  protected async learnCheckpoints(): Promise<void> {
    if (this.rules?.manifest.checkpoints === undefined) return;
    const list = await this.readCheckpoints().catch(() => undefined);
    if (list === undefined || this.connection !== 'online') return;
    this.local.learnCheckpoints(list.checkpoints);
    this.keepKnown();
  }

  /** What was put here lies on what the service has said since. */
  protected rebase(records: RecordsByKey): void {
    for (const [key, { revision }] of Object.entries(records)) {
      if (this.bases[key] !== undefined) this.bases[key] = revision;
    }
    if (this.local.waiting.length === 0) this.bases = {};
  }

  /** What has a number and no answer goes first when the service is back, under the session that it belongs to. */
  protected giveUpSession(): void {
    if (this.joined === undefined) return;
    this.leftovers.add({ session: this.joined.session.id, saves: this.unanswered });
    this.takeOver([]);
    this.joined = undefined;
    this.keepSlot();
  }

  protected keepAside(aside: readonly Transaction[], { message: reason }: ServiceRefused): void {
    const at = now();
    const all = [...this.#setAside, ...aside.map((transaction) => ({ transaction, reason, at }))];
    this.#setAside = all.slice(-mostAside);
  }

  protected keepSlot(): void {
    // A day without a network stays small, and what is counted as pending is what will be sent.
    if (this.local.waiting.length > 1) this.local.fold();
    this.kept?.setSlot({
      ...emptySlot,
      joining: this.joining,
      session: this.session,
      saves: this.unanswered,
      leftover: this.leftovers.all,
      waiting: this.local.waitingDone,
      bases: this.bases,
      aside: this.#setAside,
    });
  }

  protected keepKnown(): void {
    // Another tab plays: it knows better.
    if (this.connection === 'lost') return;
    const checkpoints = [...this.local.acknowledgedCheckpoints.values()].map(({ records = new Map(), ...one }) => ({
      ...one,
      records: Object.fromEntries(records) as RecordsByKey,
    }));
    const player = this.joined?.player.id ?? this.kept?.identity.known?.player ?? '';
    this.kept?.setIdentity({ known: { player, records: this.local.acknowledged }, checkpoints });
  }

  /** The service has told what this player gets of tunables: kept for a start without a network. */
  protected takeTuning(told: TuningTold | undefined, at: string): void {
    if (told === undefined) return;
    this.tuning.take(told, at);
    this.kept?.setIdentity({ tuning: this.tuning.kept });
  }

  protected openKept(): Kept {
    if (this.kept === undefined) throw notStarted();
    return this.kept;
  }

  protected openSession(): string {
    if (this.joined === undefined) throw this.trouble ?? new TypeError('The player has not joined.');
    return this.joined.session.id;
  }

  protected async send<Answer>(sent: Sent, timeout = this.options.deadline ?? defaultDeadline) {
    if (this.transport === undefined) throw notStarted();
    const answer = await this.transport.send<Answer>({ timeout, ...sent });
    this.heardAt = Date.now();
    return answer;
  }

  protected setConnection(connection: PlayerStatus['connection'], trouble?: unknown): void {
    this.connection = connection;
    this.trouble = trouble === undefined || trouble instanceof Error ? trouble : new Error(String(trouble));
    this.tellStatus();
  }

  protected tellStatus(): void {
    this.#statusListeners.tell(this.status);
  }
}

const nothingDeclared: Manifest = { game: '', title: '', records: {}, items: {}, tunables: {}, attributes: {} };

/** What everybody begins with. */
export function startingOf(rules: Rules): RecordsByKey {
  return Object.fromEntries(readRecords(startingRecords(rules.manifest).records, rules));
}

export function notStarted(): TypeError {
  return new TypeError('The player has not started: await start() first.');
}

/** RFC 3339. */
export function now(): string {
  return new Date().toISOString();
}
