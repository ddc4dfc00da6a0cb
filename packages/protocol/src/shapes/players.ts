import { serviceLimits } from '@vekkon/core';
import { z } from 'zod';
import { transactionOutcome, transactions } from './changes.js';
import { id, recordKey, recordsByKey, time } from './values.js';
import { sessionId } from './sessions.js';

const sessionEnd = z.enum(['left', 'joined-again', 'lease-over', 'host-restarted']);

export const sessionSummary = z.object({
  id: sessionId,
  host: z.string(),
  joinedAt: time,
  endedAt: time.nullable(),
  end: sessionEnd.nullable().meta({ description: 'Why it ended; null while it is open.' }),
  saves: z.int(),
  lastSavedAt: time.nullable(),
  isNew: z.boolean(),
});
export type SessionSummary = z.infer<typeof sessionSummary>;

export const playerSummary = z.object({
  id,
  name: z.string().nullable(),
  createdAt: time,
  lastJoinedAt: time.nullable(),
  lastLeftAt: time.nullable(),
  sessionOn: z.string().nullable().meta({ description: 'The host whose session is open; null if none is.' }),
});
export type PlayerSummary = z.infer<typeof playerSummary>;

/** What players can be found by: a key, a key and a JSON Pointer (RFC 6901) as its fragment, or an attribute. */
export const foundBy = z.string().min(1).max(400).meta({
  description: '`currency/feather`, `progress/flight#/chapter`, `attribute/country`',
});

export const foundByRequest = z.strictObject({ of: z.array(foundBy).max(12) });
export const foundByResponse = z.object({
  foundBy: z.array(
    z.object({
      of: z.string(),
      isReady: z.boolean().meta({ description: 'Has what was stored before been taken in?' }),
    }),
  ),
});
export type FoundByList = z.infer<typeof foundByResponse>;

/** Which players are asked for. */
export const playersQuery = z.object({
  search: z.string().max(128).optional().meta({ description: 'A part of the id or of the name, in any case.' }),
  inSession: z.literal('true').optional().meta({ description: 'Only those who are in a session now.' }),
  hasUnsettled: z.literal('true').optional().meta({ description: 'Only those who have unsettled transactions.' }),
  joinedSince: time.optional().meta({ description: 'Only those who joined last at or after this.' }),
  by: foundBy
    .optional()
    .meta({ description: 'By what they hold there, in its order: one of what players are found by.' }),
  from: z.coerce.number().optional().meta({ description: 'With `by`: only those who hold at least so much.' }),
  to: z.coerce.number().optional().meta({ description: 'With `by`: only those who hold at most so much.' }),
  is: z.string().max(128).optional().meta({ description: 'With `by`: only those who hold exactly this.' }),
  board: z
    .string()
    .max(300)
    .optional()
    .meta({ description: 'Only those on this board, in the order of their places.' }),
  place: z.coerce.number().int().min(1).optional().meta({ description: 'With `board`: at this place or above.' }),
  sort: z.enum(['joined', 'name', 'id', 'made']).optional().meta({
    description:
      'Without `by` and `board`: the last join if left out. A search that finds more than a thousand lists those who were made last first.',
  }),
  order: z.enum(['ascending', 'descending']).optional().meta({ description: 'Descending if left out.' }),
  count: z.coerce.number().int().min(1).max(200).default(50),
  after: z.string().max(400).optional(),
});

export const playerList = z.object({
  players: z.array(
    playerSummary.extend({
      found: z.union([z.number(), z.string()]).nullable().optional().meta({
        description: 'With `by` what they hold there, with `board` their place.',
      }),
    }),
  ),
  total: z.int().meta({ description: 'How many there are, on all pages; counting stops at a bound.' }),
  isCapped: z.boolean().meta({ description: 'There are more than `total`.' }),
  next: z.string().nullable().meta({
    description: 'Send it as `after` for the next page; null on the last. A page may be short though there is more.',
  }),
});
export type PlayerList = z.infer<typeof playerList>;

export const playerDetails = playerSummary.extend({ now: time, seen: z.int(), records: recordsByKey });
export type PlayerDetails = z.infer<typeof playerDetails>;

export const changesRequest = z.strictObject({ transactions: transactions.min(1) });
export type ChangesRequest = z.input<typeof changesRequest>;

export const changesResponse = z.object({
  now: time,
  seen: z.int(),
  transactions: z.array(transactionOutcome),
  records: recordsByKey,
});
export type ChangesResponse = z.infer<typeof changesResponse>;

export const readRequest = z.strictObject({
  players: z.array(id).min(1).max(serviceLimits.playersPerRead),
  keys: z.array(recordKey).min(1).max(100).optional().meta({ description: 'All that is stored if left out.' }),
});

export const readResponse = z.object({
  now: time,
  players: z.record(z.string(), z.object({ name: z.string().nullable(), records: recordsByKey })),
  unknown: z.array(z.string()).meta({ description: 'Ids of which no player is known.' }),
});
export type ReadResponse = z.infer<typeof readResponse>;

export const sessionList = z.object({
  sessions: z.array(
    sessionSummary.extend({
      changedAfter: z.int().nullable().meta({
        description:
          'How many commits changed the player between its end and the next join; 0: that join found exactly what this session stored. Null while there is no next join.',
      }),
    }),
  ),
});
export type SessionList = z.infer<typeof sessionList>;
/** A session in a player's list. */
export type ListedSession = SessionList['sessions'][number];

/** A host's sessions, with what the next join of the same player found. */
export const hostSessionList = z.object({
  now: time,
  sessions: z.array(
    sessionSummary.extend({
      player: id,
      changes: z.int().meta({ description: 'How many commits changed the player during the session.' }),
      isLeaseOver: z.boolean(),
      changedBefore: z
        .int()
        .meta({ description: 'How many commits changed the player between their last session and this one.' }),
    }),
  ),
});
export type HostSessionList = z.infer<typeof hostSessionList>;

export const sessionDetails = sessionSummary.extend({
  loaded: recordsByKey.meta({ description: 'What was loaded at join.' }),
  stored: recordsByKey.meta({ description: 'What is stored since: at leave, or so far.' }),
});
export type SessionDetails = z.infer<typeof sessionDetails>;

export const sessionSavesQuery = z.object({
  count: z.coerce.number().int().min(1).max(200).default(50),
  before: z.coerce.number().int().min(1).optional().meta({ description: 'What the page before gave as `next`.' }),
});

export const sessionSaves = z.object({
  saves: z.array(
    z.object({
      seen: z.int().meta({ description: "The player's commit that wrote it." }),
      at: time,
      bytes: z.int().meta({ description: 'What the values that it wrote take.' }),
      records: z.array(
        z.object({
          key: z.string(),
          revision: z.int(),
          words: z.array(z.string()).nullable().meta({
            description: 'What it changed, in words; null where the revision before it is kept no more.',
          }),
          more: z.int(),
        }),
      ),
      moved: z.array(z.string()).meta({ description: 'What was credited and debited, with the reasons.' }),
    }),
  ),
  troubles: z
    .array(z.object({ at: time, what: z.string(), detail: z.string() }))
    .meta({ description: 'Tries that failed, saves that were refused or came late, and who asked for the player.' }),
  next: z.int().nullable(),
});
export type SessionSaves = z.infer<typeof sessionSaves>;
