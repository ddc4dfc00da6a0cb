import { z } from 'zod';
import { disturbance } from './disturbances.js';
import { time } from './values.js';

const milliseconds = z.number().nullable().meta({ description: 'Milliseconds; null where there was none.' });
const counted = z.object({ count: z.int(), isCapped: z.boolean().meta({ description: 'There are more.' }) });

/** One minute of play. */
const minute = z.object({
  at: time.meta({ description: 'When it began.' }),
  joins: z.int(),
  saves: z.int(),
  leaves: z.int(),
  refused: z.int().meta({ description: 'Transactions and calls of games that were refused.' }),
  joinMedian: milliseconds,
  joinP99: milliseconds,
  saveMedian: milliseconds,
  saveP99: milliseconds,
});
export type MinuteOfPlay = z.infer<typeof minute>;

export const overview = z.object({
  now: time,
  since: time.meta({ description: 'From when on is counted: the last hour, or since the service started.' }),
  inSession: z.int().meta({ description: 'Players who are in a session now.' }),
  lastDay: counted.meta({ description: 'Players who joined within 24 hours.' }),
  players: counted,
  minutes: z.array(minute).meta({ description: 'The last hour, the oldest first; the newest is not over yet.' }),
  refusals: z
    .array(z.object({ code: z.string(), count: z.int() }))
    .meta({ description: 'Of the last hour, by cause, the most first.' }),
  repeats: z
    .int()
    .meta({ description: 'Saves of the last hour that were sent again, and answered as they were then.' }),
  hosts: z.array(
    z.object({
      host: z.string(),
      sessions: z.int(),
      heardAt: time.nullable().meta({ description: 'Its last save, join or renewal; null: not since the start.' }),
    }),
  ),
  turns: z.array(z.object({ board: z.string(), season: z.int(), turnsAt: time })),
  nextWindow: time.nullable().meta({ description: 'When what players get of tunables changes next.' }),
  unsettled: z.object({ transactions: z.int(), reasons: z.array(z.object({ reason: z.string(), count: z.int() })) }),
  disk: z.object({ bytes: z.int().meta({ description: 'What the database takes.' }), free: z.int(), size: z.int() }),
  disturbance: disturbance.nullable(),
  firstSteps: z
    .array(z.object({ step: z.string(), done: z.boolean() }))
    .nullable()
    .meta({ description: 'For a new game: what it has done so far; null once all of it is done.' }),
});
export type Overview = z.infer<typeof overview>;

export const operatorStreamQuery = z.object({
  topics: z
    .string()
    .max(200)
    .default('activity')
    .meta({ description: 'Of activity, boards, gifts, overview and tuning, with commas between them.' }),
  player: z.string().max(400).optional().meta({ description: 'Tells whatever happens to this player.' }),
});

/** What happened to the player who is watched. */
export const playerNews = z.object({
  player: z.string(),
  what: z.enum(['joined', 'saved', 'left', 'changed', 'erased']),
  seen: z.int().nullable(),
});
export type PlayerNews = z.infer<typeof playerNews>;

/** What an operator's stream tells, by event name. */
export interface OperatorEvents {
  readonly activity: {
    readonly at: string;
    readonly what: string;
    readonly by: string | null;
    readonly player: string | null;
    readonly detail: string;
  };
  readonly player: PlayerNews;
  readonly gift: { readonly gift: number };
  /** Something moved on a board, or a season has turned. */
  readonly boards: object;
  /** The draft was edited, an edition published, or testers are others. */
  readonly tuning: object;
  readonly overview: Overview;
}
