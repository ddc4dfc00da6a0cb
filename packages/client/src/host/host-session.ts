import type { Records, Rules, Transaction } from '@vekkon/core';
import type { CheckpointList, JoinResponse, LeaveResponse, RecordsByKey, SaveResponse } from '@vekkon/protocol';
import { SessionLeaving, SessionOver, type ServiceRefused } from '../errors.js';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import type { GameTuning, HeldTuning } from '../session/game-tuning.js';
import { LocalRecords } from '../session/local-records.js';
import { nothingSaved, Stay, type NumberedSave, type SaveResult, type TakenApart } from '../session/stay.js';
import type { SpoolEntry } from './spool-contents.js';

/** What the upkeep of a host does with its sessions, whatever their game. @internal */
export interface HeldSession {
  readonly id: string;
  readonly player: JoinResponse['player'];
  readonly leaseSeconds: number;
  readonly seen: number;
  /** The highest number whose answer has arrived. */
  readonly answeredUpTo: number;
  readonly isOver: boolean;
  /** Its leave is on the way: what becomes of it, the answer says. */
  readonly isLeaveUnderWay: boolean;
  readonly hasSomethingToSave: boolean;
  readonly tuning: HeldTuning;
  save(): Promise<SaveResult>;
  leave(): Promise<SaveResult>;
  numberAll(options: { readonly leave: boolean }): readonly NumberedSave[];
  spoolUnanswered(): Promise<void>;
  clearSpool(): Promise<void>;
  answered(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult;
  setAside(save: NumberedSave, refusal: ServiceRefused): TakenApart | undefined;
  changedOutside(seen: number, records: RecordsByKey): void;
  heardOfChange(seen: number, records: RecordsByKey): void;
  beOver(reason: SessionOver): void;
  handedOver(): void;
}

/** A part of a save that the service will never take, and why. */
export interface SetAside {
  readonly player: string;
  /** The number of the save. */
  readonly number: number;
  readonly reason: string;
}

/** What a session asks of the host that it is on. @internal */
export interface SessionHost {
  send(session: HeldSession, saves: readonly NumberedSave[]): Promise<SaveResult>;
  /** Keeps a line in the spool; resolves at once where there is none. */
  spool(entry: SpoolEntry): Promise<void>;
  checkpoints(session: string): Promise<CheckpointList>;
  readonly isJournaling: boolean;
  /** A part of a save will never be taken: closing says so. */
  noteAside(aside: SetAside): void;
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
export class HostSession<Game extends GameShape = AnyGame> extends Stay<Game> implements HeldSession {
  readonly isSaved = true;
  readonly id: string;
  readonly player: JoinResponse['player'];
  readonly leaseSeconds: number;
  protected readonly local: LocalRecords;
  readonly tuning: GameTuning<Game>;
  readonly #host: SessionHost;
  readonly #lost = new Listeners<[reason: SessionOver]>();
  #seen: number;
  #nextSave: number;
  readonly #spooled = new Set<number>();
  /** Resolves when every save that has a number lies in the spool, where it must before it is sent. */
  #kept: Promise<unknown> = Promise.resolve();
  #leaving: Promise<SaveResult> | undefined;
  /** The highest number whose answer has arrived, and of which the spool knows that it has. */
  #said = 0;
  /** The last save has its number: nothing can be added any more. */
  #isSealed = false;
  #over: SessionOver | undefined;
  /** Nothing of it is left to be delivered, whatever still waits for an answer. */
  #isDelivered = false;

  /** @internal */
  constructor(
    host: SessionHost,
    joined: JoinResponse,
    rules: Rules,
    tuningOf: (records: () => Records) => GameTuning<Game>,
  ) {
    super();
    this.#host = host;
    this.id = joined.session.id;
    this.leaseSeconds = joined.session.leaseSeconds;
    this.player = joined.player;
    this.#seen = joined.seen;
    this.#nextSave = joined.session.nextSave;
    this.local = new LocalRecords(joined.records, rules);
    this.tuning = tuningOf(() => this.records);
    this.tuning.take(joined.tuning, joined.now);
  }

  get isOver(): boolean {
    return this.#over !== undefined;
  }

  /**
   * Is the stay about to end, or over? A game loop that looks at this before
   * it changes anything ends in peace: what was done before is in the last save.
   */
  get isLeaving(): boolean {
    return this.#leaving !== undefined || this.#isSealed || this.isOver;
  }

  /** @internal */
  get isLeaveUnderWay(): boolean {
    return this.#leaving !== undefined;
  }

  /** @internal The last commit to this player that is known here. */
  get seen(): number {
    return this.#seen;
  }

  /** @internal What is said may be forgotten by the service: a later start may not send it again. */
  override get answeredUpTo(): number {
    return this.#said;
  }

  /** Tells when the session is lost: somebody else writes the player's records now. @returns takes it back */
  onLost(listener: (reason: SessionOver) => void): () => void {
    return this.#lost.add(listener);
  }

