import type { Change, Json, Records, Rules, StoredRecord, Transaction } from '@vekkon/core';
import type { JoinResponse, LeaveResponse, RecordsByKey, SaveResponse, TransactionOutcome } from '@vekkon/protocol';
import { ChangeRefused, SessionOver } from '../errors.js';
import { LocalRecords } from '../session/local-records.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import { keyOf, Playing } from '../session/playing.js';
import { TransactionDraft } from '../session/transaction-draft.js';
import { Listeners } from './events.js';
import type { SpoolEntry } from './spool.js';

/** A save that has its number: it is sent unchanged until it is answered. */
export interface NumberedSave {
  readonly number: number;
  readonly transactions: readonly Transaction[];
  readonly leave: boolean;
}

type TransactionProblem = Extract<TransactionOutcome, { applied: false }>['problem'];

/** A transaction that the service refused, though the game's copy had let it pass. */
export interface RefusedTransaction {
  readonly transaction: Transaction;
  readonly problem: TransactionProblem;
  /** Where it waits for a person. */
  readonly unsettled: string | undefined;
}

/** What came of a save. Answered means: on disk. */
export interface SaveResult {
  /** How many transactions were sent. */
  readonly sent: number;
  readonly refused: readonly RefusedTransaction[];
}

/** What became of a transaction: refused here, or done here and, later, saved. */
export type TransactionResult =
  | { readonly applied: true; readonly saved: Promise<TransactionOutcome> }
  | { readonly applied: false; readonly problem: TransactionProblem };

/** Where a change that a display is told of came from. */
export type ChangeOrigin = 'here' | 'acknowledged' | 'outside';

/** What the upkeep of a host does with its sessions, whatever their game. @internal */
export interface HeldSession {
  readonly id: string;
  readonly player: JoinResponse['player'];
  readonly leaseSeconds: number;
  readonly seen: number;
  readonly isOver: boolean;
  readonly hasSomethingToSave: boolean;
  save(): Promise<SaveResult>;
  leave(): Promise<SaveResult>;
  numberAll(options: { readonly leave: boolean }): readonly NumberedSave[];
  spoolUnanswered(): Promise<void>;
  clearSpool(): Promise<void>;
  answered(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult;
  changedOutside(seen: number, records: RecordsByKey): void;
  heardOfChange(seen: number, records: RecordsByKey): void;
  beOver(reason: SessionOver): void;
  handedOver(): void;
}

/** What a session asks of the host that it is on. @internal */
export interface SessionHost {
  send(session: HeldSession, saves: readonly NumberedSave[]): Promise<SaveResult>;
  /** Keeps a line in the spool; resolves at once where there is none. */
  spool(entry: SpoolEntry): Promise<void>;
  readonly isJournaling: boolean;
  /** The session is lost: what it still holds is sent to be kept as unsettled. */
  rescue(session: HeldSession): void;
}

/**
 * One player's stay on this host.
 *
 * Changes apply to the copy here at once and are sent with the next save. A
 * change that the rules refuse throws ChangeRefused and changes nothing. Each
 * returns a promise, which with `journal: true` resolves when the change lies
 * in the spool, and else at once.
 *
 * @example
 * const session = await host.join('p-10442');
 * session.credit('feather', 30, 'climb 8812');
 * await session.save();
 * await session.leave();
 */
export class HostSession<Game extends GameShape = AnyGame> extends Playing<Promise<void>, Game> implements HeldSession {
  readonly isSaved = true;
  readonly id: string;
  readonly player: JoinResponse['player'];
  readonly leaseSeconds: number;
  readonly #host: SessionHost;
  readonly #records: LocalRecords;
  readonly #watchers = new Map<string, Listeners<[value: Json | undefined, from: ChangeOrigin]>>();
  readonly #lost = new Listeners<[reason: SessionOver]>();
  readonly #refused = new Listeners<[refused: RefusedTransaction]>();
  readonly #awaited = new Map<Transaction, (outcome: TransactionOutcome) => void>();
  #seen: number;
  #nextSave: number;
  #unanswered: NumberedSave[] = [];
  readonly #spooled = new Set<number>();
  /** Resolves when every save that has a number lies in the spool, where it must before it is sent. */
  #kept: Promise<unknown> = Promise.resolve();
  #saving: Promise<SaveResult> | undefined;
  #leaving: Promise<SaveResult> | undefined;
  #savingNext: Promise<SaveResult> | undefined;
  #savedAt = new Date();
  #over: SessionOver | undefined;

  /** @internal */
  constructor(host: SessionHost, joined: JoinResponse, rules: Rules) {
    super();
    this.#host = host;
    this.id = joined.session.id;
    this.leaseSeconds = joined.session.leaseSeconds;
    this.player = joined.player;
    this.#seen = joined.seen;
    this.#nextSave = joined.session.nextSave;
    this.#records = new LocalRecords(joined.records, rules);
  }

  override get records(): Records {
    return this.#records.records;
  }

  /** How many transactions are not on disk yet. */
  get pending(): number {
    return this.#records.pending;
  }

  /** What is not on disk yet, in order. */
  get notYetSaved(): readonly Transaction[] {
    return this.#records.unacknowledged;
  }

