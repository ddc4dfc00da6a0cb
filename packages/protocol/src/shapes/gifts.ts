import { z } from 'zod';
import { change } from './changes.js';
import { foundBy } from './players.js';
import { id, recordKey, time } from './values.js';

/** How many ids one gift may name. */
const mostNamed = 60_000;

const label = z.string().trim().min(1).max(150).meta({ description: 'What it is, for people: ledgers name it.' });

/** What is given: changes, or what each had at a moment. */
const content = {
  changes: z.array(change).min(1).max(20).optional().meta({ description: 'The same changes for each of them.' }),
  asOf: time.optional().meta({ description: 'Their records as they were at this moment, but for scores.' }),
  keys: z.array(recordKey).min(1).max(200).optional().meta({ description: 'With asOf: only these.' }),
};

const filters = z.strictObject({
  search: z.string().min(1).max(200).optional(),
  inSession: z.literal(true).optional(),
  hasUnsettled: z.literal(true).optional(),
  joinedSince: time.optional(),
  by: foundBy.optional(),
  from: z.number().optional(),
  to: z.number().optional(),
  is: z.string().max(128).optional(),
  board: z.string().max(300).optional(),
  place: z.int().min(1).optional(),
});

/** Who gets it: everybody, those that are found, or those that are named. */
const audience = z.union([
  z.strictObject({ everybody: z.literal(true) }),
  z.strictObject({ found: filters }),
  z.strictObject({ players: z.array(id).min(1).max(mostNamed) }),
]);
export type GiftAudience = z.infer<typeof audience>;

const isOneOf = ({ changes, asOf }: { readonly changes?: unknown; readonly asOf?: unknown }) =>
  (changes === undefined) !== (asOf === undefined);
const oneOf = { error: 'needs either changes or asOf' };

export const giftRequest = z.strictObject({ ...content, audience, label }).refine(isOneOf, oneOf);
export type GiftRequest = z.infer<typeof giftRequest>;

export const giftLookRequest = z
  .strictObject({
    ...content,
    audience,
    after: z.string().max(100).optional().meta({ description: 'What the answer before gave as `next`.' }),
  })
  .refine(isOneOf, oneOf);
export type GiftLookRequest = z.infer<typeof giftLookRequest>;

const look = z.object({ player: z.string(), name: z.string().nullable(), words: z.string() });
const refusedLook = z.object({ player: z.string(), name: z.string().nullable(), code: z.string(), detail: z.string() });

export const giftLookResponse = z.object({
  looked: z.int().meta({ description: 'How many players this answer is about.' }),
  changed: z.int().meta({ description: 'For how many of them something would be another.' }),
  same: z.int().meta({ description: 'For how many it would change nothing.' }),
  examples: z.array(look).meta({ description: 'Up to ten, with what would change, in words.' }),
  refused: z.array(refusedLook).meta({ description: 'Everybody among them for whom it would not apply.' }),
  total: z.int().meta({ description: 'How many there are in all; where counting stopped, at least so many.' }),
  isCapped: z.boolean(),
  next: z.string().nullable().meta({ description: 'Send it as `after` to look at those that come next.' }),
});
export type GiftLookResponse = z.infer<typeof giftLookResponse>;

export const giftState = z.enum(['gathering', 'giving', 'stopped', 'given', 'taking-back', 'taken-back']);

export const gift = z.object({
  number: z.int(),
  label: z.string(),
  state: giftState,
  changes: z.array(change).nullable(),
  asOf: time.nullable(),
  keys: z.array(z.string()).nullable(),
  audience: z.string().meta({ description: 'In words.' }),
  asked: z.int().meta({ description: 'How many shall get it; of everybody, at least as many as have got it.' }),
  given: z.int(),
  refused: z.int(),
  takenBack: z.int(),
  share: z.number().min(0).max(1).meta({ description: 'How far it has come; of everybody, about.' }),
  kept: z.int().meta({ description: 'How many keep it, since it could not be taken back.' }),
  at: time,
  by: z.string(),
  endedAt: time.nullable(),
  takenBackUntil: time.nullable().meta({ description: 'Until when it can be taken back; null where it can not.' }),
});
export type Gift = z.infer<typeof gift>;

export const giftList = z.object({ gifts: z.array(gift), next: z.int().nullable() });
export type GiftList = z.infer<typeof giftList>;

export const giftListQuery = z.object({
  count: z.coerce.number().int().min(1).max(200).default(50),
  before: z.coerce.number().int().min(1).optional(),
});

export const giftPlayersQuery = z.object({
  state: z.enum(['waiting', 'given', 'refused', 'taken-back', 'kept']).default('refused'),
  count: z.coerce.number().int().min(1).max(500).default(100),
  after: z.coerce.number().int().min(0).default(0),
});

export const giftPlayers = z.object({
  players: z.array(z.object({ player: z.string(), code: z.string().nullable(), detail: z.string().nullable() })),
  next: z.int().nullable(),
});
export type GiftPlayers = z.infer<typeof giftPlayers>;
