import { answeredAfter, keepOutcomes, utf8Bytes } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { keptQuery } from '../kept-query.js';
import type { SavingSession } from '../tables.js';
import type { WriterContext } from './context.js';

type Place = Pick<WriterContext, 'db'>;

/** What was answered under a number. */
export interface AnsweredSave {
  readonly digest: string;
  readonly outcome: string;
}

/** The outcome that a session keeps of a number: its last one, or an earlier one that the sender may not have yet. */
export async function outcomeOf(
  { db }: Place,
  session: SavingSession,
  number: number,
): Promise<AnsweredSave | undefined> {
  if (number === session.next_save - 1 && session.last_digest !== null) {
    return { digest: session.last_digest, outcome: session.last_outcome ?? '' };
  }
  const { outcomes_from: from } = session;
  if (from === null || number < from) return undefined;
  return (await outcomeNumbered(db, session.id, number))[0];
}

/**
 * Takes note of which answers a sender has, and forgets their outcomes.
 *
 * @param said the highest number whose answer arrived; null if the sender says nothing
 * @returns what must be waited for, if anything lies aside that may be forgotten
 */
export function takeAnswered(place: Place, session: SavingSession, said: number | null): Promise<void> | undefined {
  const answered = answeredAfter(session.answered, said, session.next_save - 1);
  session.answered = answered;
  if (answered === null || session.outcomes_from === null || session.outcomes_from > answered) return undefined;
  return forgetUpTo(place, session, answered);
}

/** A sender that has every answer, as most do: nothing lies aside, and nothing comes there with the next save. */
export function hasNothingAside(session: SavingSession, number: number): boolean {
  return session.answered === number - 1 && session.outcomes_from === null;
}

/** The same, for a call that writes nothing else: only where it lets something be forgotten. */
export async function takeAnsweredNow(
  place: Pick<WriterContext, 'db' | 'heldSessions'>,
  session: SavingSession,
  said: number | null,
): Promise<void> {
  if (session.outcomes_from === null || said === null || said < session.outcomes_from) return;
  await takeAnswered(place, session, said);
  place.heldSessions.forget(session.id);
  const { answered, outcomes_from, outcomes_bytes } = session;
  await place.db
    .updateTable('sessions')
    .set({ answered, outcomes_from, outcomes_bytes })
    .where('id', '=', session.id)
    .execute();
}

/**
 * Makes room for the outcome of the next save: the one before is put aside if
 * it may be asked for still.
 *
 * @throws Refusal `save-too-far-ahead`
 */
export async function putAside(place: Place, session: SavingSession, number: number): Promise<void> {
  const { last_digest: digest, last_outcome: outcome } = session;
  const hasNewest = digest !== null && outcome !== null;
  if (hasNothingAside(session, number)) return;
  const bytes = hasNewest ? utf8Bytes(outcome) : null;
  const kept = keepOutcomes({ answered: session.answered, bytes: session.outcomes_bytes }, number, bytes);
  if (kept.do === 'refuse') throw tooFarAhead(session, number);
  if (session.outcomes_from !== null && session.outcomes_from <= kept.forgetUpTo) {
    await forgetUpTo(place, session, kept.forgetUpTo);
  }
  if (!kept.keepsNewest || !hasNewest || bytes === null) return;
  await insertOutcome(place.db, session.id, number - 1, digest, outcome, bytes);
  session.outcomes_from ??= number - 1;
  session.outcomes_bytes += bytes;
}

async function forgetUpTo({ db }: Place, session: SavingSession, number: number): Promise<void> {
  for (const { bytes } of await deleteUpTo(db, session.id, number)) session.outcomes_bytes -= bytes;
  // They follow each other without a gap, up to the last but one.
  session.outcomes_from = number + 1 < session.next_save - 1 ? number + 1 : null;
}

function tooFarAhead({ answered }: SavingSession, number: number): Refusal {
  return new Refusal(
    'save-too-far-ahead',
    `Save ${number} is too far ahead: the last answer that you said you have ("answered") is that of save ${answered ?? 0}. Take the answers of the saves since then, say so, and send this one again.`,
    { answered: answered ?? 0 },
  );
}

const outcomeNumbered = keptQuery((db, session: string, number: number) =>
  db
    .selectFrom('save_outcomes')
    .select(['digest', 'outcome'])
    .where('session', '=', session)
    .where('number', '=', number),
);

const insertOutcome = keptQuery((db, session: string, number: number, digest: string, outcome: string, bytes: number) =>
  db.insertInto('save_outcomes').values({ session, number, digest, outcome, bytes }),
);

const deleteUpTo = keptQuery((db, session: string, number: number) =>
  db.deleteFrom('save_outcomes').where('session', '=', session).where('number', '<=', number).returning('bytes'),
);
