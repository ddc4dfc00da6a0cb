import { limits } from '@vekkon/core';
import { z } from 'zod';
import { standings } from './boards.js';
import { tuningTold, type TuningTold } from './tuning.js';
import { transactionOutcome, transactions } from './changes.js';
import { id, jsonValue, recordsByKey, time } from './values.js';

export const sessionId = z.string().regex(/^ses_[A-Za-z0-9_-]{16,40}$/, { error: 'is not a session id' });

export const joinRequest = z.strictObject({
  host: id,
  instance: z
    .string()
    .min(1)
    .max(128)
    .optional()
    .meta({ description: "One start of the host's process: a random id." }),
  attempt: z.string().min(1).max(128).optional().meta({ description: 'The same for every try of one join.' }),
  name: z.string().min(1).max(128).optional().meta({ description: 'The display name.' }),
  attributes: z
    .record(z.string().regex(/^[a-z][a-z0-9-]{0,62}$/), z.union([z.string().max(200), z.number(), z.boolean()]))
    .optional(),
  wait: z.number().min(0).max(20).optional().meta({ description: 'Seconds to wait for a handover.' }),
  manifest: z.int().min(1).optional().meta({ description: 'The manifest version this host was built against.' }),
});
export type JoinRequest = z.infer<typeof joinRequest>;

export const joinResponse = z.object({
  now: time,
  session: z.object({ id: sessionId, leaseSeconds: z.int(), expiresAt: time, nextSave: z.int() }),
  seen: z.int().meta({ description: 'Counts every commit to this player.' }),
  player: z.object({
    id,
    name: z.string().nullable(),
    isNew: z.boolean(),
    createdAt: time,
    lastLeftAt: time.nullable(),
  }),
  manifest: z.int().meta({ description: 'The manifest version whose names the session speaks.' }),
  records: recordsByKey,
  tuning: tuningTold,
});
export type JoinResponse = z.infer<typeof joinResponse>;

const answered = z
  .int()
  .min(0)
  .optional()
  .meta({ description: 'The highest number whose answer has arrived: earlier outcomes are kept until this is said.' });

const tuned = z.string().max(64).optional().meta({
  description:
    'Tells the tuning that the sender has (16 hexadecimal digits, MurmurHash3 of its JSON text with the seeds 0 and 1): it is told whatever is another.',
});

const asked = z
  .array(z.string().max(64))
  .max(1000)
  .optional()
  .meta({ description: 'The tunables that the game has asked for since the last time.' });

export const saveRequest = z.strictObject({
  number: z.int().min(1),
  seen: z.int().min(0).optional(),
  answered,
  tuned,
  transactions: transactions.default([]),
});
export type SaveRequest = z.infer<typeof saveRequest>;

export const saveResponse = z.object({
  now: time,
  number: z.int(),
  seen: z.int(),
  transactions: z.array(transactionOutcome),
  records: recordsByKey,
  session: z.object({ expiresAt: time, handoverWanted: z.boolean() }),
  standings: standings
    .optional()
    .meta({ description: 'Of a save that submitted: what became of its results, by board.' }),
  tuning: tuningTold.optional().meta({ description: 'Where the session gets something else than it was last told.' }),
});
export type SaveResponse = z.infer<typeof saveResponse>;

/** A last save is optional: a body without `number` only ends the session. */
export const leaveRequest = saveRequest.partial({ number: true });
export type LeaveRequest = z.infer<typeof leaveRequest>;

/** One save of a bulk request. */
export const bulkSave = saveRequest
  .partial({ number: true })
  .extend({ session: sessionId, leave: z.boolean().optional() });
export type BulkSave = z.infer<typeof bulkSave>;

/** Each save is checked by itself, so that one which is not as it must be is one result among many. */
export const bulkRequest = z.strictObject({ saves: z.array(jsonValue).max(limits.savesPerBulk) });

/** What a bulk request holds where all of it is as it must be: what the OpenAPI document shows. */
export const wholeBulkRequest = z.strictObject({ saves: z.array(bulkSave).max(limits.savesPerBulk) });

export const hostRenewRequest = z.strictObject({
  instance: z.string().min(1).max(128).optional(),
  sessions: z
    .array(z.strictObject({ session: sessionId, seen: z.int().min(0).optional(), answered, tuned, asked }))
    .max(5_000)
    .meta({ description: 'The sessions that the host believes it has.' }),
});
export type HostRenewRequest = z.infer<typeof hostRenewRequest>;

export const renewRequest = z.strictObject({ seen: z.int().min(0).optional(), answered, tuned, asked });

export const leaveResponse = z.object({
  now: time,
  number: z.int().nullable(),
  seen: z.int(),
  transactions: z.array(transactionOutcome),
  records: recordsByKey,
  session: z.object({ endedAt: time }),
  standings: standings.optional(),
});
export type LeaveResponse = z.infer<typeof leaveResponse>;

export const renewResponse = saveResponse.omit({ number: true, transactions: true, standings: true });
export type RenewResponse = z.infer<typeof renewResponse>;

/** One result of a bulk call: the response or the problem that the call would have had alone, with its status. */
export const bulkResponse = z.object({
  now: time,
  results: z.array(z.looseObject({ status: z.int() })),
});

export const hostRenewResponse = z.object({
  now: time,
  sessions: z.array(renewResponse.omit({ now: true }).extend({ id: sessionId })),
  lost: z.array(z.object({ id: sessionId, code: z.string(), detail: z.string() })),
});
export type HostRenewResponse = z.infer<typeof hostRenewResponse>;

/** What a host's stream tells it, by event name. */
export interface HostEvents {
  /** Another host asks for the player: save and leave. */
  readonly 'handover-wanted': { readonly session: string };
  /** Others changed the player's records. */
  readonly 'outside-change': {
    readonly session: string;
    readonly seen: number;
    readonly records: z.infer<typeof recordsByKey>;
  };
  /** An operator asks for a save now. */
  readonly 'save-now': { readonly session: string };
  /** Somebody else joined the player: nothing may be written for the session any more. */
  readonly 'session-lost': { readonly session: string; readonly detail: string };
  /** On the stream of a session: what it gets from now on. */
  readonly tuning: { readonly session: string; readonly tuning: TuningTold };
}
