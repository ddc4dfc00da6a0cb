import { onceTokenLasts } from '@vekkon/core';
import { sql, type Kysely } from 'kysely';
import type { Tables } from '../../tables.js';
import type { Stamp, WriterContext } from '../context.js';
import { tokenLasts } from './change-outside.js';

const day = 24 * 60 * 60 * 1000;

/** How long the answers of a session are kept after its end, in milliseconds. Spools expire sooner. */
const answersLast = 30 * day;

/** How long a session is listed after its end, in milliseconds; each player's newest stays. */
export const sessionsLast = 180 * day;

/** How long it is known who was in a trial, in milliseconds. */
const trialsLast = 400 * day;

/** How far back credits are counted, in milliseconds: the longest period, and a long session before it. */
const creditsCountFor = 14 * day;

/** How long a sign-in is listed after its end, in milliseconds. */
const signInsLast = 90 * day;

/** How long what was removed waits in the trash, in milliseconds. */
export const trashLasts = 30 * day;

/** What one step looks at: so many rows, in the order of an index, after where the step before it ended. */
interface Look {
  readonly db: Kysely<Tables>;
  /** The time by which things grow old. */
  readonly now: number;
  readonly after: number;
  readonly atMost: number;
}

/** @returns where to go on; null where nothing is left that is outdated */
type Step = (look: Look) => Promise<number | null>;

/** Everything that has a term, each looked at by an index. */
const steps = {
  'once-tokens': older('once_tokens', ['player', 'token'], 'at', onceTokenLasts),
  'outside-requests': older('outside_requests', ['environment', 'token'], 'at', tokenLasts),
  trash: older('trash', ['number'], 'at', trashLasts),
  'checkpoints-given-up': older('checkpoints', ['number'], 'given_up_at', trashLasts),
  'outside-changes': outsideChanges,
  'device-tokens-revoked': ({ db, atMost }) =>
    deleted(
      db
        .deleteFrom('credentials')
        .where('hash', 'in', (select) =>
          select
            .selectFrom('credentials')
            .select('hash')
            .where('sort', '=', 'device')
            .where('revoked_at', 'is not', null)
            .limit(atMost),
        ),
      atMost,
    ),
  'device-tokens-over': ({ db, now, atMost }) =>
    deleted(
      db
        .deleteFrom('credentials')
        .where('hash', 'in', (select) =>
          select
            .selectFrom('credentials')
            .select('hash')
            .where('sort', '=', 'device')
            .where('expires_at', '<=', now)
            .limit(atMost),
        ),
      atMost,
    ),
  'late-saves': older('late_saves', ['session', 'number', 'digest'], 'at', answersLast),
  credited: older('credited', ['player', 'key', 'minute'], 'minute', creditsCountFor, 60_000),
  'trial-players': older('trial_players', ['environment', 'trial', 'player'], 'since', trialsLast),
  answers,
  sessions,
  activity: older('activity', ['number'], 'until', 0),
  'account-links': older('account_links', ['hash'], 'expires_at', day),
  'identity-tries': older('identity_tries', ['hash'], 'expires_at', day),
  'refresh-tokens': older('refresh_tokens', ['hash'], 'expires_at', day),
  'sign-ins': older('sign_ins', ['id'], 'ended_at', signInsLast),
  'found-by-dropped': foundByDropped,
} satisfies { readonly [name: string]: Step };

export type PruneStep = keyof typeof steps;

/** The names of the steps, in an order in which they can be taken. */
export const pruneSteps = Object.keys(steps) as PruneStep[];

export interface Prune {
  readonly step: PruneStep;
  /** Where the step before it ended; 0 to begin. */
  readonly after: number;
  /** How many rows it looks at. */
  readonly atMost: number;
}

/** Forgets some of what nobody may ask for any more. @returns where to go on; null where nothing of it is left */
export async function prune({ db }: WriterContext, prune: Prune & Stamp): Promise<number | null> {
  const { step, after, atMost, agesBy: now } = prune;
  return steps[step]({ db, now, after, atMost });
}

/** Takes note that this start was there at this hour, so that a later one knows. */
export async function noteTime({ db }: WriterContext, { agesBy }: Stamp): Promise<null> {
  await db.updateTable('probes').set({ at: agesBy }).execute();
  return null;
}

/**
 * A step that forgets the rows of a table whose time lies too far back.
 *
 * @param key   the columns that name a row
 * @param time  the column of its time, which has an index; rows without one stay
 * @param lasts how long rows are kept, in milliseconds
 * @param unit  how many milliseconds one of the column's is
 */
