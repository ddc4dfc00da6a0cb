import type { HostRenewResponse } from '@vekkon/protocol';
import { SessionOver } from '../errors.js';
import type { Transport } from '../transport/transport.js';
import type { HeldSession } from './host-session.js';
import { tunedPart } from '../session/game-tuning.js';
import { listenToStream, type StreamHandlers } from '../session/stream.js';

/** What the upkeep asks of the host. */
interface UpkeepHost {
  readonly name: string;
  readonly instance: string;
  readonly url: string;
  readonly hostKey: string;
  /** Seconds between autosaves; 0 for none. */
  readonly autosave: number;
  sessions(): readonly HeldSession[];
  find(session: string): HeldSession | undefined;
  handOver(session: HeldSession): void;
  saveAll(): Promise<void>;
}

const longestRenewal = 20_000;

/** While a host has sessions: autosaves, renewals, and an ear on the host's stream. */
export class Upkeep {
  readonly #transport: Transport;
  readonly #host: UpkeepHost;
  #autosaving: NodeJS.Timeout | undefined;
  #renewing: NodeJS.Timeout | undefined;
  #listening: AbortController | undefined;

  constructor(transport: Transport, host: UpkeepHost) {
    this.#transport = transport;
    this.#host = host;
  }

  /** To be called whenever there is a session; what goes on already goes on. */
  start(): void {
    this.#autosaveLater();
    this.#renewLater();
    if (this.#listening !== undefined) return;
    const { name, instance, url, hostKey } = this.#host;
    this.#listening = new AbortController();
    const stream = `${url}/v1/hosts/${encodeURIComponent(name)}/stream?instance=${instance}`;
    const catchUp = () => void this.#renew().catch(() => undefined);
    void listenToStream(stream, () => hostKey, this.#heard, catchUp, this.#listening.signal);
  }

  /** Nothing is left to keep up: a process that has nothing else to do may end. */
  stop(): void {
    clearTimeout(this.#autosaving);
    clearTimeout(this.#renewing);
    this.#autosaving = this.#renewing = undefined;
    this.#listening?.abort();
    this.#listening = undefined;
  }

  #autosaveLater(): void {
    const { autosave } = this.#host;
    if (this.#autosaving !== undefined || autosave <= 0) return;
    // A tenth of jitter, so that hosts which started together do not save together for ever.
    const wait = autosave * 1000 * (0.9 + Math.random() * 0.2);
    const timer = setTimeout(async () => {
      await this.#host.saveAll();
      if (this.#autosaving !== timer) return;
      this.#autosaving = undefined;
      this.#autosaveLater();
    }, wait);
    this.#autosaving = timer;
  }

  #renewLater(): void {
    if (this.#renewing !== undefined) return;
    const shortest = Math.min(...this.#host.sessions().map(({ leaseSeconds }) => leaseSeconds));
    const wait = Math.min(longestRenewal, (shortest * 1000) / 3);
    const timer = setTimeout(async () => {
      // A renewal that fails has been tried for long; saves renew too.
      await this.#renew().catch(() => undefined);
      if (this.#renewing !== timer) return;
      this.#renewing = undefined;
      this.#renewLater();
    }, wait);
    this.#renewing = timer;
  }

  async #renew(): Promise<void> {
    const { name, instance } = this.#host;
    const answer = await this.#transport.send<HostRenewResponse>({
      method: 'POST',
      path: `/v1/hosts/${encodeURIComponent(name)}/renew`,
      body: {
        instance,
        sessions: this.#host.sessions().map(({ id, seen, answeredUpTo, tuning }) => ({
          session: id,
          seen,
          answered: answeredUpTo,
          ...tunedPart(tuning),
        })),
      },
    });
    for (const { id, seen, records, session, tuning } of answer.sessions) {
      const found = this.#host.find(id);
      found?.changedOutside(seen, records);
      if (tuning !== undefined) found?.tuning.take(tuning, answer.now);
      if (found !== undefined && session.handoverWanted) this.#host.handOver(found);
    }
    for (const { id, detail } of answer.lost) this.#lose(id, detail);
  }

  /** A renewal may cross the session's own leave: then it is not lost, but left. */
  #lose(session: string, detail: string): void {
    const found = this.#host.find(session);
    if (found?.isLeaveUnderWay === false) found.beOver(new SessionOver(session, detail));
  }

  readonly #heard: StreamHandlers = {
    'handover-wanted': ({ session }) => {
      const found = this.#host.find(session);
      if (found !== undefined) this.#host.handOver(found);
    },
    'outside-change': ({ session, seen, records }) => this.#host.find(session)?.heardOfChange(seen, records),
    tuning: ({ session, tuning }) => this.#host.find(session)?.tuning.take(tuning, new Date().toISOString()),
    'save-now': ({ session }) => {
      // One that fails is tried again by the next autosave.
      void this.#host
        .find(session)
        ?.save()
        .catch(() => undefined);
    },
    'session-lost': ({ session, detail }) => this.#lose(session, detail),
  };
}
