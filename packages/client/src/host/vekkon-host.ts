import type { Rules } from '@vekkon/core';
import { checkSchema } from '@vekkon/core/schema-check';
import type {
  ChangesRequest,
  ChangesResponse,
  JoinRequest,
  JoinResponse,
  ManifestResponse,
  ReadResponse,
} from '@vekkon/protocol';
import { HostClosing, ServiceRefused, SessionOver, VekkonError } from '../errors.js';
import { GameBoards } from '../session/game-boards.js';
import type { GameTuning } from '../session/game-tuning.js';
import { HttpTransport } from '../transport/transport.js';
import { RetryingTransport, type FailedTry } from '../transport/retrying-transport.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import type { Delivery } from './delivery.js';
import { Listeners } from '../listeners.js';
import { HostSession, type HeldSession, type SessionHost, type SetAside } from './host-session.js';
import { Outbox } from './outbox.js';
import { HostSpool } from './host-spool.js';
import { HostTuning } from './host-tuning.js';
import { UnsavedSession } from './unsaved-session.js';
import { Upkeep } from './upkeep.js';

export interface VekkonHostOptions {
  /** Where the service is, such as http://127.0.0.1:4600. */
  readonly url: string;
  readonly hostKey: string;
  /** The name under which this host is known; the same at every start. */
  readonly host: string;
  /** Seconds between autosaves of everything that changed; 0 for none. 60 if left out. */
  readonly autosave?: number;
  /** Milliseconds for which a call is tried again before it fails. 30,000 if left out. */
  readonly deadline?: number;
  /** The folder in which to keep, sealed, what could not be delivered. Without one it is lost with the process. */
  readonly spool?: string;
  /** Keep every change in the spool at once, so that even a killed host loses nothing. */
  readonly journal?: boolean;
  /** Older host keys, which may have sealed what is in the spool. */
  readonly earlierKeys?: readonly string[];
  /** The manifest version that this game was written for; the one that is installed when it starts if left out. */
  readonly manifestVersion?: number;
  /** The manifest's text, for playing unsaved before the service was ever reached. */
  readonly manifest?: string;
  /** What sends requests; the platform's `fetch` if left out. For proxies, and for trying out faults. */
  readonly fetch?: typeof fetch;
}

export interface JoinOptions extends Pick<JoinRequest, 'name' | 'attributes'> {
  /** Seconds to wait, up to 20, while another host that holds the player is asked to let go. */
  readonly wait?: number;
  /** Milliseconds for which to try; the host's if left out. */
  readonly deadline?: number;
}

/** What closing a host came to: every player it still had is in one of these. */
export interface Closed {
  /** Saved, and left. */
  readonly left: readonly string[];
  /** Kept in the spool, for the next start; those of earlier starts too. */
  readonly spooled: readonly string[];
  /** Parts of saves that the service will never take as they are, if there are any. With a spool they are kept: see `vekkon spool show`. */
  readonly setAside?: readonly SetAside[];
  /** Whose session another host had taken over: what it still held waits as unsettled, for a person. Left out if there are none. */
  readonly unsettled?: readonly { readonly player: string; readonly reason: string }[];
  /** Not delivered, and not kept. */
  readonly lost: readonly { readonly player: string; readonly reason: string }[];
}

const defaultDeadline = 30_000;
const defaultAutosave = 60;
const pauseBetweenBackgroundTries = 2_000;

/**
 * A game server's side of Vekkon.
 *
 * @example
 * const host = new VekkonHost({ url, hostKey, host: 'ridge-eu-3', spool: './spool' });
 * host.closeOnSignals();
 * const session = await host.join('p-10442', { name: 'Maren', wait: 10 });
 */
export class VekkonHost<Game extends GameShape = AnyGame> {
  readonly name: string;
  /** One start of this process, under a random id. */
  readonly instance: string = crypto.randomUUID();
  readonly #options: VekkonHostOptions;
  readonly #transport: RetryingTransport;
  readonly #outbox: Outbox;
  readonly #upkeep: Upkeep;
  readonly #sessions = new Map<string, HostSession<Game>>();
  readonly #failedTries = new Listeners<[failed: FailedTry]>();
  readonly #deliveries = new Listeners<[delivery: Delivery]>();
  readonly #setAside: SetAside[] = [];
  readonly #spool: HostSpool | undefined;
  /** Leaderboards. */
  readonly boards: GameBoards<Game>;
  readonly #tuning: HostTuning<Game>;
  #speaks: Spoken | undefined;
  #unsavedRules: Rules | undefined;
  #isClosing = false;
  #spoken: Promise<Spoken> | undefined;
  #closed: Promise<Closed> | undefined;

