import { equalJson, utf8Bytes, type Rules, type Transaction } from '@vekkon/core';
import type {
  JoinResponse,
  LeaveResponse,
  ManifestResponse,
  ProblemDetails,
  RecordsByKey,
  RenewResponse,
  SaveResponse,
} from '@vekkon/protocol';
import { ServiceRefused, SessionLeaving, SessionOver, VekkonError } from '../errors.js';
import { Listeners } from '../listeners.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import { LocalRecords } from '../session/local-records.js';
import { isForShape } from '../session/put-aside.js';
import { tunedPart } from '../session/game-tuning.js';
import { GameBoards } from '../session/game-boards.js';
import { nothingSaved, together, type NumberedSave, type SaveResult, type Stay } from '../session/stay.js';
import { decided, type Conflict, type Decision } from './conflicts.js';
import { defaultDeadline, DeviceStay, notStarted, now, startingOf } from './device-stay.js';
import { endings, isSignInOver, mayPass, refusedForGood } from './failures.js';
import { requestOf } from './leftovers.js';
import type { VekkonPlayerOptions } from './options.js';
import { GameAccount } from './game-account.js';
import { watchPage } from './page.js';
import { randomId } from './random-id.js';
import { DeviceUpkeep } from './upkeep.js';

const defaultAutosave = 10;
const defaultWait = 10;
/** What a request that outlives its page may hold, of the 64 KiB that browsers allow. */
const lastWordsBytes = 60_000;
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
export class VekkonPlayer<Game extends GameShape = AnyGame> extends DeviceStay<Game> {
  readonly #lost = new Listeners<[reason: SessionOver]>();
  readonly #dropped = new Listeners<[transactions: readonly Transaction[]]>();
  /** Leaderboards, as far as the game shows them to its players. */
  readonly boards: GameBoards<Game>;
  /** How the player is known on other devices too. */
  readonly account: GameAccount;
  readonly #upkeep: DeviceUpkeep;
  readonly #instance = randomId();
  #starting: Promise<void> | undefined;
  #comingBack: Promise<void> | undefined;
  #leaving: Promise<SaveResult> | undefined;
  /** The session's last save has its number: nothing can be added any more. */
  #isSealed = false;
  /** Counts how often it was stopped: what was under way before a stop does not bring it back to life. */
  #life = 0;

  constructor(options: VekkonPlayerOptions) {
    super(options);
    this.boards = new GameBoards({
      get: (path) => this.send({ method: 'GET', path }),
      post: (path, body) => this.send({ method: 'POST', path, body }),
      url: options.url,
      credential: () => this.kept?.token() ?? '',
    });
    this.account = new GameAccount({
      kept: () => this.openKept(),
      send: (sent) => this.send(sent),
      change: async (sent, take) => {
        if (this.device === undefined) throw notStarted();
        const answer = await this.device.change(sent, take);
        this.#forgetOthers();
        return answer;
      },
      leave: async () => {
        if (this.#isPlaying) await this.leave();
        // What is left over is theirs who did it: it goes before the device is somebody else's.
        await this.leftovers.deliver().catch((error: unknown) => {
          // Signed out from elsewhere: it goes when they are signed in again.
          if (!isSignInOver(error)) throw error;
        });
      },
      start: () => this.start(),
    });
    this.#upkeep = new DeviceUpkeep({
      url: options.url.replace(/\/+$/, ''),
      token: () => this.kept?.token() ?? '',
      autosave: options.autosave ?? defaultAutosave,
      save: () => (this.connection === 'online' && this.hasSomethingToSave ? this.save() : undefined),
      renew: () => this.#renew(),
      comeBack: () => this.#comeBack(),
      heard: {
        'handover-wanted': ({ session }) => void (session === this.session && this.#handOver()),
        'outside-change': ({ session, seen, records }) => {
          if (session === this.session) this.#heardOfChange(seen, records);
        },
        tuning: ({ session, tuning }) => {
          if (session === this.session) this.takeTuning(tuning, new Date().toISOString());
        },
        'save-now': ({ session }) => void (session === this.session && this.save().catch(() => undefined)),
        'session-lost': ({ session, detail }) => {
          if (session === this.session) this.#beLost(new SessionOver(session, detail));
        },
      },
    });
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
    this.keepSlot();
    this.#upkeep.stop();
    this.transport?.stop();
    this.setConnection('left');
  }

