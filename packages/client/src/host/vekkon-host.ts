import type { Manifest, Rules } from '@vekkon/core';
import { readManifestFile, schemaChecks } from '@vekkon/core/manifest-file';
import type {
  HostRenewResponse,
  JoinRequest,
  JoinResponse,
  LeaveResponse,
  ManifestResponse,
  SaveResponse,
} from '@vekkon/protocol';
import { ServiceRefused, SessionOver, VekkonError } from '../errors.js';
import { HttpTransport } from '../transport/transport.js';
import { RetryingTransport, type FailedTry } from '../transport/retrying-transport.js';
import { sendBulk } from './bulk.js';
import { deliver, type Delivery } from './delivery.js';
import { Listeners } from './events.js';
import { HostSession, type NumberedSave, type SaveResult, type SessionHost } from './host-session.js';
import { listenToHost } from './host-stream.js';
import { Spool, type SpoolEntry } from './spool.js';
import { UnsavedSession } from './unsaved-session.js';

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
  /** Kept in the spool, for the next start. */
  readonly spooled: readonly string[];
  /** Not delivered, and not kept. */
  readonly lost: readonly { readonly player: string; readonly reason: string }[];
}

const defaultDeadline = 30_000;
const defaultAutosave = 60;
const longestRenewal = 20_000;
const pauseBetweenBackgroundTries = 2_000;
/** Refusals after which nothing may be written for the session any more. */
const endings: ReadonlySet<string> = new Set(['session-ended', 'session-unknown', 'host-replaced']);

/**
 * A game server's side of Vekkon.
 *
 * @example
 * const host = new VekkonHost({ url, hostKey, host: 'ridge-eu-3', spool: './spool' });
 * host.closeOnSignals();
 * const session = await host.join('p-10442', { name: 'Maren', wait: 10 });
 */
export class VekkonHost {
  readonly name: string;
  /** One start of this process, under a random id. */
  readonly instance: string = crypto.randomUUID();
  readonly #options: VekkonHostOptions;
  readonly #transport: RetryingTransport;
  readonly #sessions = new Map<string, HostSession>();
  readonly #failedTries = new Listeners<[failed: FailedTry]>();
  readonly #deliveries = new Listeners<[delivery: Delivery]>();
  readonly #closing = new AbortController();
  #spool: Spool | undefined;
  #ready: Promise<void> | undefined;
  #rules: Promise<Rules> | undefined;
  #autosaving: NodeJS.Timeout | undefined;
  #renewing: NodeJS.Timeout | undefined;
  #listening: AbortController | undefined;
  #closed: Promise<Closed> | undefined;

  constructor(options: VekkonHostOptions) {
    this.#options = options;
    this.name = options.host;
    this.#transport = new RetryingTransport(
      new HttpTransport(options.url, { Authorization: `Bearer ${options.hostKey}` }, options.fetch),
      { deadline: options.deadline ?? defaultDeadline, onFailedTry: (failed) => this.#failedTries.tell(failed) },
    );
  }