  constructor(options: VekkonHostOptions) {
    this.#options = options;
    this.name = options.host;
    this.#transport = new RetryingTransport(
      new HttpTransport(options.url, { Authorization: `Bearer ${options.hostKey}` }, options.fetch),
      { deadline: options.deadline ?? defaultDeadline, onFailedTry: (failed) => this.#failedTries.tell(failed) },
    );
    this.boards = new GameBoards({
      get: (path) => this.#transport.send({ method: 'GET', path }),
      post: (path, body) => this.#transport.send({ method: 'POST', path, body }),
      url: options.url,
      credential: () => options.hostKey,
    });
    this.#tuning = new HostTuning<Game>(this.#transport, {
      url: options.url.replace(/\/+$/, ''),
      hostKey: options.hostKey,
      folder: options.spool,
      spoken: () => this.#speaks,
      rulesAtHand: () => this.#speaks?.rules ?? this.#unsavedRules,
      sessions: () => this.sessions,
    });
    const { spool, hostKey, earlierKeys } = options;
    if (spool !== undefined) {
      this.#spool = new HostSpool(this.#transport, { folder: spool, host: this.name, hostKey, earlierKeys }, (one) =>
        this.#deliveries.tell(one),
      );
    }
    const handOver = (session: HeldSession) => this.#handOver(session);
    this.#outbox = new Outbox(this.#transport, {
      hasSpool: () => this.#spool?.isOpen === true,
      forget: (session) => this.#forget(session),
      handOver,
    });
    this.#upkeep = new Upkeep(this.#transport, {
      name: this.name,
      instance: this.instance,
      url: options.url.replace(/\/+$/, ''),
      hostKey: options.hostKey,
      autosave: options.autosave ?? defaultAutosave,
      sessions: () => this.sessions,
      find: (id) => this.#sessions.get(id),
      handOver,
      saveAll: () => this.saveAll(),
    });
  }

  /**
   * The tunables for nobody in particular: `host.tuning.get('storm-warning')`.
   * What a player gets is at their session.
   */
  get tuning(): GameTuning<Game> {
    return this.#tuning.tuning;
  }

  /** The sessions that are open here. */
  get sessions(): readonly HostSession<Game>[] {
    return [...this.#sessions.values()];
  }

  /** Has closing begun? Nobody is joined any more, and every session leaves. */
  get isClosing(): boolean {
    return this.#isClosing;
  }

  /** Tells of each try that failed, and when the next will be. @returns takes it back */
  onFailedTry(listener: (failed: FailedTry) => void): () => void {
    return this.#failedTries.add(listener);
  }

  /** Tells what was found in the spool and what became of it. @returns takes it back */
  onDelivery(listener: (delivery: Delivery) => void): () => void {
    return this.#deliveries.add(listener);
  }

  /**
   * Opens a session for a player and loads their records.
   *
   * @throws ServiceUnreachable or ServiceRefused after the deadline; only the service says who is new
   */
  async join(player: string, options: JoinOptions = {}): Promise<HostSession<Game>> {
    return this.#join(player, options, crypto.randomUUID());
  }

  /** Goes on trying to join in the background, for as long as it takes. */
  keepJoining(
    player: string,
    options: JoinOptions = {},
  ): { readonly session: Promise<HostSession<Game>>; stop(): void } {
    const attempt = crypto.randomUUID();
    let isStopped = false;
    const tryOn = async (): Promise<HostSession<Game>> => {
      for (;;) {
        try {
          return await this.#join(player, options, attempt);
        } catch (error) {
          const mayPass = error instanceof VekkonError && (error.canRetry || isHeld(error));
          if (!mayPass || isStopped || this.#isClosing) throw error;
          await new Promise((resolve) => setTimeout(resolve, pauseBetweenBackgroundTries).unref());
        }
      }
    };
    const session = tryOn();
    session.catch(() => undefined);
    return { session, stop: () => void (isStopped = true) };
  }

  /**
   * Joins, or where that fails lets the game play unsaved: on starting values,
   * plainly as such, never written. The join is tried on in the background,
   * and takes the place of the unsaved play when it succeeds.
   *
   * @throws where trying again can't help, such as for a wrong key, or where the manifest is not known
   */
  async joinOrPlayUnsaved(
    player: string,
    options: JoinOptions = {},
  ): Promise<HostSession<Game> | UnsavedSession<Game>> {
    try {
      return await this.join(player, options);
    } catch (error) {
      if (!(error instanceof VekkonError) || !(error.canRetry || isHeld(error))) throw error;
      const rules = await this.#rulesAtHand(error);
      this.#unsavedRules = rules;
      const unsaved = new UnsavedSession<Game>(player, rules, this.tuning);
      this.keepJoining(player, options).session.then(
        (session) => unsaved.replaceWith(session),
        () => undefined,
      );
      return unsaved;
    }
  }

  /**
   * Changes a player from outside a session: a purchase, a gift. A player who
   * never joined finds it at their first join.
   *
   * @param token the same for every try of this one change, such as the number of a receipt
   */
  change(player: string, token: string, transactions: ChangesRequest['transactions']): Promise<ChangesResponse> {
    return this.#transport.send({
      method: 'POST',
      path: `/v1/players/${encodeURIComponent(player)}/changes`,
      headers: { 'Idempotency-Key': token },
      body: { transactions },
    });
  }

  /** Reads up to 200 players, all of what is stored or chosen keys. */
  read(players: readonly string[], keys?: readonly string[]): Promise<ReadResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/players/read', body: { players, keys } });
  }

  /** Saves every session that changed, all together. */
  async saveAll(): Promise<void> {
    await Promise.allSettled(
      this.sessions.filter((session) => session.hasSomethingToSave).map((session) => session.save()),
    );
  }

  /**
   * Leaves every session, in bulk, and waits for the answers. What could not
   * be delivered in time is kept in the spool, if there is one. From now on
   * nobody is joined, and a session takes changes until its last save has its
   * number: `isClosing` and `session.isLeaving` tell a game loop when to end.
   *
   * @param within milliseconds
   */
  close({ within = 20_000 }: { readonly within?: number } = {}): Promise<Closed> {
    this.#closed ??= this.#close(within);
    return this.#closed;
  }

  /** Closes at SIGTERM and SIGINT, and then lets the signal end the process as it would have. */
  closeOnSignals(options: { readonly within?: number; readonly onClosed?: (closed: Closed) => void } = {}): void {
    for (const signal of ['SIGTERM', 'SIGINT'] as const) {
      process.once(signal, () => {
        void this.close(options).then((closed) => {
          options.onClosed?.(closed);
          process.kill(process.pid, signal);
        });
      });
    }
  }

  async #join(
    player: string,
    { name, attributes, wait = 0, deadline }: JoinOptions,
    attempt: string,
  ): Promise<HostSession<Game>> {
    if (this.#isClosing) throw new HostClosing(this.name);
    const transport = deadline === undefined ? this.#transport : this.#transport.within(deadline);
    await this.#spool?.ready();
    const { rules, version } = await this.#learnToSpeak(transport);
    const joined = await transport.send<JoinResponse>({
      method: 'POST',
      path: `/v1/players/${encodeURIComponent(player)}/join`,
      body: { host: this.name, instance: this.instance, attempt, name, attributes, wait, manifest: version },
      timeout: 15_000 + wait * 1000,
    });
    const known = this.#sessions.get(joined.session.id);
    if (known !== undefined) return known;
    for (const old of this.sessions) {
      if (old.player.id === player) old.beOver(new SessionOver(old.id, 'the player was joined again here.'));
    }
    const session = new HostSession<Game>(this.#seamFor(), joined, rules, (records) =>
      this.#tuning.ofSession({
        player: joined.player.id,
        name: joined.player.name,
        sent: attributes ?? {},
        records,
        rules,
      }),
    );
    this.#sessions.set(session.id, session);
    if (this.#options.journal === true) {
      const { id, nextSave } = joined.session;
      await this.#spool?.add({ is: 'joined', session: id, player: joined.player.id, nextSave });
    }
    if (this.#isClosing) {
      // It was on its way when closing began: nobody would keep it up.
      await session.leave().catch(() => undefined);
      throw new HostClosing(this.name);
    }
    this.#upkeep.start();
    this.#tuning.listen();
    return session;
  }

  #seamFor(): SessionHost {
    return {
      isJournaling: this.#options.journal === true && this.#spool !== undefined,
      send: (session, saves) => this.#outbox.send(session, saves),
      spool: (entry) => this.#spool?.add(entry) ?? Promise.resolve(),
      noteAside: (aside) => void this.#setAside.push(aside),
      checkpoints: (session) =>
        this.#transport.send({ method: 'GET', path: `/v1/sessions/${session}/checkpoints?contents=true` }),
      rescue: (session) => this.#outbox.rescue(session),
    };
  }

  /** Another host asked for the player: save and leave. */
  #handOver(session: HeldSession): void {
    if (session.isOver) return;
    session.leave().then(
      () => session.handedOver(),
      () => undefined,
    );
  }

  #forget(session: HeldSession): void {
    this.#sessions.delete(session.id);
    if (this.#sessions.size > 0) return;
    this.#upkeep.stop();
    this.#tuning.stop();
  }

  async #close(within: number): Promise<Closed> {
    this.#isClosing = true;
    this.#upkeep.stop();
    this.#tuning.close();
    const leaving = this.sessions;
    const byEnd = new Promise<'late'>((resolve) => setTimeout(() => resolve('late'), within).unref());
    const outcomes = await Promise.all(
      leaving.map((session) => Promise.race([byEnd, session.leave().catch((error: unknown) => asError(error))])),
    );
    const rescues = [...this.#outbox.rescues];
    const rescued = await Promise.all(
      rescues.map(([, rescue]) => Promise.race([byEnd, rescue.catch((error: unknown) => asError(error))])),
    );
    const rest = this.#spool?.deliverRest(new Set(this.#sessions.keys())).catch(() => undefined);
    await Promise.race([byEnd, rest]);
    this.#transport.stop();
    const [left, spooled, lost]: [string[], Set<string>, { player: string; reason: string }[]] = [[], new Set(), []];
    const over: { session: HeldSession; player: string; reason: string }[] = [];
    for (const [index, session] of leaving.entries()) {
      const player = session.player.id;
      const outcome = outcomes[index];
      if (outcome !== 'late' && !(outcome instanceof Error)) left.push(player);
      else if (session.isOver)
        over.push({ session, player, reason: outcome instanceof Error ? outcome.message : 'it was lost' });
      else if (await this.#spoolRest(session)) spooled.add(player);
      else
        lost.push({ player, reason: outcome instanceof Error ? outcome.message : `not answered within ${within} ms` });
    }
    for (const [index, [session]] of rescues.entries()) {
      if (rescued[index] === undefined || (await this.#spoolRest(session))) continue;
      lost.push({ player: session.player.id, reason: 'what was done in a lost session could not be delivered' });
    }
    // What could not be delivered of them was looked at with the rescues: all else the service has.
    const undelivered = new Set(rescues.flatMap(([session], index) => (rescued[index] === undefined ? [] : session)));
    const unsettled = over.flatMap(({ session, ...one }) => (undelivered.has(session) ? [] : one));
    // With what an earlier start had left, and this one could not deliver either.
    for (const { player, session } of (await this.#spool?.close()) ?? []) spooled.add(player ?? session);
    if (this.#spool === undefined) {
      for (const { player, reason } of this.#setAside) lost.push({ player, reason });
    }
    const setAside = this.#setAside.length > 0 ? { setAside: [...this.#setAside] } : {};
    return { left, spooled: [...spooled], ...setAside, ...(unsettled.length > 0 && { unsettled }), lost };
  }

  /** Keeps what a session could not deliver. @returns false if there is nowhere to keep it */
  async #spoolRest(session: HeldSession): Promise<boolean> {
    if (this.#spool?.isOpen !== true) return false;
    try {
      if (!session.isOver) session.numberAll({ leave: true });
      await session.spoolUnanswered();
      return true;
    } catch {
      return false;
    }
  }

  /** The version that this start of the host speaks, with all of its sessions. */
  async #learnToSpeak(transport: RetryingTransport): Promise<Spoken> {
    const { manifestVersion } = this.#options;
    const path = manifestVersion === undefined ? '/v1/manifest' : `/v1/manifest?version=${manifestVersion}`;
    this.#spoken ??= transport.send<ManifestResponse>({ method: 'GET', path }).then(({ manifest, version, learns }) => {
      this.#speaks = { version, rules: { manifest, check: checkSchema, learns } };
      return this.#speaks;
    });
    try {
      return await this.#spoken;
    } catch (error) {
      this.#spoken = undefined;
      throw error;
    }
  }

  /** The rules that are known without asking; `failure` is thrown where none are. */
  async #rulesAtHand(failure: Error): Promise<Rules> {
    if (this.#spoken !== undefined) return (await this.#spoken).rules;
    if (this.#options.manifest === undefined) throw failure;
    // Loaded here: whoever reaches the service needs no reader of manifests.
    const { readManifestFile } = await import('@vekkon/core/manifest-file');
    const read = readManifestFile(this.#options.manifest);
    if ('manifest' in read) return { manifest: read.manifest, check: checkSchema };
    const [first] = read.mistakes;
    throw new TypeError(`The manifest that this host was given has mistakes; line ${first?.line}: ${first?.detail}`);
  }
}

/** A manifest version, and the rules that it makes. */
interface Spoken {
  readonly version: number;
  readonly rules: Rules;
}

function isHeld(error: VekkonError): boolean {
  return error instanceof ServiceRefused && (error.code === 'player-held' || error.code === 'join-superseded');
}

function asError(error: unknown): Error {
  return error instanceof Error ? error : new Error(String(error));
}
