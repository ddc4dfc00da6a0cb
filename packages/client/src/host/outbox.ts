import { limits } from '@vekkon/core';
import type { LeaveResponse, SaveResponse } from '@vekkon/protocol';
import { ServiceRefused, SessionOver } from '../errors.js';
import type { Transport } from '../transport/transport.js';
import { sendBulk, type BulkResult } from '../session/bulk.js';
import { isForShape } from '../session/put-aside.js';
import { nothingSaved, together, type NumberedSave, type SaveResult } from '../session/stay.js';
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
  /** What was answered of it already. */
  readonly before: SaveResult;
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
    return new Promise((resolve, reject) =>
      this.#enqueue({ session, saves: [...saves], before: nothingSaved, resolve, reject }),
    );
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

  #enqueue(waiting: Waiting): void {
    if (this.#waiting.length === 0) setImmediate(() => void this.#flush());
    this.#waiting.push(waiting);
  }

  async #flush(): Promise<void> {
    const sending = this.#waiting;
    this.#waiting = [];
    const [only, ...others] = sending;
    if (only !== undefined && others.length === 0) return this.#sendOneByOne(only);
    // More than that the service keeps no answers for: what is behind goes when these are answered.
    const parts = sending.map(({ saves }) => saves.slice(0, limits.savesAhead));
    let results: readonly BulkResult[];
    try {
      results = await sendBulk(
        this.#transport,
        sending.flatMap(({ session: { id, seen, answeredUpTo, tuning } }, index) =>
          (parts[index] ?? []).map((save) => ({
            ...save,
            session: id,
            seen,
            answered: answeredUpTo,
            ...(tuning.tag !== undefined && { tuned: tuning.tag }),
          })),
        ),
      );
    } catch (error) {
      // One of them may be why all were refused: each goes on its own.
      if (error instanceof ServiceRefused && isForShape(error)) {
        await Promise.all(sending.map((one) => this.#sendOneByOne(one)));
      } else for (const { session, reject } of sending) reject(this.#failed(session, error));
      return undefined;
    }
    let index = 0;
    for (const [place, one] of sending.entries()) {
      const count = parts[place]?.length ?? 0;
      this.#takeIn(one, results.slice(index, index + count));
      index += count;
    }
    return undefined;
  }

  #takeIn(waiting: Waiting, results: readonly BulkResult[]): void {
    const { session, saves, resolve, reject } = waiting;
    let before = waiting.before;
    const goOn = (rest: readonly NumberedSave[]) => this.#enqueue({ ...waiting, saves: rest, before });
    for (const [index, result] of results.entries()) {
      const save = saves[index];
      if (save === undefined) break;
      if ('answer' in result) {
        before = together(before, this.#answered(session, save, result.answer));
        continue;
      }
      const { refused } = result;
      const rest = saves.slice(index);
      // On its own it is tried again, for as long as that is.
      if (refused.canRetry) return void this.#sendOneByOne({ ...waiting, saves: rest, before });
      if (refused.code === 'save-too-far-ahead' && index > 0) return goOn(rest);
      const apart = isForShape(refused) ? session.setAside(save, refused) : undefined;
      if (apart === undefined) return reject(this.#failed(session, refused));
      before = together(before, { ...nothingSaved, refused: apart.refused });
      return goOn([apart.rest, ...saves.slice(index + 1)]);
    }
    if (results.length === 0) return reject(new TypeError('The service sent no result for a save.'));
    return saves.length > results.length ? goOn(saves.slice(results.length)) : resolve(before);
  }

  async #sendOneByOne({ session, saves, before, resolve, reject }: Waiting): Promise<void> {
    let total = before;
    try {
      for (const save of saves) total = together(total, await this.#sendOne(session, save));
      resolve(total);
    } catch (error) {
      reject(error);
    }
  }

  async #sendOne(session: HeldSession, save: NumberedSave): Promise<SaveResult> {
    let refused: SaveResult = nothingSaved;
    for (let sent = save; ;) {
      try {
        const { number, transactions, leave } = sent;
        const answer = await this.#transport.send<SaveResponse | LeaveResponse>({
          method: 'POST',
          path: `/v1/sessions/${session.id}/${leave ? 'leave' : 'saves'}`,
          body: { number, transactions, seen: session.seen, answered: session.answeredUpTo, tuned: session.tuning.tag },
        });
        return together(refused, this.#answered(session, sent, answer));
      } catch (error) {
        const isMalformed = error instanceof ServiceRefused && isForShape(error);
        const apart = isMalformed ? session.setAside(sent, error) : undefined;
        if (apart === undefined) throw this.#failed(session, error);
        refused = together(refused, { ...nothingSaved, refused: apart.refused });
        sent = apart.rest;
      }
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

  async #sendLate(session: HeldSession, save: NumberedSave): Promise<void> {
    for (let sent = save; ;) {
      try {
        const body = { number: sent.number, transactions: sent.transactions, seen: session.seen };
        await this.#transport.send({ method: 'POST', path: `/v1/sessions/${session.id}/saves`, body });
        return;
      } catch (error) {
        if (!(error instanceof ServiceRefused)) throw error;
        // Refused, as it must be, and kept as unsettled; nobody is there any more where the session is not known.
        if (endings.has(error.code)) return;
        const apart = isForShape(error) ? session.setAside(sent, error) : undefined;
        if (apart === undefined) throw error;
        sent = apart.rest;
      }
    }
  }
}
