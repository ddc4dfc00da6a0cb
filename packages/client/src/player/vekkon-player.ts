import { equalJson, type Rules, type Transaction } from '@vekkon/core';
import type { CheckpointList, JoinResponse, ManifestResponse } from '@vekkon/protocol';
import { ServiceRefused, SessionLeaving, SessionOver, VekkonError } from '../errors.js';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import type { Done, LocalRecords } from '../session/local-records.js';
import { GameTuning } from '../session/game-tuning.js';
import { GameBoards } from '../session/game-boards.js';
import { nothingSaved, Stay, type SaveResult } from '../session/stay.js';
import { RetryingTransport, type FailedTry } from '../transport/retrying-transport.js';
import { HttpTransport, type Sent } from '../transport/transport.js';
import { Connection } from './connection.js';
import { DeviceSession, type SessionPlayer } from './device-session.js';
import { DeviceTransport } from './device-transport.js';
import { endings, isSignInOver, mayPass, refusedForGood } from './failures.js';
import { GameAccount } from './game-account.js';
import type { AsideHere } from './kept-state.js';
import { KeptStay } from './kept-stay.js';
import { Leftovers } from './leftovers.js';
import type { PlayerStatus, VekkonPlayerOptions } from './options.js';
import { watchPage } from './page.js';
import { randomId } from './random-id.js';
import { DeviceUpkeep } from './upkeep.js';

const defaultAutosave = 10;
/** Milliseconds for which a call is tried, unless somebody says otherwise. */
const defaultDeadline = 5_000;
const defaultWait = 10;
/**
 * A game on the player's own device, without a server of its own.
 *
 * Changes apply to the copy here at once, are kept on the device, and are
 * saved every few seconds and when the page is left. Without a network the
 * game goes on, on what was last known, and saves when it is back.
 *
 * @example
 * const player = new VekkonPlayer({ url, deviceKey });
 * await player.start();
 * player.increase('landings', 1);
 */
export class VekkonPlayer<Game extends GameShape = AnyGame> extends Stay<Game> {
  /** The tunables as this player gets them; offline as they were last seen. */
  readonly tuning: GameTuning<Game>;
  readonly #options: VekkonPlayerOptions;
  readonly #device: DeviceTransport;
  readonly #transport: RetryingTransport;
  readonly #kept: KeptStay;
  readonly #leftovers: Leftovers;
  /** What each session asks of the player. */
  readonly #seam: SessionPlayer;
  readonly #statusListeners = new Listeners<[status: PlayerStatus]>();
  readonly #failedTries = new Listeners<[failed: FailedTry]>();
  readonly #lost = new Listeners<[reason: SessionOver]>();
  readonly #dropped = new Listeners<[transactions: readonly Transaction[]]>();
  /** Leaderboards, as far as the game shows them to its players. */
  readonly boards: GameBoards<Game>;
  /** How the player is known on other devices too. */
  readonly account: GameAccount;
  readonly #upkeep: DeviceUpkeep;
  readonly #instance = randomId();
  readonly #connection = new Connection(() => this.#tellStatus());
  #session: DeviceSession | undefined;
  /** When the service last answered, in milliseconds since 1970. */
  #heardAt = 0;
  #starting: Promise<void> | undefined;
  #comingBack: Promise<void> | undefined;
  #leaving: Promise<SaveResult> | undefined;
  /** Counts how often it was stopped: what was under way before a stop does not bring it back to life. */
  #life = 0;