  /** The sessions that are open here. */
  get sessions(): readonly HostSession[] {
    return [...this.#sessions.values()];
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
  async join(player: string, options: JoinOptions = {}): Promise<HostSession> {
    return this.#join(player, options, crypto.randomUUID());
  }

  /** Goes on trying to join in the background, for as long as it takes. */
  keepJoining(player: string, options: JoinOptions = {}): { readonly session: Promise<HostSession>; stop(): void } {
    const attempt = crypto.randomUUID();
    let isStopped = false;
    const tryOn = async (): Promise<HostSession> => {
      for (;;) {
        try {
          return await this.#join(player, options, attempt);
        } catch (error) {
          const mayPass = error instanceof VekkonError && (error.canRetry || isHeld(error));
          if (!mayPass || isStopped || this.#closing.signal.aborted) throw error;
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
  async joinOrPlayUnsaved(player: string, options: JoinOptions = {}): Promise<HostSession | UnsavedSession> {
    try {
      return await this.join(player, options);
    } catch (error) {
      if (!(error instanceof VekkonError) || !(error.canRetry || isHeld(error))) throw error;
      const rules = await this.#rulesAtHand(error);
      const unsaved = new UnsavedSession(player, rules);
      this.keepJoining(player, options).session.then(
        (session) => unsaved.replaceWith(session),
        () => undefined,
      );
      return unsaved;
    }
  }

  /** Saves every session that changed, all together. */
  async saveAll(): Promise<void> {
    await Promise.allSettled(
      this.sessions.filter((session) => session.hasSomethingToSave).map((session) => session.save()),
    );
  }

  /**
   * Leaves every session, in bulk, and waits for the answers. What could not
   * be delivered in time is kept in the spool, if there is one.
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

  async #join(player: string, { name, attributes, wait = 0, deadline }: JoinOptions, attempt: string) {
    const transport = deadline === undefined ? this.#transport : this.#transport.within(deadline);
    await this.#start();
    const rules = await this.#loadRules(transport);
    const joined = await transport.send<JoinResponse>({
      method: 'POST',
      path: `/v1/players/${encodeURIComponent(player)}/join`,
      body: { host: this.name, instance: this.instance, attempt, name, attributes, wait },
      timeout: 15_000 + wait * 1000,
    });
    const known = this.#sessions.get(joined.session.id);
    if (known !== undefined) return known;
    for (const old of this.sessions) {
      if (old.player.id === player) old.lose(new SessionOver(old.id, 'the player was joined again here.'));
    }
    const session = new HostSession(this.#seamFor(), joined, rules);
    this.#sessions.set(session.id, session);
    if (this.#options.journal === true) {
      await this.#spool?.add({ is: 'joined', session: session.id, nextSave: joined.session.nextSave });
    }
    this.#keepUp();
    return session;
  }

  #seamFor(): SessionHost {
    return {
      isJournaling: this.#options.journal === true && this.#spool !== undefined,
      send: (session, saves) => this.#send(session, saves),
      spool: (entry: SpoolEntry) => this.#spool?.add(entry) ?? Promise.resolve(),
      rescue: (session) => this.#rescue(session),
    };
  }

  /** One request at a time for each session; saves of many that are asked for in one turn go together. */
  readonly #outbox = new Map<
    HostSession,
    { readonly saves: readonly NumberedSave[]; resolve: (result: SaveResult) => void; reject: (error: unknown) => void }
  >();
  #isFlushing = false;
  /** Lost sessions whose last changes are on their way to be kept as unsettled. */
  readonly #rescues = new Map<HostSession, Promise<void>>();

  #send(session: HostSession, saves: readonly NumberedSave[]): Promise<SaveResult> {
    return new Promise((resolve, reject) => {
      this.#outbox.set(session, { saves: [...saves], resolve, reject });
      if (this.#isFlushing) return;
      this.#isFlushing = true;
      setImmediate(() => {
        this.#isFlushing = false;
        void this.#flush();
      });
    });
  }

  async #flush(): Promise<void> {
    const sending = [...this.#outbox];
    this.#outbox.clear();
    const [only, ...others] = sending;
    if (only !== undefined && others.length === 0 && only[1].saves.length === 1) {
      // One save of one session: its own route, whose lines are easier to read in a log.
      const [session, { saves, resolve, reject }] = only;
      await this.#sendOne(session, saves[0] as NumberedSave).then(resolve, reject);
      return;
    }
    try {
      const flat = sending.flatMap(([session, { saves }]) =>
        saves.map((save) => ({ ...save, session: session.id, seen: session.seen })),
      );
      const results = await sendBulk(this.#transport, flat);
      let index = 0;
      for (const [session, { saves, resolve, reject }] of sending) {
        let total: SaveResult = { sent: 0, refused: [] };
        let failure: unknown;
        for (const save of saves) {
          const result = results[index++];
          if (result === undefined || failure !== undefined) continue;
          if ('refused' in result) failure = this.#failed(session, result.refused);
          else total = plus(total, this.#answered(session, save, result.answer));
        }
        if (failure === undefined) resolve(total);
        else reject(failure);
      }
    } catch (error) {
      for (const [session, { reject }] of sending) reject(this.#failed(session, error));
    }
  }

  async #sendOne(session: HostSession, { number, transactions, leave }: NumberedSave): Promise<SaveResult> {
    try {
      const answer = await this.#transport.send<SaveResponse | LeaveResponse>({
        method: 'POST',
        path: `/v1/sessions/${session.id}/${leave ? 'leave' : 'saves'}`,
        body: { number, transactions, seen: session.seen },
      });
      return this.#answered(session, { number, transactions, leave }, answer);
    } catch (error) {
      throw this.#failed(session, error);
    }
  }

  #answered(session: HostSession, save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    const result = session.answered(save, answer);
    if (session.isOver) {
      this.#forget(session);
      session.clearSpool().catch(() => undefined);
    } else if ('handoverWanted' in answer.session && answer.session.handoverWanted) this.#handOver(session);
    return result;
  }

  /** What a session's sender is told; a session that is over is lost, what was not answered is spooled. */
  #failed(session: HostSession, error: unknown): unknown {
    if (!(error instanceof ServiceRefused) || !endings.has(error.code)) {
      if (this.#spool !== undefined) session.spoolUnanswered().catch(() => undefined);
      return error;
    }
    const over = new SessionOver(session.id, error.problem.detail);
    session.lose(over);
    return over;
  }

  /**
   * Sends what a lost session still holds. It is not applied any more, but
   * kept by the service as unsettled, until a person deals with it.
   */
  #rescue(session: HostSession): void {
    this.#forget(session);
    if (!session.hasSomethingToSave) return;
    const rescue = (async () => {
      try {
        for (const save of session.numberAll({ leave: false })) await this.#sendLate(session, save);
        await session.clearSpool();
      } catch (error) {
        if (this.#spool === undefined) throw error;
        await session.spoolUnanswered();
      }
    })();
    this.#rescues.set(session, rescue);
    // One that failed stays in the list: closing reports it.
    rescue.then(
      () => this.#rescues.delete(session),
      () => undefined,
    );
  }

  async #sendLate(session: HostSession, { number, transactions }: NumberedSave): Promise<void> {
    try {
      const body = { number, transactions, seen: session.seen };
      await this.#transport.send({ method: 'POST', path: `/v1/sessions/${session.id}/saves`, body });
    } catch (error) {
      // Refused, as it must be; whether it is kept is what matters.
      if (!(error instanceof ServiceRefused) || error.canRetry) throw error;
    }
  }

  /** Another host asked for the player: save and leave. */
  #handOver(session: HostSession): void {
    if (session.isOver) return;
    session.leave().then(
      () => session.handedOver(),
      () => undefined,
    );
  }

  #forget(session: HostSession): void {
    this.#sessions.delete(session.id);
    if (this.#sessions.size > 0) return;
    // Nothing is left to keep up: a process that has nothing else to do may end.
    clearTimeout(this.#autosaving);
    clearTimeout(this.#renewing);
    this.#autosaving = this.#renewing = undefined;
    this.#listening?.abort();
    this.#listening = undefined;
  }

  /** While there are sessions: autosaves, renewals, and an ear on the host's stream. */
  #keepUp(): void {
    if (this.#closing.signal.aborted) return;
    const autosave = (this.#options.autosave ?? defaultAutosave) * 1000;
    if (this.#autosaving === undefined && autosave > 0) {
      // A tenth of jitter, so that hosts which started together do not save together for ever.
      this.#autosaving = setTimeout(
        async () => {
          await this.saveAll();
          this.#autosaving = undefined;
          if (this.#sessions.size > 0) this.#keepUp();
        },
        autosave * (0.9 + Math.random() * 0.2),
      );
    }
    if (this.#renewing === undefined) {
      const shortest = Math.min(...this.sessions.map(({ leaseSeconds }) => leaseSeconds));
      this.#renewing = setTimeout(
        async () => {
          await this.#renew().catch(() => undefined);
          this.#renewing = undefined;
          if (this.#sessions.size > 0) this.#keepUp();
        },
        Math.min(longestRenewal, (shortest * 1000) / 3),
      );
    }
    if (this.#listening === undefined) {
      this.#listening = new AbortController();
      const catchUp = () => void this.#renew().catch(() => undefined);
      const url = `${this.#options.url.replace(/\/+$/, '')}/v1/hosts/${encodeURIComponent(this.name)}/stream?instance=${this.instance}`;
      void listenToHost(url, this.#options.hostKey, this.#heard, catchUp, this.#listening.signal);
    }
  }

  readonly #heard = {
    'handover-wanted': ({ session }: { readonly session: string }) => {
      const found = this.#sessions.get(session);
      if (found !== undefined) this.#handOver(found);
    },
    'outside-change': (change: { session: string; seen: number; records: SaveResponse['records'] }) =>
      this.#sessions.get(change.session)?.changedOutside(change.seen, change.records),
    'save-now': ({ session }: { readonly session: string }) =>
      void this.#sessions
        .get(session)
        ?.save()
        .catch(() => undefined),
    'session-lost': ({ session, detail }: { readonly session: string; readonly detail: string }) =>
      this.#sessions.get(session)?.lose(new SessionOver(session, detail)),
  };

  async #renew(): Promise<void> {
    const sessions = this.sessions.map(({ id, seen }) => ({ session: id, seen }));
    const answer = await this.#transport.send<HostRenewResponse>({
      method: 'POST',
      path: `/v1/hosts/${encodeURIComponent(this.name)}/renew`,
      body: { instance: this.instance, sessions },
    });
    for (const { id, seen, records, session } of answer.sessions) {
      const found = this.#sessions.get(id);
      if (found === undefined) continue;
      found.changedOutside(seen, records);
      if (session.handoverWanted) this.#handOver(found);
    }
    for (const { id, detail } of answer.lost) this.#sessions.get(id)?.lose(new SessionOver(id, detail));
  }

  /** Delivers the spool, once, before the first join. */
  async #start(): Promise<void> {
    if (this.#options.spool === undefined) return;
    this.#ready ??= this.#openSpool(this.#options.spool);
    try {
      await this.#ready;
    } catch (error) {
      this.#ready = undefined;
      throw error;
    }
  }

  async #openSpool(folder: string): Promise<void> {
    const { hostKey, earlierKeys } = this.#options;
    await this.#spool?.close();
    const { spool, found } = await Spool.open(folder, this.name, hostKey, earlierKeys);
    this.#spool = spool;
    const delivery = await deliver(this.#transport, spool, found);
    if (delivery.saves > 0 || delivery.isTorn || delivery.setAside !== null) this.#deliveries.tell(delivery);
  }

  async #close(within: number): Promise<Closed> {
    this.#closing.abort();
    clearTimeout(this.#autosaving);
    clearTimeout(this.#renewing);
    this.#listening?.abort();
    const leaving = this.sessions;
    const byEnd = new Promise<'late'>((resolve) => setTimeout(() => resolve('late'), within).unref());
    const outcomes = await Promise.all(
      leaving.map((session) => Promise.race([byEnd, session.leave().catch((error: unknown) => asError(error))])),
    );
    const rescues = [...this.#rescues];
    const rescued = await Promise.all(
      rescues.map(([, rescue]) => Promise.race([byEnd, rescue.catch((error: unknown) => asError(error))])),
    );
    this.#transport.stop();
    const [left, spooled, lost]: [string[], string[], { player: string; reason: string }[]] = [[], [], []];
    for (const [index, session] of leaving.entries()) {
      const player = session.player.id;
      const outcome = outcomes[index];
      if (outcome !== 'late' && !(outcome instanceof Error)) left.push(player);
      else if (session.isOver)
        lost.push({ player, reason: outcome instanceof Error ? outcome.message : 'it was lost' });
      else if (await this.#spoolRest(session)) spooled.push(player);
      else
        lost.push({ player, reason: outcome instanceof Error ? outcome.message : `not answered within ${within} ms` });
    }
    for (const [index, [session]] of rescues.entries()) {
      if (rescued[index] === undefined) continue;
      lost.push({ player: session.player.id, reason: 'what was done in a lost session could not be delivered' });
    }
    if (spooled.length === 0 && lost.length === 0) await this.#spool?.clear();
    await this.#spool?.close();
    return { left, spooled, lost };
  }

  /** Keeps what a session could not deliver. @returns false if there is nowhere to keep it */
  async #spoolRest(session: HostSession): Promise<boolean> {
    if (this.#spool === undefined) return false;
    try {
      session.numberAll({ leave: true });
      await session.spoolUnanswered();
      return true;
    } catch {
      return false;
    }
  }

  async #loadRules(transport: RetryingTransport): Promise<Rules> {
    this.#rules ??= transport
      .send<ManifestResponse>({ method: 'GET', path: '/v1/manifest' })
      .then(({ manifest }) => rulesFrom(manifest));
    try {
      return await this.#rules;
    } catch (error) {
      this.#rules = undefined;
      throw error;
    }
  }

  /** The rules that are known without asking; `failure` is thrown where none are. */
  async #rulesAtHand(failure: Error): Promise<Rules> {
    if (this.#rules !== undefined) return this.#rules;
    if (this.#options.manifest === undefined) throw failure;
    const read = readManifestFile(this.#options.manifest);
    if ('manifest' in read) return rulesFrom(read.manifest);
    const [first] = read.mistakes;
    throw new TypeError(`The manifest that this host was given has mistakes; line ${first?.line}: ${first?.detail}`);
  }
}

function rulesFrom(manifest: Manifest): Rules {
  return { manifest, check: schemaChecks(manifest) };
}

function isHeld(error: VekkonError): boolean {
  return error instanceof ServiceRefused && (error.code === 'player-held' || error.code === 'join-superseded');
}

function plus(a: SaveResult, b: SaveResult): SaveResult {
  return { sent: a.sent + b.sent, refused: [...a.refused, ...b.refused] };
}

function asError(error: unknown): Error {
  return error instanceof Error ? error : new Error(String(error));
}