  protected override checkOpen(): void {
    if (this.#isSealed && this.connection === 'online') throw new SessionLeaving(this.session ?? '');
    this.#checkNotOver();
  }

  get #isPlaying(): boolean {
    return this.connection === 'online' || this.connection === 'offline';
  }

  #checkNotOver(): void {
    if (this.#isPlaying) return;
    if (this.connection === 'starting') throw new TypeError('The player has not started: await start() first.');
    const why = this.trouble?.message ?? 'the player left.';
    throw this.trouble instanceof SessionOver ? this.trouble : new SessionOver(this.session ?? '', why);
  }

  protected override async doAndSave(...change: Parameters<Stay['doAndSave']>): Promise<void> {
    if (this.connection === 'online') return super.doAndSave(...change);
    // Done here, and when the service is back, there.
    return this.do(...change);
  }

  protected override async saveAll(): Promise<SaveResult> {
    this.#checkNotOver();
    // The leave saves everything too.
    if (this.#isSealed && this.#leaving !== undefined) return this.#leaving;
    if (this.connection !== 'online') throw this.trouble ?? new TypeError('The player is not online.');
    this.#numberAll(false);
    return this.#sendAll();
  }

  async #sendAll(): Promise<SaveResult> {
    const session = this.openSession();
    let total = nothingSaved;
    for (const save of [...this.unanswered]) {
      const answered = this.answeredUpTo;
      // What is said to have arrived may be forgotten by the service: it is out of what is kept here before.
      await this.kept?.flushed();
      this.#checkStill(session);
      total = together(total, await this.#sendSave(session, save, answered));
    }
    return total;
  }

  #checkAlive(life: number): void {
    if (life !== this.#life) throw new SessionOver(this.session ?? '', 'the player was stopped.');
  }

  /** A save belongs to its session: where another has begun meanwhile, it goes with what that one left over. */
  #checkStill(session: string): void {
    if (session === this.session) return;
    throw new SessionOver(session, 'it was given up; what it had not saved is delivered by itself.');
  }