  constructor(options: VekkonPlayerOptions) {
    super();
    this.#options = options;
    const { url, deviceKey, deadline = defaultDeadline, autosave = defaultAutosave } = options;
    this.tuning = new GameTuning<Game>({ starting: () => this.#kept.startingTunables });
    this.#kept = new KeptStay(options, {
      tuning: this.tuning,
      session: () => this.session,
      player: () => this.#session?.joined.player.id,
      unanswered: () => this.unanswered,
      leftover: () => this.#leftovers.all,
      addLeftover: (leftover) => this.#leftovers.add(leftover),
      changed: () => this.#tellStatus(),
    });
    this.#device = new DeviceTransport(new HttpTransport(url, {}, options.fetch), deviceKey, () => this.#kept.device);
    this.#transport = new RetryingTransport(this.#device, {
      deadline,
      onFailedTry: (failed) => this.#failedTries.tell(failed),
    });
    const send = <Answer>(sent: Sent) => this.#send<Answer>(sent);
    const token = () => this.#kept.opened?.token() ?? '';
    this.#leftovers = new Leftovers({
      send,
      answered: (save, outcomes, records = {}) => {
        this.takeIn(records, outcomes);
        this.#kept.rebase(records);
        // Where another tab plays, it knows better.
        if (this.#connection.is !== 'lost') this.#kept.keepKnown();
        this.tellOutcomes(save, outcomes);
      },
      putAside: (aside, refusal, isStaying) => {
        this.#kept.putAside(aside, refusal);
        // What is left over has its number before all else.
        this.refuseAside(aside, refusal, 0, isStaying);
      },
      changed: () => this.#kept.keep(),
    });
    this.#seam = {
      send,
      kept: this.#kept,
      tuning: this.tuning,
      isHere: (session) => session === this.#session,
      number: (number, isLast) => this.number(number, isLast),
      unanswered: () => this.unanswered,
      answeredUpTo: () => this.answeredUpTo,
      takeAnswer: (save, answer) => this.takeAnswer(save, answer),
      takeApart: (save, refusal) => this.takeApart(save, refusal),
      takeIn: (records) => this.takeIn(records),
      failed: (session, error) => this.#failed(session, error),
      handOver: () => this.#handOver(),
      tellStatus: () => this.#tellStatus(),
    };
    this.boards = new GameBoards({
      get: (path) => send({ method: 'GET', path }),
      post: (path, body) => send({ method: 'POST', path, body }),
      url,
      credential: token,
    });
    this.account = new GameAccount({
      kept: () => this.#kept.device,
      send,
      change: async (sent, take) => {
        const answer = await this.#device.change(sent, take);
        this.#forgetOthers();
        return answer;
      },
      leave: async () => {
        if (this.#connection.isPlaying) await this.leave();
        // What is left over is theirs who did it: it goes before the device is somebody else's.
        await this.#leftovers.deliver().catch((error: unknown) => {
          // Signed out from elsewhere: it goes when they are signed in again.
          if (!isSignInOver(error)) throw error;
        });
      },
      start: () => this.start(),
    });
    // What is heard is for the session that it names: another may have begun meanwhile.
    const here =
      <Event extends { readonly session: string }>(take: (event: Event) => void) =>
      (event: Event) => {
        if (event.session === this.session) take(event);
      };
    this.#upkeep = new DeviceUpkeep({
      url: url.replace(/\/+$/, ''),
      token,
      autosave,
      save: () => (this.#connection.is === 'online' && this.hasSomethingToSave ? this.save() : undefined),
      renew: () => this.#renew(),
      comeBack: () => this.#comeBack(),
      heard: {
        'handover-wanted': here(() => this.#handOver()),
        'outside-change': here(({ seen, records }) => this.#session?.heardOfChange(seen, records)),
        tuning: here(({ tuning }) => this.#kept.takeTuning(tuning, new Date().toISOString())),
        'save-now': here(() => void this.save().catch(() => undefined)),
        'session-lost': here(({ session, detail }) => this.#beLost(new SessionOver(session, detail))),
      },
    });
  }

  /** Who the player is; undefined until the service was reached for the first time. */
  get player(): { readonly id: string; readonly name: string | null } | undefined {
    return this.#kept.opened?.identity.player;
  }

  /** Did the player play for the first time when they joined? Undefined while that is not known. */
  get isNew(): boolean | undefined {
    return this.#session?.joined.player.isNew;
  }

  /** The id of the session; undefined while there is none. */
  get session(): string | undefined {
    return this.#session?.id;
  }

  get status(): PlayerStatus {
    return {
      connection: this.#connection.is,
      why: this.#connection.is === 'online' ? undefined : this.#connection.trouble?.message,
      pending: this.pending,
      savedAt: this.savedAt,
      isKept: this.#kept.isKept,
    };
  }

  /** What the service will never take as it is, with the reason, the newest last: kept on the device for whoever looks into it. */
  get setAside(): readonly AsideHere[] {
    return this.#kept.aside;
  }

  /** Tells how things stand, whenever that changes. @returns takes it back */
  onStatus(listener: (status: PlayerStatus) => void): () => void {
    return this.#statusListeners.add(listener);
  }

  /** Tells of each try that failed, and when the next will be. @returns takes it back */
  onFailedTry(listener: (failed: FailedTry) => void): () => void {
    return this.#failedTries.add(listener);
  }

  /** Tells that another tab or device plays now. `start` takes the player back. @returns takes it back */
  onLost(listener: (reason: SessionOver) => void): () => void {
    return this.#lost.add(listener);
  }

  /**
   * Tells of what was done offline before the first join, on starting values,
   * where the player turned out not to be new: it is not done to what they have.
   *
   * @returns takes it back
   */
  onDropped(listener: (transactions: readonly Transaction[]) => void): () => void {
    return this.#dropped.add(listener);
  }

  /**
   * Joins, with what waited from before. Where the service can't be reached
   * the game starts on what it last knew: `status.connection` is `offline`
   * then, and it joins by itself when it can.
   *
   * @throws StorageUnreadable; ServiceRefused where trying again can't help; ServiceUnreachable
   *   on a first start offline without a manifest
   */
  start(): Promise<void> {
    this.#starting ??= this.#start().finally(() => (this.#starting = undefined));
    return this.#starting;
  }

  /** Is the stay about to end? A game loop that looks at this before it changes anything ends in peace. */
  get isLeaving(): boolean {
    return this.#leaving !== undefined || this.#isSealed;
  }

  /**
   * Sends what is left and ends the stay. Offline it is kept for the next
   * start, and the result says that nothing was sent; where it can't be kept
   * either, it throws. From the moment that the last save has its number, changes throw
   * SessionLeaving.
   */
  leave(): Promise<SaveResult> {
    this.#leaving ??= this.#leave().finally(() => (this.#leaving = undefined));
    return this.#leaving;
  }

  /** Ends without a word to the service: what is not saved stays kept, and goes first at the next start. */
  stop(): void {
    this.#life++;
    this.#giveUpSession();
    this.#upkeep.stop();
    this.#transport.stop();
    this.#connection.set('left');
  }

  protected override get local(): LocalRecords {
    return this.#kept.local;
  }

  protected override checkOpen(): void {
    if (this.#isSealed && this.#connection.is === 'online') throw new SessionLeaving(this.session ?? '');
    this.#connection.checkPlaying(this.session);
  }

  /** The session's last save has its number: nothing can be added any more. */
  get #isSealed(): boolean {
    return this.#session?.isSealed === true;
  }

  protected override keepDone(transaction: Transaction): Promise<void> {
    const kept = this.#kept.keepDone(transaction);
    this.#tellStatus();
    return kept;
  }

  protected override readCheckpoints(): Promise<CheckpointList> {
    return this.#openSession().checkpoints();
  }

  protected override async doAndSave(...change: Parameters<Stay['doAndSave']>): Promise<void> {
    if (this.#connection.is === 'online') return super.doAndSave(...change);
    // Done here, and when the service is back, there.
    return this.do(...change);
  }

  protected override async saveAll(): Promise<SaveResult> {
    this.#connection.checkPlaying(this.session);
    // The leave saves everything too.
    if (this.#isSealed && this.#leaving !== undefined) return this.#leaving;
    if (this.#connection.is !== 'online') throw this.#connection.trouble ?? new TypeError('The player is not online.');
    return this.#openSession().save(false);
  }

  #checkAlive(life: number): void {
    if (life !== this.#life) throw new SessionOver(this.session ?? '', 'the player was stopped.');
  }

  async #start(): Promise<void> {
    if (this.#connection.isPlaying) return;
    const life = this.#life;
    this.#transport.goOn();
    await this.#kept.load();
    try {
      await this.#connect();
    } catch (error) {
      if (life !== this.#life) throw error;
      if (!mayPass(error) || this.#kept.rules === undefined) {
        this.#connection.set('starting', error);
        throw error;
      }
      this.#beOffline(error);
    }
    this.#upkeep.watch(
      watchPage({
        hidden: () => this.#lastWords(false),
        left: (mayComeBack) => this.#lastWords(!mayComeBack),
        shown: () => void this.#comeBack(),
        online: () => this.#upkeep.tryNow(),
        offline: () => void this.#renew(),
      }),
    );
  }

  /** Delivers what had its number, joins, and puts what waited on top of what is stored. */
  async #connect(): Promise<void> {
    const life = this.#life;
    const { manifestVersion, name, attributes, wait = defaultWait, deadline = defaultDeadline } = this.#options;
    const query = manifestVersion === undefined ? '' : `?version=${manifestVersion}`;
    const installed = await this.#send<ManifestResponse>({ method: 'GET', path: `/v1/manifest${query}` });
    await this.#leftovers.deliver();
    this.#checkAlive(life);
    // Kept before it is sent: sent again after a reload, it opens the same session, and the same player is new.
    this.#kept.joining ??= { attempt: randomId(), instance: this.#instance };
    this.#kept.keep();
    const host = this.#kept.device.slotName;
    const joined = await this.#send<JoinResponse>(
      {
        method: 'POST',
        path: '/v1/me/join',
        body: { host, ...this.#kept.joining, name, attributes, wait, manifest: installed.version },
      },
      deadline + wait * 1000,
    );
    const rules = this.#kept.rulesOf(installed.manifest, installed.learns);
    const decide = await this.#kept.decide(joined.records);
    this.#checkAlive(life);
    this.#takeUp(joined, rules, installed.version, decide);
  }

  /** Everything from here on happens in one go, so that nothing that the game does falls in between. */
  #takeUp(
    joined: JoinResponse,
    rules: Rules,
    version: number,
    decide: (waiting: readonly Done[]) => readonly Done[],
  ): void {
    const known = this.#kept.device.identity.known;
    const isSomebodyElse = known !== undefined && known.player !== joined.player.id;
    const startedElsewhere = known === undefined && !joined.player.isNew && joined.seen > 1;
    const { waitingDone: waited } = this.local;
    const before = this.records;
    const isDropped = isSomebodyElse || startedElsewhere;
    this.#kept.takeUp(joined.records, rules, isDropped ? [] : decide(waited));
    this.#session = new DeviceSession(joined, this.#seam);
    this.#kept.takeTuning(joined.tuning, joined.now);
    this.#kept.device.setIdentity({
      player: { id: joined.player.id, name: joined.player.name },
      manifest: { version, manifest: rules.manifest },
    });
    this.#beOnline();
    const after = this.records;
    for (const key of new Set([...before.keys(), ...after.keys()])) {
      if (!equalJson(before.get(key)?.value ?? null, after.get(key)?.value ?? null)) this.tell(key, 'outside');
    }
    if (isDropped && waited.length > 0) {
      this.#dropped.tell(waited.map(({ transaction }) => transaction));
    }
    void this.#session.learnCheckpoints();
  }

  /** A call of the session failed. @returns what whoever asked for it is told */
  #failed(session: DeviceSession, error: unknown): unknown {
    if (session !== this.#session) return error;
    if (error instanceof ServiceRefused && endings.has(error.code)) {
      const over = new SessionOver(session.id, error.message);
      const asleep = Date.now() - this.#heardAt > session.leaseSeconds * 1000;
      // A page that slept has lost nothing but its lease: it joins again by itself.
      if (asleep) {
        this.#beOffline(over);
        this.#upkeep.tryNow();
      } else this.#beLost(over);
      return over;
    }
    if (mayPass(error) && this.#connection.is === 'online') this.#beOffline(error);
    return error;
  }

  async #renew(): Promise<void> {
    if (this.#connection.is !== 'online') return;
    const session = this.#openSession();
    try {
      await session.renew();
    } catch (error) {
      // A renewal may cross the session's own leave: then it is not lost, but left.
      if (this.#leaving === undefined) this.#failed(session, error);
    }
  }

  /** Goes on with the session if that is still there, or joins again. */
  #comeBack(): Promise<void> {
    this.#comingBack ??= this.#tryToComeBack().finally(() => (this.#comingBack = undefined));
    return this.#comingBack;
  }

  async #tryToComeBack(): Promise<void> {
    if (this.#connection.is === 'online') return this.#renew();
    if (this.#connection.is !== 'offline') return;
    const life = this.#life;
    try {
      // Nothing follows a last save: what was done since goes into another session.
      if (this.#isSealed) this.#giveUpSession();
      if (this.#session !== undefined && (await this.#resume(this.#session))) return;
      await this.#connect();
    } catch (error) {
      if (life !== this.#life) return;
      if (mayPass(error)) this.#beOffline(error);
      else this.#beLost(new SessionOver(this.session ?? '', error instanceof Error ? error.message : String(error)));
    }
  }

  /** @returns false if the session is over */
  async #resume(session: DeviceSession): Promise<boolean> {
    const life = this.#life;
    try {
      const answer = await session.ask();
      const decide = await this.#kept.decide(answer.records);
      this.#checkAlive(life);
      this.local.replaceWaiting(decide(this.local.waitingDone));
      session.takeRenewal(answer);
      this.#kept.putOn(this.local.acknowledged);
      this.#beOnline();
      return true;
    } catch (error) {
      refusedForGood(error);
      this.#giveUpSession();
      return false;
    }
  }

  /** What has a number and no answer goes first when the service is back, under the session that it belongs to. */
  #giveUpSession(): void {
    if (this.#session !== undefined) {
      this.#leftovers.add({ session: this.#session.id, saves: this.unanswered });
      this.takeOver([]);
      this.#session = undefined;
    }
    this.#kept.keep();
  }

  #handOver(): void {
    if (this.#connection.is !== 'online') return;
    const reason = new SessionOver(this.#openSession().id, 'another tab or device asked for the player.');
    // Whether the last save was answered or is kept for later: here the stay is over.
    const end = () => {
      if (this.#connection.is !== 'left') return;
      this.#connection.set('lost', reason);
      this.#lost.tell(reason);
    };
    this.leave().then(end, end);
  }

  async #leave(): Promise<SaveResult> {
    while (this.underWay !== undefined) await this.underWay.catch(() => undefined);
    this.#connection.checkPlaying(this.session);
    if (this.#connection.is === 'offline') {
      const trouble = this.#connection.trouble;
      await this.#endHere();
      return this.#leftFor(trouble ?? new TypeError('The player is offline.'));
    }
    try {
      const total = await this.#openSession().save(true);
      await this.#endHere();
      return total;
    } catch (error) {
      // It has its number: it goes first at the next start.
      if (this.#connection.isPlaying) await this.#endHere();
      if (error instanceof VekkonError && error.canRetry) return this.#leftFor(error);
      throw error;
    }
  }

  /** Nothing was sent. Where all of it is kept for the next start, that is no failure. */
  #leftFor(trouble: unknown): SaveResult {
    if (this.#kept.isKept) return nothingSaved;
    throw trouble;
  }

  /** The stay ends; what is not saved is kept for the next start. */
  async #endHere(): Promise<void> {
    this.#upkeep.stop();
    if (this.unanswered.length > 0) this.#giveUpSession();
    this.#session = undefined;
    this.#kept.keep();
    this.#connection.set('left');
    await this.#kept.device.flushed();
  }

  /** The device is somebody else's now: nothing of whoever it was before is shown or sent as theirs. */
  #forgetOthers(): void {
    const { rules, device } = this.#kept;
    if (device.identity.known !== undefined || this.#connection.isPlaying || rules === undefined) return;
    this.#kept.startAnew(rules);
  }

  /** The page may be ended without another word: what is left is kept first, then sent. */
  #lastWords(leave: boolean): void {
    this.#kept.keep();
    if (this.#connection.is === 'online' && (leave || this.hasSomethingToSave)) this.#openSession().sayLast(leave);
  }

  #beOnline(): void {
    this.#connection.set('online');
    this.#kept.keepKnown();
    this.#kept.keep();
    const { id, leaseSeconds } = this.#openSession();
    this.#upkeep.start(id, leaseSeconds);
    if (this.hasSomethingToSave) this.save().catch(() => undefined);
  }

  #beOffline(error: unknown): void {
    this.#connection.set('offline', error);
    this.#upkeep.waitForService();
  }

  #beLost(reason: SessionOver): void {
    if (this.#connection.is === 'lost') return;
    this.#giveUpSession();
    this.#upkeep.stop();
    this.#connection.set('lost', reason);
    this.endAwaiting(reason.message);
    // Too late to be applied: the service keeps it as unsettled. What never had a number goes into the next session.
    this.#leftovers.deliver().catch(() => undefined);
    this.#lost.tell(reason);
  }

  #openSession(): DeviceSession {
    if (this.#session === undefined) throw this.#connection.trouble ?? new TypeError('The player has not joined.');
    return this.#session;
  }

  async #send<Answer>(sent: Sent, timeout = this.#options.deadline ?? defaultDeadline): Promise<Answer> {
    const answer = await this.#transport.send<Answer>({ timeout, ...sent });
    this.#heardAt = Date.now();
    return answer;
  }

  #tellStatus(): void {
    this.#statusListeners.tell(this.status);
  }
}
