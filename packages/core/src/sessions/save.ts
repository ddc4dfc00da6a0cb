import { limits, serviceLimits } from '../limits.js';

/** A player's device writes in the sessions that it opened; a game server (null) in all of its environment. */
export function mayWriteIn(session: { readonly device: string | null }, device: string | null): boolean {
  return device === null || session.device === device;
}

/**
 * May a device deliver a save for a session? For its own, and for those of
 * other devices of the same player: what was done before a sign-in ended is
 * delivered by the next.
 *
 * @param player whose session it is
 * @param owner  whose device it is that calls
 */
export function maySaveIn(
  session: { readonly device: string | null },
  player: string,
  device: string | null,
  owner: string | null,
): boolean {
  return mayWriteIn(session, device) || (session.device !== null && player === owner);
}

/** What a session knows of its saves. */
export interface SaveState {
  readonly hasEnded: boolean;
  /** A newer start of the host has taken the place of the one that joined. */
  readonly isHostReplaced: boolean;
  /** The number that the next save must carry; the first is 1. */
  readonly nextSave: number;
  /** The digest of what was answered under the number that was sent now; null if its outcome is not kept. */
  readonly keptDigest: string | null;
}

export type SaveDecision =
  | { readonly do: 'apply' }
  /** Sent before: the stored outcome is the answer. */
  | { readonly do: 'again' }
  | { readonly do: 'refuse'; readonly code: SaveRefusal };

export type SaveRefusal = 'save-differs' | 'save-out-of-order' | 'session-ended' | 'host-replaced';

/**
 * Decides whether a numbered save is new, was sent before, or can't be.
 *
 * Numbers whose outcomes are kept are looked up before anything else, so that
 * a save whose response was lost gets it even after the session ended.
 */
export function decideSave(
  session: SaveState,
  save: { readonly number: number; readonly digest: string },
): SaveDecision {
  if (save.number < session.nextSave && session.keptDigest !== null) {
    return save.digest === session.keptDigest ? { do: 'again' } : { do: 'refuse', code: 'save-differs' };
  }
  if (session.hasEnded) return { do: 'refuse', code: 'session-ended' };
  if (session.isHostReplaced) return { do: 'refuse', code: 'host-replaced' };
  return save.number === session.nextSave ? { do: 'apply' } : { do: 'refuse', code: 'save-out-of-order' };
}

/**
 * The highest number whose answer a sender is known to have.
 *
 * @param known what it said before; null if it never said
 * @param said  what it says now; null if it says nothing
 * @param last  the last number that was answered: nobody can have more
 */
export function answeredAfter(known: number | null, said: number | null, last: number): number | null {
  if (said === null) return known;
  return Math.max(known ?? 0, Math.min(said, last));
}

/** The outcomes that a session keeps beside its newest one. */
export interface OutcomesAside {
  /** The highest number whose answer the sender says that it has; null if it never said. */
  readonly answered: number | null;
  /** How much lies aside, in bytes of UTF-8; what was answered is gone from it already. */
  readonly bytes: number;
}

export type OutcomesKept =
  /** Outcomes up to a number are forgotten, and the newest one is put aside where it may be asked for still. */
  | { readonly do: 'keep'; readonly forgetUpTo: number; readonly keepsNewest: boolean }
  /** The sender is too far ahead of what it says that it has: it must take its answers first. */
  | { readonly do: 'refuse' };

/**
 * Decides what becomes of older outcomes when a save is about to be answered.
 *
 * A sender that says what it has is never made to lose the rest; one that
 * never says so is answered for its last numbers, as far as they fit.
 *
 * @param number the save's
 * @param newest how many bytes the outcome takes whose place it takes; null if there is none
 */
export function keepOutcomes(aside: OutcomesAside, number: number, newest: number | null): OutcomesKept {
  const { answered } = aside;
  const keepsNewest = newest !== null && (answered === null || number - 1 > answered);
  const isTooMuch = aside.bytes + (keepsNewest ? newest : 0) > serviceLimits.outcomeBytesPerSession;
  if (answered !== null) {
    if (isTooMuch || number - answered > limits.savesAhead) return { do: 'refuse' };
    return { do: 'keep', forgetUpTo: 0, keepsNewest };
  }
  if (isTooMuch) return { do: 'keep', forgetUpTo: number - 2, keepsNewest: false };
  return { do: 'keep', forgetUpTo: Math.max(0, number - serviceLimits.outcomesOfSilentSenders), keepsNewest };
}