function older<Table extends keyof Tables>(
  table: Table,
  key: readonly (keyof Tables[Table] & string)[],
  time: keyof Tables[Table] & string,
  lasts: number,
  unit = 1,
): Step {
  const names = sql.join(key.map((column) => sql.ref(column)));
  return async ({ db, now, atMost }) => {
    const outdated = sql`select ${names} from ${sql.table(table)}
      where ${sql.ref(time)} <= ${Math.floor((now - lasts) / unit)} limit ${atMost}`;
    const done = await sql`delete from ${sql.table(table)} where (${names}) in (${outdated})`.execute(db);
    return Number(done.numAffectedRows ?? 0n) < atMost ? null : 0;
  };
}

async function deleted(
  query: { executeTakeFirst(): Promise<{ readonly numDeletedRows: bigint } | undefined> },
  atMost: number,
): Promise<number | null> {
  const done = Number((await query.executeTakeFirst())?.numDeletedRows ?? 0n);
  return done < atMost ? null : 0;
}

/** What was changed from outside since a player's oldest checkpoint is needed to restore it; the rest is not. */
async function outsideChanges({ db, after, atMost }: Look): Promise<number | null> {
  const looked = await db
    .selectFrom('outside_changes')
    .select(['number', 'player', 'seen'])
    .where('number', '>', after)
    .orderBy('number')
    .limit(atMost)
    .execute();
  const last = looked.at(-1)?.number;
  if (last === undefined) return null;
  await db
    .deleteFrom('outside_changes')
    .where('number', '>', after)
    .where('number', '<=', last)
    .where(({ not, exists, selectFrom }) =>
      not(
        exists(
          selectFrom('checkpoints')
            .select('checkpoints.number')
            .whereRef('checkpoints.player', '=', 'outside_changes.player')
            .whereRef('checkpoints.seen', '<', 'outside_changes.seen'),
        ),
      ),
    )
    .execute();
  return looked.length < atMost ? null : last;
}

/** The answers of sessions that ended long ago. */
async function answers({ db, now, atMost }: Look): Promise<number | null> {
  const rows = await db
    .selectFrom('sessions')
    .select('id')
    .where('ended_at', 'is not', null)
    .where((where) => where.or([where('last_outcome', 'is not', null), where('leave_outcome', 'is not', null)]))
    .where('ended_at', '<=', now - answersLast)
    .limit(atMost)
    .execute();
  if (rows.length === 0) return null;
  const ids = rows.map(({ id }) => id);
  await db.deleteFrom('save_outcomes').where('session', 'in', ids).execute();
  await db
    .updateTable('sessions')
    .set({ last_outcome: null, last_digest: null, leave_outcome: null, outcomes_from: null, outcomes_bytes: 0 })
    .where('id', 'in', ids)
    .execute();
  return rows.length < atMost ? null : 0;
}

/** Sessions that ended long ago, but for each player's newest: where they were last can be seen for ever. */
async function sessions({ db, now, after, atMost }: Look): Promise<number | null> {
  const rows = await db
    .selectFrom('sessions')
    .innerJoin('players', 'players.number', 'sessions.player')
    .select(['sessions.id', 'sessions.ended_at', 'sessions.fence', 'players.fence as newest'])
    .where('ended_at', '>', after)
    .where('ended_at', '<=', now - sessionsLast)
    .orderBy('ended_at')
    .limit(atMost)
    .execute();
  const ids = rows.filter(({ fence, newest }) => fence < newest).map(({ id }) => id);
  if (ids.length > 0) await db.deleteFrom('sessions').where('id', 'in', ids).execute();
  const last = rows.at(-1)?.ended_at ?? 0;
  if (rows.length < atMost) return null;
  // Of one moment there may be more than were looked at: they are looked at again, unless all of these stay.
  return ids.length > 0 ? last - 1 : last;
}

/** What nobody wants to find players by any more. */
async function foundByDropped({ db, atMost }: Look): Promise<number | null> {
  const dropped = await db
    .selectFrom('found_by')
    .select('number')
    .where('dropped_at', 'is not', null)
    .executeTakeFirst();
  if (dropped === undefined) return null;
  const { number } = dropped;
  const done = await db
    .deleteFrom('found_values')
    .where('found_by', '=', number)
    .where('player', 'in', (select) =>
      select.selectFrom('found_values').select('player').where('found_by', '=', number).limit(atMost),
    )
    .executeTakeFirst();
  if (Number(done.numDeletedRows) < atMost) await db.deleteFrom('found_by').where('number', '=', number).execute();
  return 0;
}
