import { ServiceRefused } from '../errors.js';
import type { RetryingTransport } from '../transport/retrying-transport.js';
import { sendBulk, type BulkSave } from '../session/bulk.js';
import type { Spool, SpoolFound } from './spool.js';

/** What was found in a spool and what became of it. */
export interface Delivery {
  /** How many saves were delivered: each is applied, or was before. */
  readonly saves: number;
  /** Transactions that came too late, and wait for a person. */
  readonly unsettled: readonly string[];
  /** Saves that the service refused otherwise, with the reason. They stay in no file: nothing of them was new. */
  readonly refused: readonly { readonly session: string; readonly number: number; readonly reason: string }[];
  readonly isTorn: boolean;
  readonly setAside: SpoolFound['setAside'];
}

/**
 * Sends what an earlier start of the host left in its spool, under the same
 * sessions and numbers, so that nothing is applied twice, and leaves those
 * sessions. Empties the spool when everything has been answered.
 *
 * @throws ServiceUnreachable or ServiceRefused; the spool stays as it is
 */
export async function deliver(transport: RetryingTransport, spool: Spool, found: SpoolFound): Promise<Delivery> {
  const { isTorn, setAside } = found;
  const unsettled: string[] = [];
  const refused: Delivery['refused'][number][] = [];
  let saves = 0;
  for (const { session, saves: numbered, done, nextSave } of found.undelivered) {
    const sending: BulkSave[] = numbered.map((save) => ({ ...save, session }));
    if (done.length > 0) {
      const last = { number: nextSave, transactions: done.map((one) => ({ ...one, keep: true })), leave: true };
      // On disk under its number before it is sent: it must stay the same, come what may.
      await spool.add({ is: 'save', session, rest: [], ...last });
      sending.push({ ...last, session });
    } else if (numbered.at(-1)?.leave === false) {
      sending.push({ session, transactions: [], leave: true });
    }
    let isTooLate = false;
    for (const [index, result] of (await sendBulk(transport, sending)).entries()) {
      const { number } = sending[index] ?? {};
      if (number === undefined) continue;
      if ('answer' in result) saves++;
      else if (result.refused.facts.unsettled !== undefined) {
        saves++;
        unsettled.push(...result.refused.facts.unsettled);
        isTooLate = true;
      } else if (result.refused.canRetry) {
        throw result.refused;
      } else if (result.refused.code === 'save-before-refused' && isTooLate) {
        unsettled.push(...(await sendLate(transport, sending[index] as BulkSave)));
        saves++;
      } else {
        refused.push({ session, number, reason: result.refused.message });
      }
    }
  }
  if (found.undelivered.length > 0) await spool.clear();
  return { saves, unsettled, refused, isTorn, setAside };
}

/** A save behind one that came too late is too late as well, and is kept as well. */
async function sendLate(transport: RetryingTransport, save: BulkSave): Promise<readonly string[]> {
  const [result] = await sendBulk(transport, [save]);
  if (result === undefined || 'answer' in result) return [];
  if (result.refused instanceof ServiceRefused && result.refused.canRetry) throw result.refused;
  return result.refused.facts.unsettled ?? [];
}
