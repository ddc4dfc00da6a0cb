import type { SavingPlayer, SavingSession } from '../tables.js';
import type { Notes } from './undoable.js';

/** An open session as it stands in the store, and whose it is. */
export interface HeldSession {
  readonly session: SavingSession;
  readonly player: Pick<SavingPlayer, 'number' | 'id'>;
  readonly bytes: number;
}

/** How much of sessions is held at the most, in bytes. */
export const mostSessionsHeld = 16 * 1024 * 1024;

/** What a session takes beside its last outcome, about. */
const sessionBytes = 600;

export function heldSession(session: SavingSession, { number, id }: SavingPlayer): HeldSession {
  return { session, player: { number, id }, bytes: sessionBytes + (session.last_outcome?.length ?? 0) };
}

/** A held session, to be changed by a command: if that is refused, the session is as it was. */
export function takenOver(session: SavingSession, notes: Notes): SavingSession {
  const { next_save, last_digest, last_outcome, ended_at } = session;
  const { answered, outcomes_from, outcomes_bytes } = session;
  notes.add(() => {
    session.next_save = next_save;
    session.last_digest = last_digest;
    session.last_outcome = last_outcome;
    session.ended_at = ended_at;
    session.answered = answered;
    session.outcomes_from = outcomes_from;
    session.outcomes_bytes = outcomes_bytes;
  });
  return session;
}
