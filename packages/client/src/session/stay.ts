import {
  isOfCheckpoints,
  type Change,
  type Json,
  type Records,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import type {
  CheckpointList,
  LeaveResponse,
  RecordsByKey,
  ResultStanding,
  SaveResponse,
  TransactionOutcome,
} from '@vekkon/protocol';
import { ChangeRefused, checkpointUnknown, type ServiceRefused } from '../errors.js';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape } from './game-shape.js';
import type { GameTuning } from './game-tuning.js';
import type { LocalRecords } from './local-records.js';
import { keyOf, Playing, type CheckpointDetails } from './playing.js';
import { takenApart } from './put-aside.js';
import { TransactionDraft } from './transaction-draft.js';

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

/** Two saves' results as one. */
export function together(a: SaveResult, b: SaveResult): SaveResult {
  return { sent: a.sent + b.sent, refused: [...a.refused, ...b.refused] };
}

/** A save of which a part was put aside. */
export interface TakenApart {
  /** What is sent in its place, under its number. */
  readonly rest: NumberedSave;
  readonly aside: readonly Transaction[];
  readonly refused: readonly RefusedTransaction[];
}

/** What became of a transaction: refused here, or done here and, later, saved. */
export type TransactionResult =
  | { readonly applied: true; readonly saved: Promise<TransactionOutcome> }
  | { readonly applied: false; readonly problem: TransactionProblem };

/** Where a change that a display is told of came from. */
export type ChangeOrigin = 'here' | 'acknowledged' | 'outside';

/** A checkpoint as it is listed. */
export interface CheckpointSummary {
  readonly name: string;
  /** RFC 3339. */
  readonly at: string;
  readonly summary: string | null;
}

export const nothingSaved: SaveResult = { sent: 0, refused: [] };

/**
 * One player's records while they play: changes apply to the copy here at
 * once, get their numbers when they are saved, and are taken in again as the
 * service answers. What a host's session and a player's own device share.
 */
export abstract class Stay<Game extends GameShape = AnyGame> extends Playing<Promise<void>, Game> {
  protected abstract local: LocalRecords;
  /** The tunables as this player gets them. */
  abstract readonly tuning: GameTuning<Game>;
  readonly #watchers = new Map<string, Listeners<[value: Json | undefined, from: ChangeOrigin]>>();
  readonly #refused = new Listeners<[refused: RefusedTransaction]>();
  #lastStandings: { readonly [board: string]: ResultStanding } = {};
  readonly #standings = new Listeners<[board: string, standing: ResultStanding]>();
  readonly #awaited = new Map<Transaction, (outcome: TransactionOutcome) => void>();
  #unanswered: NumberedSave[] = [];
  #answered = 0;
  #saving: Promise<SaveResult> | undefined;
  #savingNext: Promise<SaveResult> | undefined;
  #savedAt = new Date();

  /** @throws where nothing can be changed any more */
  protected abstract checkOpen(): void;
  /** Keeps what was done, where somebody keeps it. */
  protected abstract keepDone(transaction: Transaction): Promise<void>;
  /** Asks the service for the player's checkpoints, with what they hold. */
  protected abstract readCheckpoints(): Promise<CheckpointList>;
  /** Gives all that waits its numbers, and sends it. */
  protected abstract saveAll(): Promise<SaveResult>;

  override get records(): Records {
    return this.local.records;
  }

  /**
   * What became of the last result on each board, as it was told when its save
   * was answered: whether it was kept, what was best before, and the rank.
   */
  get standings(): { readonly [board in Game['boards']]?: ResultStanding } {
    return this.#lastStandings as { readonly [board in Game['boards']]?: ResultStanding };
  }

  /** How many transactions are not on disk yet. */
  get pending(): number {
    return this.local.pending;
  }

  /** What is not on disk yet, in order. */
  get notYetSaved(): readonly Transaction[] {
    return this.local.unacknowledged;
  }

  /** When the oldest of it was done; undefined if everything is on disk. */
  get pendingSince(): Date | undefined {
    const since = this.local.pendingSince;
    return since === undefined ? undefined : new Date(since);
  }

  /** When everything that was done here was last known to be on disk. */
  get savedAt(): Date {
    return this.pending === 0 ? new Date() : this.#savedAt;
  }

  /** @internal Is there anything to send? */
  get hasSomethingToSave(): boolean {
    return this.pending > 0 || this.#unanswered.length > 0;
  }

  /** @internal The highest number whose answer has arrived: the service may forget what it answered. */
  get answeredUpTo(): number {
    return this.#answered;
  }

  /** @internal What has a number and no answer. */
  get unanswered(): readonly NumberedSave[] {
    return this.#unanswered;
  }

