import { z } from 'zod';
import { id, jsonValue, time } from './values.js';

const text = z.string();
const number = z.number();
/** Why somebody did something: shown in the activity. */
const reason = z.string().trim().min(1, { error: 'must say why' }).max(500);

export const boardName = z
  .string()
  .min(1)
  .max(64)
  .meta({ description: 'A declared board, such as gorge-run; of a family the declared name.' });

const seasonNumber = z.int().min(1);

export const boardQuery = z.object({
  season: z.coerce.number().int().min(1).optional().meta({ description: 'The open season if left out.' }),
});

export const stretchQuery = boardQuery.extend({
  start: z.coerce.number().int().min(1).default(1).meta({ description: 'The first rank.' }),
  count: z.coerce.number().int().min(1).max(200).default(50),
});

export const aroundQuery = boardQuery.extend({
  span: z.coerce.number().int().min(0).max(100).default(5).meta({ description: 'How many on each side.' }),
});

export const amongRequest = z.strictObject({
  players: z.array(id).min(1).max(200, { error: 'must name at most 200 players' }),
});

export const placed = z.object({
  rank: z.int(),
  player: id,
  name: text.nullable(),
  value: number,
  shown: text.meta({ description: 'The value as people read it, by the unit of the board.' }),
  reached: time,
});
export type Placed = z.infer<typeof placed>;

export const stretch = z.object({ board: text, season: z.int(), of: z.int(), standings: z.array(placed) });
export type Stretch = z.infer<typeof stretch>;

export const standing = placed.extend({
  board: text,
  season: z.int(),
  of: z.int(),
  percentile: number.meta({ description: 'Of a hundred standings, how many this one is at least as good as.' }),
});
export type StandingResponse = z.infer<typeof standing>;

export const among = stretch.extend({
  standings: z.array(placed.extend({ place: z.int().meta({ description: 'The rank among those asked for.' }) })),
  without: z.array(id).meta({ description: 'Those asked for who are not on the board.' }),
});
export type Among = z.infer<typeof among>;

export const reward = z.object({
  ranks: z.array(z.int()).optional(),
  share: number.optional(),
  changes: z.array(jsonValue),
  shown: text.meta({ description: 'What it gives, in words.' }),
});

export const season = z.object({
  season: z.int(),
  state: z.enum(['open', 'turned', 'closed']),
  openedAt: time,
  turnsAt: time.nullable().meta({ description: 'When it turns or has turned; null if it never does.' }),
  closesAt: time.nullable().meta({ description: 'When its time of grace is over.' }),
  closedAt: time.nullable(),
  closedBy: text.nullable().meta({ description: 'Who closed it by hand.' }),
  reason: text.nullable(),
  of: z.int().meta({ description: 'How many standings.' }),
  rewards: z.array(reward),
  ranked: z.int().meta({ description: 'Of a closed one: how many places have been gone through for rewards.' }),
  given: z.int().meta({ description: 'How many players were given something.' }),
  isDone: z.boolean(),
});
export type Season = z.infer<typeof season>;

export const board = z.object({
  board: text,
  family: z.boolean().meta({ description: 'A board for each name: ask for name/which.' }),
  members: z.array(text).meta({ description: 'Of a family: the first of those that have results.' }),
  better: z.enum(['higher', 'lower']),
  counts: z.enum(['best', 'newest', 'sum']),
  unit: text.nullable(),
  about: text.nullable(),
  seasons: text.meta({ description: 'none, daily, weekly, monthly, or a cron expression in UTC.' }),
  season: season.nullable().meta({ description: 'The open one; null where there is no result yet.' }),
});
export type Board = z.infer<typeof board>;

export const boardList = z.object({ boards: z.array(board) });
export const seasonList = z.object({ board: text, seasons: z.array(season), next: z.int().nullable() });
export type SeasonList = z.infer<typeof seasonList>;

export const spread = z.object({
  board: text,
  season: z.int(),
  count: z.int(),
  lowest: number.nullable(),
  highest: number.nullable(),
  median: number.nullable(),
  unit: text.nullable(),
  bins: z.array(z.object({ from: number, until: number, count: z.int() })),
  below: z.int().meta({ description: 'Far below all others.' }),
  above: z.int().meta({ description: 'Far above all others.' }),
});
export type SpreadResponse = z.infer<typeof spread>;

export const doubtfulResult = z.object({
  id: text,
  board: text,
  player: id,
  name: text.nullable(),
  value: number,
  shown: text,
  at: time,
  entry: text.nullable().meta({ description: 'The name that was typed at the finish.' }),
  note: text.nullable(),
  session: text.nullable(),
  host: text.nullable(),
  number: z.int().nullable().meta({ description: 'The save that it came in.' }),
  before: jsonValue.meta({ description: "The player's score record as it was before." }),
  bestBefore: text.nullable().meta({ description: 'The best of it as people read it.' }),
  state: z.enum(['waiting', 'accepted', 'rejected']),
  decidedAt: time.nullable(),
  decidedBy: text.nullable(),
  reason: text.nullable(),
});
export type DoubtfulResult = z.infer<typeof doubtfulResult>;

export const doubtfulQuery = z.object({
  state: z.enum(['waiting', 'accepted', 'rejected']).default('waiting'),
  count: z.coerce.number().int().min(1).max(200).default(50),
  after: z.coerce.number().int().min(1).optional(),
});
export const doubtfulList = z.object({
  total: z.int().meta({ description: 'How many wait, up to a thousand.' }),
  doubtful: z.array(doubtfulResult),
  next: z.int().nullable(),
});
export type DoubtfulList = z.infer<typeof doubtfulList>;

export const withReason = z.strictObject({ reason });
export const closeRequest = z.strictObject({ reason: reason.optional(), dryRun: z.boolean().default(false) });
export const closed = z.object({
  board: text,
  season: z.int(),
  of: z.int(),
  isDone: z.boolean().meta({ description: 'It was closed; false after a dry run.' }),
  rewards: z.array(z.object({ line: z.int(), shown: text, players: z.int(), first: z.array(placed) })),
  nextTurn: time.nullable().meta({ description: 'When the next season will turn.' }),
});
export type ClosedSeason = z.infer<typeof closed>;

/** What became of the results in a save, by board: looked up when it is answered. */
export const resultStanding = z.object({
  kept: z.boolean().meta({ description: 'It changed the standing.' }),
  value: number.meta({ description: 'The result.' }),
  bestBefore: number.nullable().meta({ description: 'What stood before; null for a first result.' }),
  rankBefore: z.int().nullable(),
  rank: z.int().nullable().meta({ description: 'null where nothing stands.' }),
  of: z.int().nullable(),
  season: seasonNumber.nullable(),
  doubtful: z.literal(true).optional().meta({ description: 'It counts once a person has accepted it.' }),
  barred: z.literal(true).optional().meta({ description: 'The player is kept off the board.' }),
});
export type ResultStanding = z.infer<typeof resultStanding>;
export const standings = z.record(text, resultStanding);

export const playerStandings = z.object({
  standings: z.array(
    z.object({
      board: text,
      season: z.int(),
      value: number,
      shown: text,
      reached: time,
      rank: z.int().nullable(),
      of: z.int(),
      isOpen: z.boolean(),
    }),
  ),
  aside: z.array(
    z.object({
      board: text,
      season: z.int().nullable(),
      why: z.enum(['taken-off', 'barred']),
      value: number.nullable(),
      reason: text,
      by: text,
      at: time,
    }),
  ),
});
export type PlayerStandings = z.infer<typeof playerStandings>;
