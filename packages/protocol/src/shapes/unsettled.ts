import { z } from 'zod';
import { transaction } from './changes.js';
import { id, time } from './values.js';

/**
 * A transaction that came too late, or was refused after the game had been
 * told that it would hold; alike ones of a player are one, which adds up.
 */
export const unsettledTransaction = z.object({
  id: z.string(),
  player: id,
  at: time.meta({ description: 'When it came; of alike ones, the last.' }),
  firstAt: time,
  count: z.int().min(1).meta({ description: 'How many alike ones are in it.' }),
  session: z.string().meta({ description: 'Of the last.' }),
  host: z.string().meta({ description: 'Of the last.' }),
  number: z.int().meta({ description: 'The number of the save that held the last.' }),
  reason: z.string().meta({ description: 'The code of the problem for which it was not applied.' }),
  detail: z.string(),
  transaction: transaction.meta({ description: 'What they do together.' }),
});
export type UnsettledTransaction = z.infer<typeof unsettledTransaction>;

const reason = z
  .string()
  .regex(/^[a-z][a-z-]{0,62}$/, 'must be the code of a problem, such as session-ended')
  .meta({ description: 'The code of a problem.' });

/** Which of them are meant. */
const filters = {
  player: id.optional(),
  host: z.string().min(1).max(300).optional(),
  reason: reason.optional(),
  since: time.optional().meta({ description: 'Only what came at this time or later.' }),
  until: time.optional().meta({ description: 'Only what came before this time.' }),
};

const cursor = z.string().max(100).optional().meta({ description: 'What the page before gave as `next`.' });

export const unsettledQuery = z.object({
  ...filters,
  count: z.coerce.number().int().min(1).max(500).default(100),
  after: cursor,
});
export type UnsettledQuery = Omit<z.input<typeof unsettledQuery>, 'count'> & { readonly count?: number | undefined };

const isCapped = z.boolean().meta({ description: 'Counting stopped there: there are more.' });

export const unsettledList = z.object({
  unsettled: z.array(unsettledTransaction),
  total: z.int().meta({ description: 'How many unlike ones there are.' }),
  transactions: z.int().meta({ description: 'How many there are, with all the alike ones.' }),
  isCapped,
  next: z.string().nullable().meta({ description: 'What to send as `after` for the next page.' }),
});
export type UnsettledList = z.infer<typeof unsettledList>;

export const unsettledSummary = z.object({
  total: z.int(),
  transactions: z.int(),
  sums: z
    .array(z.object({ reason: z.string(), host: z.string().nullable(), unlike: z.int(), transactions: z.int() }))
    .meta({ description: "By reason and host, the most first; the host is null for all of players' own devices." }),
  players: z
    .array(z.object({ player: id, unlike: z.int(), transactions: z.int(), bytes: z.int() }))
    .meta({ description: 'The players who hold the most.' }),
});
export type UnsettledSummary = z.infer<typeof unsettledSummary>;

/** Many at once: those that the filters mean, or all. */
export const dealWithUnsettled = z
  .strictObject({
    ...filters,
    all: z.literal(true).optional().meta({ description: 'Where no filter is named: all of the environment.' }),
    dryRun: z.boolean().default(false).meta({ description: 'Only says what would be done.' }),
    after: cursor,
  })
  .refine(({ dryRun: _, after: __, ...which }) => Object.values(which).some((one) => one !== undefined), {
    message: 'must name which are meant: player, host, reason, since, until, or all',
  });
export type DealWithUnsettled = z.input<typeof dealWithUnsettled>;

export const dealtWith = z.object({
  found: z.int().meta({ description: 'How many unlike ones there were.' }),
  transactions: z.int().meta({ description: 'How many that is with all the alike ones.' }),
  isCapped,
  examples: z.array(unsettledTransaction).meta({ description: 'Of a dry run: the newest few.' }),
  done: z.int(),
  refused: z
    .array(z.object({ id: z.string(), player: id, code: z.string(), detail: z.string() }))
    .meta({ description: 'Those that can not be settled now: they stay.' }),
  next: z.string().nullable().meta({ description: 'Where there is more to do: what to send as `after`.' }),
});
export type DealtWith = z.infer<typeof dealtWith>;