  async #start(): Promise<void> {
    if (this.#isPlaying) return;
    const life = this.#life;
    await this.load();
    try {
      await this.#connect();
    } catch (error) {
      if (life !== this.#life) throw error;
      if (!mayPass(error) || this.rules === undefined) {
        this.setConnection('starting', error);
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
    const { manifestVersion, name, attributes, wait = defaultWait, deadline = defaultDeadline } = this.options;
    const query = manifestVersion === undefined ? '' : `?version=${manifestVersion}`;
    const installed = await this.send<ManifestResponse>({ method: 'GET', path: `/v1/manifest${query}` });
    await this.leftovers.deliver();
    this.#checkAlive(life);
    // Kept before it is sent: sent again after a reload, it opens the same session, and the same player is new.
    this.joining ??= { attempt: randomId(), instance: this.#instance };
    this.keepSlot();
    const host = this.kept?.slotName ?? 'device';
    const joined = await this.send<JoinResponse>(
      {
        method: 'POST',
        path: '/v1/me/join',
        body: { host, ...this.joining, name, attributes, wait, manifest: installed.version },
      },
      deadline + wait * 1000,
    );
    const rules = this.rulesOf(installed.manifest, installed.learns);
    const decisions = await this.decide(joined.records);
    this.#checkAlive(life);
    this.#takeUp(joined, rules, installed.version, decisions);
  }

  /** Everything from here on happens in one go, so that nothing that the game does falls in between. */
  #takeUp(joined: JoinResponse, rules: Rules, version: number, decisions: readonly [Conflict, Decision][]): void {
    const known = this.kept?.identity.known;
    const isSomebodyElse = known !== undefined && known.player !== joined.player.id;
    const startedElsewhere = known === undefined && !joined.player.isNew && joined.seen > 1;
    const { waitingDone: waited } = this.local;
    const before = this.records;
    let waiting = waited;
    const isDropped = isSomebodyElse || startedElsewhere;
    if (isDropped) waiting = [];
    else for (const [conflict, decision] of decisions) waiting = decided(waiting, conflict, decision, now());
    this.rules = rules;
    this.local = new LocalRecords(joined.records, rules, {
      waiting,
      checkpoints: this.local.checkpoints,
      byPlayer: true,
    });
    this.joined = joined;
    this.#isSealed = false;
    this.nextSave = joined.session.nextSave;
    this.takeTuning(joined.tuning, joined.now);
    this.seen = joined.seen;
    this.joining = undefined;
    this.bases = this.freshBases(joined.records);
    this.kept?.setIdentity({
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
    void this.learnCheckpoints();
  }

  #numberAll(leave: boolean): void {
    while (this.local.waiting.length > 0) this.number(this.nextSave++, leave);
    if (leave && this.unanswered.at(-1)?.leave !== true) this.number(this.nextSave++, true);
    if (leave) this.#isSealed = true;
    this.keepSlot();
  }

  async #sendSave(session: string, save: NumberedSave, answered: number): Promise<SaveResult> {
    try {
      const request = requestOf(session, save);
      const body = { ...request.body, seen: this.seen, answered, tuned: this.tuning.tag };
      const answer = await this.send<SaveResponse | LeaveResponse>({ ...request, body });
      this.#checkStill(session);
      return this.#answered(save, answer);
    } catch (error) {
      const apart =
        error instanceof ServiceRefused && isForShape(error) && session === this.session
          ? this.takeApart(save, error)
          : undefined;
      if (apart === undefined) throw this.#failed(session, error);
      this.keepAside(apart.aside, error as ServiceRefused);
      this.keepSlot();
      return together({ ...nothingSaved, refused: apart.refused }, await this.#sendSave(session, apart.rest, answered));
    }
  }

  #answered(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    this.seen = Math.max(this.seen, answer.seen);
    const result = this.takeAnswer(save, answer) ?? nothingSaved;
    if ('tuning' in answer) this.takeTuning(answer.tuning, answer.now);
    this.rebase(answer.records);
    this.keepKnown();
    this.keepSlot();
    this.tellStatus();
    if ('handoverWanted' in answer.session && answer.session.handoverWanted) this.#handOver();
    return result;
  }

  /** A call of the session failed. @returns what whoever asked for it is told */
  #failed(session: string, error: unknown): unknown {
    if (session !== this.session) return error;
    if (error instanceof ServiceRefused && endings.has(error.code)) {
      const over = new SessionOver(session, error.message);
      const asleep = Date.now() - this.heardAt > (this.joined?.session.leaseSeconds ?? 60) * 1000;
      // A page that slept has lost nothing but its lease: it joins again by itself.
      if (asleep) {
        this.#beOffline(over);
        this.#upkeep.tryNow();
      } else this.#beLost(over);
      return over;
    }
    if (mayPass(error) && this.connection === 'online') this.#beOffline(error);
    return error;
  }

  async #renew(): Promise<void> {
    if (this.connection !== 'online') return;
    const session = this.openSession();
    try {
      const answer = await this.#askToRenew(session, tunedPart(this.tuning));
      if (session !== this.session) return;
      this.seen = Math.max(this.seen, answer.seen);
      this.takeIn(answer.records);
      this.takeTuning(answer.tuning, answer.now);
      if (answer.session.handoverWanted) this.#handOver();
    } catch (error) {
      // A renewal may cross the session's own leave: then it is not lost, but left.
      if (this.#leaving === undefined) this.#failed(session, error);
    }
  }

  #askToRenew(session: string, more?: object): Promise<RenewResponse> {
    return this.send({ method: 'POST', path: `/v1/sessions/${session}/renew`, body: { seen: this.seen, ...more } });
  }

  /** Goes on with the session if that is still there, or joins again. */
  #comeBack(): Promise<void> {
    this.#comingBack ??= this.#tryToComeBack().finally(() => (this.#comingBack = undefined));
    return this.#comingBack;
  }