  /**
   * Tells what became of each result that was submitted, once its save is
   * answered: whether it was kept, what was best before, the rank before and
   * after, out of how many.
   *
   * @returns takes it back
   */
  onStanding(listener: (board: string, standing: ResultStanding) => void): () => void {
    return this.#standings.add(listener);
  }

  /** Tells of every change of a record, with where it came from. @returns takes it back */
  watch(key: string, listener: (value: Json | undefined, from: ChangeOrigin) => void): () => void {
    const full = keyOf('progress', key);
    const listeners = this.#watchers.get(full) ?? new Listeners();
    this.#watchers.set(full, listeners);
    return listeners.add(listener);
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
    this.checkOpen();
    const draft = new TransactionDraft<Game>({ records: this.records, read: (key) => this.read(key) });
    write(draft);
    const outcome = this.#apply({ label, changes: draft.changes, ...(once !== undefined && { once }) });
    return outcome.applied ? { applied: true, saved: this.#outcomeOf(outcome.transaction) } : outcome;
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

  /**
   * "Save here": a named copy of what the manifest puts under checkpoints.
   *
   * @returns resolves when it is on disk
   * @throws ChangeRefused `checkpoint-exists`, or `checkpoints-full` with the names of those
   *   that there are: `instead` says which to give up
   */
  override checkpoint(name: string, details: CheckpointDetails = {}): Promise<void> {
    return this.doAndSave({ op: 'checkpoint', name, ...details });
  }

  /**
   * "Load": brings back what a checkpoint holds, with what came from outside since.
   *
   * @returns resolves when it is on disk
   * @throws ChangeRefused `checkpoint-unknown`, with the names of those that there are
   */
  override async restore(name: string): Promise<void> {
    this.checkOpen();
    if (!this.local.holds(name)) {
      // Known before it is done: so that what is played from here on is played on what was loaded.
      const { checkpoints } = await this.readCheckpoints();
      this.local.learnCheckpoints(checkpoints);
    }
    if (!this.local.holds(name)) throw checkpointUnknown(name, [...this.local.checkpoints.keys()]);
    await this.doAndSave({ op: 'restore', name });
  }

  /** The player's checkpoints, the newest first: name, time and summary. */
  async checkpoints(): Promise<readonly CheckpointSummary[]> {
    this.checkOpen();
    return (await this.readCheckpoints()).checkpoints.map(({ name, at, summary }) => ({ name, at, summary }));
  }

  /** Does a change, and waits for what the service says of it. */
  protected async doAndSave(change: Change): Promise<void> {
    this.checkOpen();
    const outcome = this.#apply({ changes: [change] });
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
    const answered = this.#outcomeOf(outcome.transaction);
    await this.save();
    const said = await answered;
    if (!said.applied) throw new ChangeRefused(said.problem as ChangeRefused['problem']);
  }

  protected override nothingDone(): Promise<void> {
    return Promise.resolve();
  }

  protected override read(key: string): StoredRecord | undefined {
    return this.local.read(key);
  }

  protected override do(change: Change): Promise<void> {
    this.checkOpen();
    const outcome = this.#apply({ changes: [change] });
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
    return outcome.kept;
  }

  #apply(given: Transaction) {
    const outcome = this.local.do(given, new Date().toISOString());
    if (!outcome.applied) return { applied: false as const, problem: outcome.problem };
    const { transaction } = outcome;
    if (this.pending === 1) this.#savedAt = new Date();
    const kept = this.keepDone(transaction);
    // Whoever does not wait for it hears of a spool that fails at the next save.
    kept.catch(() => undefined);
    for (const key of outcome.changed.keys()) this.tell(key, 'here');
    return { applied: true as const, kept, transaction };
  }

  #outcomeOf(transaction: Transaction): Promise<TransactionOutcome> {
    return new Promise((resolve) => this.#awaited.set(transaction, resolve));
  }

  #startSaving(): Promise<SaveResult> {
    this.#saving = this.saveAll().finally(() => (this.#saving = undefined));
    return this.#saving;
  }

  /** What is being saved now, and after it; undefined if nothing is. */
  protected get underWay(): Promise<SaveResult> | undefined {
    return this.#savingNext ?? this.#saving;
  }

  /**
   * Gives the next number to as much of what waits as one save holds.
   *
   * @param isLast does the save that takes the last of it end the session?
   */
  protected number(number: number, isLast: boolean): NumberedSave {
    const taken = this.local.takeForSave();
    const save: NumberedSave = {
      number,
      // The game was shown them as done: what is refused all the same, a person decides; not over a checkpoint.
      transactions: taken.map((one) => (one.changes.every(isOfCheckpoints) ? one : { ...one, keep: true })),
      leave: isLast && this.local.waiting.length === 0,
    };
    for (const [index, transaction] of taken.entries()) {
      const resolve = this.#awaited.get(transaction);
      const numbered = save.transactions[index];
      if (resolve === undefined || numbered === undefined) continue;
      this.#awaited.delete(transaction);
      this.#awaited.set(numbered, resolve);
    }
    this.#unanswered.push(save);
    return save;
  }

