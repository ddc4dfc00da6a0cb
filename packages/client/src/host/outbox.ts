import type { LeaveResponse, SaveResponse } from '@vekkon/protocol';
import { ServiceRefused, SessionOver } from '../errors.js';
import type { Transport } from '../transport/transport.js';
import { sendBulk, type BulkResult } from '../session/bulk.js';
import type { NumberedSave, SaveResult } from '../session/stay.js';
import type { HeldSession } from './host-session.js';

/** What the outbox asks of the host. */
interface OutboxHost {
  hasSpool(): boolean;
  /** Nothing more is kept up for the session. */
  forget(session: HeldSession): void;
  /** The service asks for the player. */
  handOver(session: HeldSession): void;
}

interface Waiting {
  readonly session: HeldSession;
  readonly saves: readonly NumberedSave[];
  readonly resolve: (result: SaveResult) => void;
  readonly reject: (error: unknown) => void;
}

/** Refusals after which nothing may be written for the session any more. */
const endings: ReadonlySet<string> = new Set(['session-ended', 'session-unknown', 'host-replaced']);

/** The way of every save from here to the service: those that are asked for in one turn go together. */
export class Outbox {
  readonly #transport: Transport;
  readonly #host: OutboxHost;
  readonly #rescues = new Map<HeldSession, Promise<void>>();
  #waiting: Waiting[] = [];

  constructor(transport: Transport, host: OutboxHost) {
    this.#transport = transport;
    this.#host = host;
  }

  /** Lost sessions whose last changes are on their way to be kept as unsettled, or could not be delivered. */
  get rescues(): ReadonlyMap<HeldSession, Promise<void>> {
    return this.#rescues;
  }

  /**
   * Sends a session's saves, in their order.
   *
   * @throws SessionOver if the session is lost, ServiceUnreachable or ServiceRefused if they were not answered
   */
  send(session: HeldSession, saves: readonly NumberedSave[]): Promise<SaveResult> {
    return new Promise((resolve, reject) => {
      if (this.#waiting.length === 0) setImmediate(() => void this.#flush());
      this.#waiting.push({ session, saves: [...saves], resolve, reject });
    });
  }

  /**
   * Sends what a lost session still holds. It is not applied any more, but
   * kept by the service as unsettled, until a person deals with it.
   */
  rescue(session: HeldSession): void {
    this.#host.forget(session);
    if (!session.hasSomethingToSave) return;
    const rescue = (async () => {
      try {
        for (const save of session.numberAll({ leave: false })) await this.#sendLate(session, save);
        await session.clearSpool();
      } catch (error) {
        if (!this.#host.hasSpool()) throw error;
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

  async #flush(): Promise<void> {
    const sending = this.#waiting;
    this.#waiting = [];
    const [only, ...others] = sending;
    if (only !== undefined && others.length === 0) return this.#sendOneByOne(only, only.saves);
    try {
      const results = await sendBulk(
        this.#transport,
        sending.flatMap(({ session, saves }) =>
          saves.map((save) => ({ ...save, session: session.id, seen: session.seen })),
        ),
      );
      let index = 0;
      for (const one of sending) {
        this.#takeIn(one, results.slice(index, index + one.saves.length));
        index += one.saves.length;
      }
    } catch (error) {
      for (const { session, reject } of sending) reject(this.#failed(session, error));
    }
    return undefined;
  }

  #takeIn(waiting: Waiting, results: readonly BulkResult[]): void {
    const { session, saves, resolve, reject } = waiting;
    let total: SaveResult = { sent: 0, refused: [] };
    for (const [index, save] of saves.entries()) {
      const result = results[index];
      if (result === undefined) return reject(new TypeError(`The service sent no result for save ${save.number}.`));
      if ('refused' in result) {
        if (!result.refused.canRetry) return reject(this.#failed(session, result.refused));
        // This one may succeed yet: on its own it is tried again.
        return void this.#sendOneByOne(waiting, saves.slice(index), total);
      }
      total = plus(total, this.#answered(session, save, result.answer));
    }
    return resolve(total);
  }

  async #sendOneByOne(
    { session, resolve, reject }: Waiting,
    saves: readonly NumberedSave[],
    before: SaveResult = { sent: 0, refused: [] },
  ): Promise<void> {
    let total = before;
    try {
      for (const save of saves) total = plus(total, await this.#sendOne(session, save));
      resolve(total);
    } catch (error) {
      reject(error);
    }
  }

  async #sendOne(session: HeldSession, { number, transactions, leave }: NumberedSave): Promise<SaveResult> {
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

  #answered(session: HeldSession, save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    const result = session.answered(save, answer);
    if (session.isOver) {
      this.#host.forget(session);
      session.clearSpool().catch(() => undefined);
    } else if ('handoverWanted' in answer.session && answer.session.handoverWanted) this.#host.handOver(session);
    return result;
  }

  /** What a session's sender is told; a session that is over is lost, what was not answered is spooled. */
  #failed(session: HeldSession, error: unknown): unknown {
    if (!(error instanceof ServiceRefused) || !endings.has(error.code)) {
      if (this.#host.hasSpool()) session.spoolUnanswered().catch(() => undefined);
      return error;
    }
    const over = new SessionOver(session.id, error.problem.detail);
    session.beOver(over);
    return over;
  }

  async #sendLate(session: HeldSession, { number, transactions }: NumberedSave): Promise<void> {
    try {
      const body = { number, transactions, seen: session.seen };
      await this.#transport.send({ method: 'POST', path: `/v1/sessions/${session.id}/saves`, body });
    } catch (error) {
      // Refused, as it must be; whether it is kept is what matters.
      if (!(error instanceof ServiceRefused) || error.canRetry) throw error;
    }
  }
}

function plus(a: SaveResult, b: SaveResult): SaveResult {
  return { sent: a.sent + b.sent, refused: [...a.refused, ...b.refused] };
}