  async #tryToComeBack(): Promise<void> {
    if (this.connection === 'online') return this.#renew();
    if (this.connection !== 'offline') return;
    const life = this.#life;
    try {
      // Nothing follows a last save: what was done since goes into another session.
      if (this.#isSealed) this.giveUpSession();
      if (this.joined !== undefined && (await this.#resume(this.joined.session.id))) return;
      await this.#connect();
    } catch (error) {
      if (life !== this.#life) return;
      if (mayPass(error)) this.#beOffline(error);
      else this.#beLost(new SessionOver(this.session ?? '', error instanceof Error ? error.message : String(error)));
    }
  }

  /** @returns false if the session is over */
  async #resume(session: string): Promise<boolean> {
    const life = this.#life;
    try {
      const answer = await this.#askToRenew(session);
      const decisions = await this.decide(answer.records);
      this.#checkAlive(life);
      let waiting = this.local.waitingDone;
      for (const [conflict, decision] of decisions) waiting = decided(waiting, conflict, decision, now());
      this.local.replaceWaiting(waiting);
      this.seen = Math.max(this.seen, answer.seen);
      this.takeIn(answer.records);
      this.bases = this.freshBases(this.local.acknowledged);
      this.#beOnline();
      return true;
    } catch (error) {
      refusedForGood(error);
      this.giveUpSession();
      return false;
    }
  }

  protected override giveUpSession(): void {
    this.#isSealed = false;
    super.giveUpSession();
  }

  #handOver(): void {
    if (this.connection !== 'online') return;
    const reason = new SessionOver(this.openSession(), 'another tab or device asked for the player.');
    // Whether the last save was answered or is kept for later: here the stay is over.
    const end = () => {
      if (this.connection !== 'left') return;
      this.setConnection('lost', reason);
      this.#lost.tell(reason);
    };
    this.leave().then(end, end);
  }

  async #leave(): Promise<SaveResult> {
    while (this.underWay !== undefined) await this.underWay.catch(() => undefined);
    this.#checkNotOver();
    if (this.connection === 'offline') {
      const trouble = this.trouble;
      await this.#endHere();
      return this.#leftFor(trouble ?? new TypeError('The player is offline.'));
    }
    this.#numberAll(true);
    try {
      const total = await this.#sendAll();
      await this.#endHere();
      return total;
    } catch (error) {
      // It has its number: it goes first at the next start.
      if (this.#isPlaying) await this.#endHere();
      if (error instanceof VekkonError && error.canRetry) return this.#leftFor(error);
      throw error;
    }
  }

  /** Nothing was sent. Where all of it is kept for the next start, that is no failure. */
  #leftFor(trouble: unknown): SaveResult {
    if (this.kept !== undefined && this.kept.trouble === undefined) return nothingSaved;
    throw trouble;
  }

  /** The stay ends; what is not saved is kept for the next start. */
  async #endHere(): Promise<void> {
    this.#upkeep.stop();
    if (this.unanswered.length > 0) this.giveUpSession();
    this.joined = undefined;
    this.#isSealed = false;
    this.keepSlot();
    this.setConnection('left');
    await this.kept?.flushed();
  }

  /** The device is somebody else's now: nothing of whoever it was before is shown or sent as theirs. */
  #forgetOthers(): void {
    const { rules } = this;
    if (this.openKept().identity.known !== undefined || this.#isPlaying || rules === undefined) return;
    this.local = new LocalRecords(startingOf(rules), rules, { byPlayer: true });
    this.joining = undefined;
    this.keepSlot();
  }

  /** The page may be ended without another word: what is left is kept first, then sent where it is small enough. */
  #lastWords(leave: boolean): void {
    this.keepSlot();
    if (this.connection !== 'online') return;
    const session = this.openSession();
    if (!leave && !this.hasSomethingToSave) return;
    this.#numberAll(leave);
    const sent = [...this.unanswered];
    const body = { saves: sent.map((save) => ({ session, ...save })) };
    if (utf8Bytes(JSON.stringify(body)) > lastWordsBytes) return;
    // Nobody may be there for the answer: the same saves are sent again, and answered again.
    this.send<{ results: (SaveResponse | ProblemDetails)[] }>({
      method: 'POST',
      path: '/v1/saves',
      body,
      keepalive: true,
    })
      .then(({ results }) => {
        for (const [index, save] of sent.entries()) {
          const answer = results[index];
          if (answer !== undefined && !('code' in answer) && session === this.session) this.#answered(save, answer);
        }
      })
      .catch(() => undefined);
  }

  #heardOfChange(seen: number, records: RecordsByKey): void {
    // Where an event before this one was missed, the next answer must bring it: what is known stays what it was.
    if (seen === this.seen + 1) this.seen = seen;
    this.takeIn(records);
    this.keepKnown();
  }

  #beOnline(): void {
    this.setConnection('online');
    this.keepKnown();
    this.keepSlot();
    this.#upkeep.start(this.openSession(), this.joined?.session.leaseSeconds ?? 60);
    if (this.hasSomethingToSave) this.save().catch(() => undefined);
  }

  #beOffline(error: unknown): void {
    this.setConnection('offline', error);
    this.#upkeep.waitForService();
  }

  #beLost(reason: SessionOver): void {
    if (this.connection === 'lost') return;
    this.giveUpSession();
    this.#upkeep.stop();
    this.setConnection('lost', reason);
    this.endAwaiting(reason.message);
    // Too late to be applied: the service keeps it as unsettled. What never had a number goes into the next session.
    this.leftovers.deliver().catch(() => undefined);
    this.#lost.tell(reason);
  }
}
