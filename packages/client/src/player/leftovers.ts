import type { Transaction } from '@vekkon/core';
import type { RecordsByKey, SaveResponse, TransactionOutcome } from '@vekkon/protocol';
import { isForShape, takenApart, wasAnswered } from '../session/put-aside.js';
import type { NumberedSave } from '../session/stay.js';
import type { ServiceRefused } from '../errors.js';
import type { Sent } from '../transport/transport.js';
import { refusedForGood } from './failures.js';
import type { Leftover } from './kept-state.js';

/** What late saves ask of the player whose they are. */
interface LateSaves {
  send<Answer>(sent: Sent): Promise<Answer>;
  /** The oldest transactions that have a number, those of this save, were answered. */
  answered(save: NumberedSave, outcomes: readonly TransactionOutcome[], records?: RecordsByKey): void;
  /** A part of it the service will never take. */
  putAside(aside: readonly Transaction[], refusal: ServiceRefused, isStaying: readonly boolean[]): void;
  /** What is left over is another than before: it is to be kept. */
  changed(): void;
}

/** Saves that have their numbers, of sessions that this device gave up: they go first, under their sessions. */
export class Leftovers {
  readonly #late: LateSaves;
  #all: readonly Leftover[] = [];
  #delivering: Promise<void> | undefined;

  constructor(late: LateSaves) {
    this.#late = late;
  }

  get all(): readonly Leftover[] {
    return this.#all;
  }

  add(leftover: Leftover): void {
    this.#all = [...this.#all, leftover];
  }

  /** Sends them, in their order, and leaves their sessions. @throws what may pass; the rest is still here then */
  deliver(): Promise<void> {
    this.#delivering ??= this.#deliver().finally(() => (this.#delivering = undefined));
    return this.#delivering;
  }

  async #deliver(): Promise<void> {
    for (;;) {
      const [first] = this.#all;
      if (first === undefined) return;
      const { session, saves } = first;
      const [save, ...rest] = saves;
      const instead = save === undefined ? await this.#leave(session) : await this.#send(session, save);
      // Looked at again: more may have been added meanwhile.
      const [, ...others] = this.#all;
      const isDone = instead === undefined && (save === undefined || save.leave);
      const left = instead === undefined ? rest : [instead, ...rest];
      this.#all = isDone ? others : [{ session, saves: left }, ...others];
      this.#late.changed();
    }
  }

  /** @returns what is to be sent in its place; undefined if it was answered */
  async #send(session: string, save: NumberedSave): Promise<NumberedSave | undefined> {
    try {
      const { transactions, records } = await this.#late.send<SaveResponse>(requestOf(session, save));
      this.#late.answered(save, transactions, records);
    } catch (error) {
      const refusal = refusedForGood(error);
      if (isForShape(refusal) && save.transactions.length > 0) {
        const { aside, rest, isStaying } = takenApart(save, refusal);
        this.#late.putAside(aside, refusal, isStaying);
        return rest;
      }
      // Answered before, and the answer is known here no more: then it was applied.
      const isApplied = wasAnswered(refusal, save.number);
      const outcomes = save.transactions.map((_, index) => (isApplied ? applied : tooLate(refusal, index)));
      this.#late.answered(save, outcomes);
    }
    return undefined;
  }

  /** So that nobody waits for its lease. */
  async #leave(session: string): Promise<undefined> {
    const path = `/v1/sessions/${session}/leave`;
    await this.#late.send({ method: 'POST', path, body: {} }).catch(refusedForGood);
  }
}

const applied = { applied: true } as const;

/** It came too late: the service keeps it as unsettled. */
function tooLate({ code, message: detail, facts }: ServiceRefused, index: number) {
  const unsettled = facts.unsettled?.[index];
  return {
    applied: false,
    problem: { code, detail, change: 0 },
    ...(unsettled !== undefined && { unsettled }),
  } as const;
}

/** The request that a save makes; what is sent again is the same. */
export function requestOf(session: string, { number, transactions, leave }: NumberedSave) {
  const path = `/v1/sessions/${session}/${leave ? 'leave' : 'saves'}`;
  return { method: 'POST', path, body: { number, transactions } } as const;
}
