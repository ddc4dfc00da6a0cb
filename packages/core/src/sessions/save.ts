/** A player's device writes in the sessions that it opened; a game server (null) in all of its environment. */
export function mayWriteIn(session: { readonly device: string | null }, device: string | null): boolean {
  return device === null || session.device === device;
}

/** What a session knows of its saves. */
export interface SaveState {
  readonly hasEnded: boolean;
  /** A newer start of the host has taken the place of the one that joined. */
  readonly isHostReplaced: boolean;
  /** The number that the next save must carry; the first is 1. */
  readonly nextSave: number;
  /** The last save that was answered: its contents' digest. */
  readonly lastDigest: string | null;
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
 * The last number is looked up before anything else, so that a save whose
 * response was lost gets it even after the session ended.
 */
export function decideSave(
  session: SaveState,
  save: { readonly number: number; readonly digest: string },
): SaveDecision {
  if (save.number === session.nextSave - 1 && session.lastDigest !== null) {
    return save.digest === session.lastDigest ? { do: 'again' } : { do: 'refuse', code: 'save-differs' };
  }
  if (session.hasEnded) return { do: 'refuse', code: 'session-ended' };
  if (session.isHostReplaced) return { do: 'refuse', code: 'host-replaced' };
  return save.number === session.nextSave ? { do: 'apply' } : { do: 'refuse', code: 'save-out-of-order' };
}