  /** Saves that had their numbers before this stay: they go first. */
  protected takeOver(saves: readonly NumberedSave[]): void {
    this.#unanswered = [...saves];
    this.#answered = 0;
  }

  /** The service has answered a save. @returns undefined if that was known */
  protected takeAnswer(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult | undefined {
    // Answered before, when it was sent twice: it is taken in once.
    if (!this.#unanswered.some(({ number }) => number === save.number)) return undefined;
    this.#unanswered = this.#unanswered.filter(({ number }) => number !== save.number);
    this.#answered = Math.max(this.#answered, save.number);
    this.#savedAt = new Date();
    const own = new Set(
      save.transactions.flatMap(({ changes }) => changes.flatMap((one) => ('key' in one ? one.key : []))),
    );
    const outcomes = save.transactions.map((_, index) => answer.transactions[index] ?? { applied: true });
    this.takeIn(answer.records, outcomes, own);
    const refused = this.tellOutcomes(save, answer.transactions);
    if ('tuning' in answer && answer.tuning !== undefined) this.tuning.take(answer.tuning, answer.now);
    for (const [board, standing] of Object.entries(answer.standings ?? {})) {
      this.#lastStandings = { ...this.#lastStandings, [board]: standing };
      this.#standings.tell(board, standing);
    }
    return { sent: save.transactions.length, refused };
  }

  /** Whoever waits for a transaction of a save hears what became of it, and the game of those that were refused. */
  protected tellOutcomes(save: NumberedSave, outcomes: readonly TransactionOutcome[]): readonly RefusedTransaction[] {
    return save.transactions.flatMap((transaction, index) => {
      const outcome = outcomes[index];
      if (outcome === undefined) return [];
      if (!outcome.applied) return this.#refuseOne(transaction, outcome.problem, outcome.unsettled);
      this.#endWait(transaction, outcome);
      return [];
    });
  }

  #endWait(transaction: Transaction, outcome: TransactionOutcome): void {
    this.#awaited.get(transaction)?.(outcome);
    this.#awaited.delete(transaction);
  }

  /**
   * The service will never take a save as it is: what is wrong in it is put
   * aside and told to the game, and the rest keeps its number.
   *
   * @returns what is sent in its place; undefined if nothing of it can be put aside
   */
  protected takeApart(save: NumberedSave, refusal: ServiceRefused): TakenApart | undefined {
    const place = this.#unanswered.findIndex(({ number }) => number === save.number);
    if (place < 0 || save.transactions.length === 0) return undefined;
    const { aside, rest, isStaying } = takenApart(save, refusal);
    const fromEnd = this.#unanswered.slice(place).reduce((sum, { transactions }) => sum + transactions.length, 0);
    this.#unanswered = this.#unanswered.with(place, rest);
    return { rest, aside, refused: this.refuseAside(aside, refusal, this.local.numberedCount - fromEnd, isStaying) };
  }

  /** Tells the game of transactions that will never be applied, and shows them no more. */
  protected refuseAside(
    aside: readonly Transaction[],
    { code, message: detail }: ServiceRefused,
    first: number,
    isStaying: readonly boolean[],
  ): readonly RefusedTransaction[] {
    for (const key of this.local.dropNumbered(first, isStaying)) this.tell(key, 'acknowledged');
    return aside.map((transaction) => this.#refuseOne(transaction, { code, detail, change: 0 }, undefined));
  }

  #refuseOne(transaction: Transaction, problem: TransactionProblem, unsettled: string | undefined): RefusedTransaction {
    const one = { transaction, problem, unsettled };
    this.#endWait(transaction, { applied: false, problem, ...(unsettled !== undefined && { unsettled }) });
    this.#refused.tell(one);
    return one;
  }

  /** Nobody will answer any more. */
  protected endAwaiting(why: string): void {
    const problem = { code: 'session-ended', change: 0, detail: why };
    for (const resolve of this.#awaited.values()) resolve({ applied: false, problem });
    this.#awaited.clear();
  }

  /** @param answered of the oldest transactions that were numbered, what became of each */
  protected takeIn(
    records: RecordsByKey,
    answered: readonly Pick<TransactionOutcome, 'applied'>[] = [],
    own: ReadonlySet<string> = new Set(),
  ): void {
    const isApplied = answered.map(({ applied }) => applied);
    const changed = this.local.takeIn(records, isApplied);
    for (const key of own) this.tell(key, 'acknowledged');
    for (const key of changed) if (!own.has(key)) this.tell(key, 'outside');
  }

  protected tell(key: string, from: ChangeOrigin): void {
    this.#watchers.get(key)?.tell(this.read(key)?.value, from);
    // What a record holds may decide what somebody gets.
    this.tuning.look();
  }
}
