/**
 * Who may write a player's records: the rules of join, as a pure decision.
 * What an open session is, whether its lease is over, and which instance of a
 * host is the newest are facts that the caller brings.
 */

/** The player's open session, if there is one. */
export interface OpenSession {
  readonly id: string;
  readonly host: string;
  /** One start of the host's process; null if the host does not say. */
  readonly instance: string | null;
  readonly attempt: string | null;
  readonly isLeaseOver: boolean;
}

export interface JoinRequest {
  readonly host: string;
  readonly instance: string | null;
  readonly attempt: string | null;
}

/** Why a session ended: the player left, or somebody else joined them. */
export type SessionEnd = 'left' | 'joined-again' | 'lease-over' | 'host-restarted';

export type JoinDecision =
  /** The same attempt: answered with the session that it opened. */
  | { readonly do: 'again' }
  /** A new session, after the open one was ended. */
  | { readonly do: 'open'; readonly ends?: SessionEnd }
  /** Another host holds the player: it is asked to let go. */
  | { readonly do: 'wait' };

/** Decides what a join by the newest instance of a host does. */
export function decideJoin(open: OpenSession | undefined, join: JoinRequest): JoinDecision {
  if (open === undefined) return { do: 'open' };
  if (open.host === join.host) {
    if (join.attempt !== null && join.attempt === open.attempt && join.instance === open.instance)
      return { do: 'again' };
    return { do: 'open', ends: join.instance === open.instance ? 'joined-again' : 'host-restarted' };
  }
  return open.isLeaseOver ? { do: 'open', ends: 'lease-over' } : { do: 'wait' };
}