  /**
   * Sends what is left and ends the stay, in one commit. What is done while an
   * earlier save is under way still goes along; from the moment that the last
   * save has its number, changes throw SessionLeaving.
   */
  leave(): Promise<SaveResult> {
    this.#leaving ??= this.#leave().finally(() => (this.#leaving = undefined));
    return this.#leaving;
  }

  protected override checkOpen(): void {
    this.#checkNotOver();
    if (this.#isSealed) throw new SessionLeaving(this.id);
  }

  #checkNotOver(): void {
    if (this.#over !== undefined) throw this.#over;
  }

  protected override readCheckpoints(): Promise<CheckpointList> {
    return this.#host.checkpoints(this.id);
  }

  protected override keepDone(transaction: Transaction): Promise<void> {
    return this.#host.isJournaling
      ? this.#host.spool({ is: 'done', session: this.id, transaction })
      : Promise.resolve();
  }

  protected override async saveAll(): Promise<SaveResult> {
    this.#checkNotOver();
    // The leave saves everything too.
    if (this.#isSealed && this.#leaving !== undefined) return this.#leaving;
    const saves = this.numberAll({ leave: false });
    if (saves.length === 0) return nothingSaved;
    await this.#kept;
    return this.#host.send(this, saves);
  }

  async #leave(): Promise<SaveResult> {
    while (this.underWay !== undefined && !this.#isSealed) await this.underWay.catch(() => undefined);
    this.#checkNotOver();
    const saves = this.numberAll({ leave: true });
    await this.#kept;
    return this.#host.send(this, saves);
  }

  /**
   * @internal Gives a number to all that waits, in as many saves as it takes.
   * With `leave` the last of them ends the session.
   */
  numberAll({ leave }: { readonly leave: boolean }): readonly NumberedSave[] {
    if (leave) this.#isSealed = true;
    while (this.local.waiting.length > 0) this.#number(leave);
    const isLeaving = this.unanswered.at(-1)?.leave === true;
    if (leave && !isLeaving) this.#number(true);
    return this.unanswered;
  }

  #number(isLast: boolean): void {
    const save = this.number(this.#nextSave++, isLast);
    if (this.#host.isJournaling) this.#keep(save, this.local.waiting);
  }

  #keep(save: NumberedSave, rest: readonly Transaction[]): void {
    this.#spooled.add(save.number);
    const kept = this.#host.spool({ is: 'save', session: this.id, player: this.player.id, rest, ...save });
    // A spool that fails is heard of by whoever sends next.
    this.#kept = Promise.all([this.#kept, kept]);
    this.#kept.catch(() => undefined);
  }

  /** @internal Keeps in the spool what has a number and no answer. @throws if it can't be kept */
  async spoolUnanswered(): Promise<void> {
    // A try that was still under way when all of it had been delivered.
    if (this.#isDelivered) return;
    for (const save of this.unanswered) if (!this.#spooled.has(save.number)) this.#keep(save, this.local.waiting);
    await this.#kept;
  }

  /** @internal Nothing of this session is to be delivered any more. */
  async clearSpool(): Promise<void> {
    this.#isDelivered = true;
    if (this.#spooled.size > 0 || this.#host.isJournaling) await this.#host.spool({ is: 'over', session: this.id });
  }

  /** @internal The service has answered a save. */
  answered(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    this.#seen = Math.max(this.#seen, answer.seen);
    const result = this.takeAnswer(save, answer);
    if (result === undefined) return nothingSaved;
    const say = () => void (this.#said = Math.max(this.#said, save.number));
    if (this.#spooled.delete(save.number)) {
      this.#host.spool({ is: 'answered', session: this.id, number: save.number }).then(say, say);
    } else say();
    if (save.leave) this.#end(new SessionOver(this.id, 'the player left.'));
    return result;
  }

  /**
   * @internal The service will never take a save as it is: what is wrong in it
   * is kept in the spool with the reason, and the game is told.
   *
   * @returns what is sent in its place; undefined if nothing of it can be put aside
   */
  setAside(save: NumberedSave, refusal: ServiceRefused): TakenApart | undefined {
    const apart = this.takeApart(save, refusal);
    if (apart === undefined) return undefined;
    const { number } = save;
    const { aside: transactions, rest } = apart;
    const entry = { session: this.id, player: this.player.id, number, transactions, rest: rest.transactions };
    const kept = this.#host.spool({
      is: 'aside',
      ...entry,
      reason: refusal.message,
      at: new Date().toISOString(),
    });
    this.#kept = Promise.all([this.#kept, kept]);
    this.#kept.catch(() => undefined);
    this.#host.noteAside({ player: this.player.id, number, reason: refusal.message });
    return apart;
  }

  /** @internal What others changed since the commit that was last known here, all of it. */
  changedOutside(seen: number, records: RecordsByKey): void {
    this.#seen = Math.max(this.#seen, seen);
    this.takeIn(records);
  }

  /** @internal One change by others, as the stream tells of it. */
  heardOfChange(seen: number, records: RecordsByKey): void {
    // Where an event before this one was missed, the next answer must bring it: what is known stays what it was.
    if (seen === this.#seen + 1) this.#seen = seen;
    this.takeIn(records);
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
    this.tuning.stop();
    this.endAwaiting(reason.message);
  }
}
