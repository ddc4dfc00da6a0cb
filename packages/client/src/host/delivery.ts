import { limits } from '@vekkon/core';
import type { ServiceRefused } from '../errors.js';
import { sendBulk, type BulkResult, type BulkSave } from '../session/bulk.js';
import { isForShape, takenApart, wasAnswered } from '../session/put-aside.js';
import type { Transport } from '../transport/transport.js';
import type { SetAside } from './host-session.js';
import type { Spool, SpoolFound } from './spool.js';
import type { SpooledSave, Undelivered } from './spool-contents.js';

/** What was found in a spool and what became of it. */
export interface Delivery {
  /** How many saves were delivered: each is applied, or was before. */
  readonly saves: number;
  /** Transactions that came too late or were refused, and wait for a person. */
  readonly unsettled: readonly string[];
  /** Saves that nobody can take any more, with the reason: the player is not known there any more. */
  readonly refused: readonly { readonly session: string; readonly number: number; readonly reason: string }[];
  /** What the service will never take as it is: it stays in the spool until a person has looked at it. */
  readonly putAside: readonly SetAside[];
  /** Players whose changes stay in the spool for now, with the reason: they are tried again. */
  readonly waiting: readonly { readonly player: string; readonly reason: string }[];
  readonly isTorn: boolean;
  readonly setAside: SpoolFound['setAside'];
}

/** The end of the session is known: what comes now is too late. */
const endings: ReadonlySet<string> = new Set(['session-ended', 'host-replaced']);

/**
 * Sends what an earlier start of the host left in its spool, under the same
 * sessions and numbers, so that nothing is applied twice, and leaves those
 * sessions. Each session is taken out of the spool when all of it has been
 * answered; one that is refused for now stays in it, and holds up no other.
 *
 * @param sessions those of the earlier start
 * @throws ServiceUnreachable or ServiceRefused if nothing can be delivered now; the spool stays as it is
 */
export async function deliver(
  transport: Transport,
  spool: Spool,
  sessions: ReadonlySet<string>,
): Promise<Omit<Delivery, 'isTorn' | 'setAside'>> {
  const outcome = { saves: 0, unsettled: [] as string[], refused: [], putAside: [], waiting: [] } satisfies Outcome;
  for (const undelivered of spool.undelivered) {
    if (sessions.has(undelivered.session)) await new SessionDelivery(transport, spool, undelivered, outcome).run();
  }
  return outcome;
}

interface Outcome {
  saves: number;
  readonly unsettled: string[];
  readonly refused: Delivery['refused'][number][];
  readonly putAside: SetAside[];
  readonly waiting: Delivery['waiting'][number][];
}

/** One session's saves, in their order. */
class SessionDelivery {
  readonly #transport: Transport;
  readonly #spool: Spool;
  readonly #of: Undelivered;
  readonly #outcome: Outcome;
  #answered: number;

  constructor(transport: Transport, spool: Spool, of: Undelivered, outcome: Outcome) {
    this.#transport = transport;
    this.#spool = spool;
    this.#of = of;
    this.#outcome = outcome;
    this.#answered = of.answered;
  }

  async run(): Promise<void> {
    let left = await this.#allNumbered();
    while (left.length > 0) {
      const rest = await this.#send(left);
      if (rest === 'waits') return;
      left = rest;
    }
    if (this.#of.saves.at(-1)?.leave === false && this.#of.done.length === 0) await this.#leave();
    await this.#spool.add({ is: 'over', session: this.#of.session });
  }

  async #allNumbered(): Promise<readonly SpooledSave[]> {
    const { session, player, saves, done, nextSave } = this.#of;
    if (done.length === 0) return saves;
    const last = { number: nextSave, transactions: done.map((one) => ({ ...one, keep: true })), leave: true };
    // On disk under its number before it is sent: it must stay the same, come what may.
    await this.#spool.add({ is: 'save', session, player, rest: [], ...last });
    return [...saves, last];
  }

  /** @returns what is left to be sent; `waits` where the service takes none of it now */
  async #send(saves: readonly SpooledSave[]): Promise<readonly SpooledSave[] | 'waits'> {
    const of = this.#of;
    const { session } = of;
    const sending: readonly BulkSave[] = saves
      .slice(0, limits.savesAhead)
      .map((save) => ({ ...save, session, answered: this.#answered }));
    const results = await sendBulk(this.#transport, sending);
    const left = await this.#takeIn(saves, results);
    // Noted before it is said: what the service has forgotten may not be sent again by a later start.
    if (this.#answered > of.answered) await this.#spool.add({ is: 'answered', session, number: this.#answered });
    return left;
  }

  async #takeIn(
    saves: readonly SpooledSave[],
    results: readonly BulkResult[],
  ): Promise<readonly SpooledSave[] | 'waits'> {
    const { session, player } = this.#of;
    for (const [index, result] of results.entries()) {
      const save = saves[index];
      if (save === undefined) break;
      if ('answer' in result) {
        this.#outcome.saves++;
        this.#answered = save.number;
        for (const one of result.answer.transactions) {
          if (!one.applied && one.unsettled !== undefined) this.#outcome.unsettled.push(one.unsettled);
        }
        continue;
      }
      const { refused } = result;
      const after = saves.slice(index + 1);
      if (refused.canRetry) {
        this.#outcome.waiting.push({ player: player ?? session, reason: refused.message });
        return 'waits';
      }
      if (refused.code === 'save-too-far-ahead' && index > 0) return saves.slice(index);
      if (isForShape(refused) && save.transactions.length > 0) return [await this.#putAside(save, refused), ...after];
      if (wasAnswered(refused, save.number)) {
        this.#outcome.saves++;
        return after;
      }
      // Known to be over, or not known at all: the next one is told so by itself.
      if (refused.facts.unsettled !== undefined) {
        this.#outcome.saves++;
        this.#outcome.unsettled.push(...refused.facts.unsettled);
      } else if (!endings.has(refused.code) || save.transactions.length > 0) {
        this.#outcome.refused.push({ session, number: save.number, reason: refused.message });
      }
      return after;
    }
    return saves.slice(results.length);
  }

  /** @returns the save without what the service will never take */
  async #putAside(save: SpooledSave, refusal: ServiceRefused): Promise<SpooledSave> {
    const { session, player } = this.#of;
    const { number } = save;
    const { aside: transactions, rest } = takenApart(save, refusal);
    const reason = refusal.message;
    await this.#spool.add({
      is: 'aside',
      session,
      player,
      number,
      transactions,
      rest: rest.transactions,
      reason,
      at: new Date().toISOString(),
    });
    this.#outcome.putAside.push({ player: player ?? session, number, reason });
    return rest;
  }

  /** So that nobody waits for its lease. What becomes of it does not matter: everything was answered. */
  async #leave(): Promise<void> {
    const { session } = this.#of;
    await sendBulk(this.#transport, [{ session, transactions: [], leave: true, answered: this.#answered }]);
  }
}