  /** When the oldest of it was done; undefined if everything is on disk. */
  get pendingSince(): Date | undefined {
    const since = this.#records.pendingSince;
    return since === undefined ? undefined : new Date(since);
  }

  /** When everything that was done here was last known to be on disk. */
  get savedAt(): Date {
    return this.pending === 0 ? new Date() : this.#savedAt;
  }

  get isOver(): boolean {
    return this.#over !== undefined;
  }

  /** @internal The last commit to this player that is known here. */
  get seen(): number {
    return this.#seen;
  }

  /** Tells of every change of a record, with where it came from. @returns takes it back */
  watch(key: string, listener: (value: Json | undefined, from: ChangeOrigin) => void): () => void {
    const full = keyOf('progress', key);
    const listeners = this.#watchers.get(full) ?? new Listeners();
    this.#watchers.set(full, listeners);
    return listeners.add(listener);
  }

  /** Tells when the session is lost: somebody else writes the player's records now. @returns takes it back */
  onLost(listener: (reason: SessionOver) => void): () => void {
    return this.#lost.add(listener);
  }

  /** Tells of what the service refused though it was done here. @returns takes it back */
  onRefused(listener: (refused: RefusedTransaction) => void): () => void {
    return this.#refused.add(listener);
  }

  /**
   * Changes that apply whole or not at all.
   *
   * @param label shown to people
   * @param write what to do, on a draft that reads the records as they are
   * @param once  a token: a second transaction with it, within 7 days, changes nothing
   * @returns the problem if the rules refuse it here; else a promise of what the service says
   */
  transaction(label: string, write: (draft: TransactionDraft<Game>) => void, once?: string): TransactionResult {
    if (this.#over !== undefined) throw this.#over;
    const draft = new TransactionDraft<Game>({ records: this.records, read: (key) => this.read(key) });
    write(draft);
    const transaction: Transaction = { label, changes: draft.changes, ...(once !== undefined && { once }) };
    const outcome = this.#apply(transaction);
    if (!outcome.applied) return outcome;
    const saved = new Promise<TransactionOutcome>((resolve) => this.#awaited.set(transaction, resolve));
    return { applied: true, saved };
  }

  /**
   * Sends what was done since the last save. Asked for while a save is under
   * way, one more follows it, however often that is. A save that failed on the
   * way keeps its number and is sent again first, so that nothing counts twice.
   *
   * @throws ServiceUnreachable, ServiceRefused or SessionOver; what was done stays here
   */
  save(): Promise<SaveResult> {
    if (this.#saving === undefined) return this.#startSaving();
    this.#savingNext ??= this.#saving
      .catch(() => undefined)
      .then(() => {
        this.#savingNext = undefined;
        return this.#startSaving();
      });
    return this.#savingNext;
  }

  /** Sends what is left and ends the stay, in one commit. */
  leave(): Promise<SaveResult> {
    this.#leaving ??= this.#leave().finally(() => (this.#leaving = undefined));
    return this.#leaving;
  }

  protected override nothingDone(): Promise<void> {
    return Promise.resolve();
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.#records.read(key);
  }

  protected override do(change: Change): Promise<void> {
    if (this.#over !== undefined) throw this.#over;
    // A copy, so that what the game changes later in the same object can't slip into a save.
    const transaction: Transaction = { changes: [structuredClone(change)] };
    const outcome = this.#apply(transaction);
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
    return outcome.kept;
  }

  #apply(transaction: Transaction) {
    const outcome = this.#records.do(transaction, new Date().toISOString());
    if (!outcome.applied) return { applied: false as const, problem: outcome.problem };
    if (this.pending === 1) this.#savedAt = new Date();
    const kept = this.#host.isJournaling
      ? this.#host.spool({ is: 'done', session: this.id, transaction })
      : Promise.resolve();
    // Whoever does not wait for it hears of a spool that fails at the next save.
    kept.catch(() => undefined);
    for (const key of outcome.changed.keys()) this.#tell(key, 'here');
    return { applied: true as const, kept };
  }

  #startSaving(): Promise<SaveResult> {
    this.#saving = this.#saveAll().finally(() => (this.#saving = undefined));
    return this.#saving;
  }

  async #saveAll(): Promise<SaveResult> {
    if (this.#over !== undefined) throw this.#over;
    const saves = this.numberAll({ leave: false });
    if (saves.length === 0) return nothing;
    await this.#kept;
    return this.#host.send(this, saves);
  }

  async #leave(): Promise<SaveResult> {
    await (this.#savingNext ?? this.#saving)?.catch(() => undefined);
    if (this.#over !== undefined) throw this.#over;
    const saves = this.numberAll({ leave: true });
    await this.#kept;
    return this.#host.send(this, saves);
  }

  /** @internal Is there anything to send? */
  get hasSomethingToSave(): boolean {
    return this.pending > 0 || this.#unanswered.length > 0;
  }

  /**
   * @internal Gives a number to all that waits, in as many saves as it takes.
   * With `leave` the last of them ends the session.
   */
  numberAll({ leave }: { readonly leave: boolean }): readonly NumberedSave[] {
    while (this.#records.waiting.length > 0) this.#number(leave);
    const isLeaving = this.#unanswered.at(-1)?.leave === true;
    if (leave && !isLeaving) this.#number(true);
    return this.#unanswered;
  }

  /** @param isLast does the save that takes the last of it end the session? */
  #number(isLast: boolean): void {
    const taken = this.#records.takeForSave();
    const leave = isLast && this.#records.waiting.length === 0;
    const save: NumberedSave = {
      number: this.#nextSave,
      // The game was shown them as done: what is refused all the same, a person decides.
      transactions: taken.map((transaction) => ({ ...transaction, keep: true })),
      leave,
    };
    for (const [index, transaction] of taken.entries()) {
      const resolve = this.#awaited.get(transaction);
      const numbered = save.transactions[index];
      if (resolve === undefined || numbered === undefined) continue;
      this.#awaited.delete(transaction);
      this.#awaited.set(numbered, resolve);
    }
    this.#nextSave++;
    this.#unanswered.push(save);
    if (this.#host.isJournaling) this.#keep(save, this.#records.waiting);
  }

  #keep(save: NumberedSave, rest: readonly Transaction[]): void {
    this.#spooled.add(save.number);
    const kept = this.#host.spool({ is: 'save', session: this.id, rest, ...save });
    // A spool that fails is heard of by whoever sends next.
    this.#kept = Promise.all([this.#kept, kept]);
    this.#kept.catch(() => undefined);
  }

  /** @internal Keeps in the spool what has a number and no answer. @throws if it can't be kept */
  async spoolUnanswered(): Promise<void> {
    for (const save of this.#unanswered) if (!this.#spooled.has(save.number)) this.#keep(save, this.#records.waiting);
    await this.#kept;
  }

  /** @internal Nothing of this session is to be delivered any more. */
  async clearSpool(): Promise<void> {
    if (this.#spooled.size > 0 || this.#host.isJournaling) await this.#host.spool({ is: 'over', session: this.id });
  }

  /** @internal The service has answered a save. */
  answered(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    // Answered before, when it was sent twice: it is taken in once.
    if (!this.#unanswered.some(({ number }) => number === save.number)) return nothing;
    this.#unanswered = this.#unanswered.filter(({ number }) => number !== save.number);
    this.#seen = Math.max(this.#seen, answer.seen);
    this.#savedAt = new Date();
    if (this.#spooled.delete(save.number)) {
      this.#host.spool({ is: 'answered', session: this.id, number: save.number }).catch(() => undefined);
    }
    const own = new Set(
      save.transactions.flatMap(({ changes }) => changes.flatMap((one) => ('key' in one ? one.key : []))),
    );
    this.#takeIn(answer.records, save.transactions.length, own);
    const refused: RefusedTransaction[] = [];
    for (const [index, transaction] of save.transactions.entries()) {
      const outcome = answer.transactions[index];
      if (outcome === undefined) continue;
      this.#awaited.get(transaction)?.(outcome);
      this.#awaited.delete(transaction);
      if (outcome.applied) continue;
      const one = { transaction, problem: outcome.problem, unsettled: outcome.unsettled };
      refused.push(one);
      this.#refused.tell(one);
    }
    if (save.leave) this.#end(new SessionOver(this.id, 'the player left.'));
    return { sent: save.transactions.length, refused };
  }

  /** @internal What others changed since the commit that was last known here, all of it. */
  changedOutside(seen: number, records: RecordsByKey): void {
    this.#seen = Math.max(this.#seen, seen);
    this.#takeIn(records, 0, new Set());
  }

  /** @internal One change by others, as the stream tells of it. */
  heardOfChange(seen: number, records: RecordsByKey): void {
    // Where an event before this one was missed, the next answer must bring it: what is known stays what it was.
    if (seen === this.#seen + 1) this.#seen = seen;
    this.#takeIn(records, 0, new Set());
  }

  /** @internal The session is lost: nothing is written for it any more. */
  beOver(reason: SessionOver): void {
    if (this.#over !== undefined) return;
    this.#end(reason);
    this.#host.rescue(this);
    this.#lost.tell(reason);
  }

  /** @internal Saved and left because another host asked for the player: the game is told. */
  handedOver(): void {
    this.#lost.tell(new SessionOver(this.id, 'another host asked for the player.'));
  }

  #end(reason: SessionOver): void {
    this.#over = reason;
    const problem = { code: 'session-ended', change: 0, detail: reason.message };
    for (const resolve of this.#awaited.values()) resolve({ applied: false, problem });
    this.#awaited.clear();
  }

  #takeIn(records: RecordsByKey, answered: number, own: ReadonlySet<string>): void {
    const changed = this.#records.takeIn(records, answered);
    for (const key of own) this.#tell(key, 'acknowledged');
    for (const key of changed) if (!own.has(key)) this.#tell(key, 'outside');
  }

  #tell(key: string, from: ChangeOrigin): void {
    this.#watchers.get(key)?.tell(this.read(key)?.value, from);
  }
}

const nothing: SaveResult = { sent: 0, refused: [] };
