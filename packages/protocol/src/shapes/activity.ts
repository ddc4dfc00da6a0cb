import { z } from 'zod';
import { id, time } from './values.js';

/** One line of the activity. */
export const activityEntry = z.object({
  number: z.int().meta({ description: 'Grows with every line: the cursor of pages.' }),
  at: time,
  what: z.string(),
  by: z.string().nullable().meta({ description: 'The host, the key or the operator; null for the service itself.' }),
  player: z.string().nullable(),
  detail: z.string(),
});
export type ActivityEntry = z.infer<typeof activityEntry>;

const number = z.coerce.number().int().min(0);

export const activityQuery = z.object({
  count: z.coerce.number().int().min(1).max(500).default(100),
  player: id.optional(),
  by: z.string().min(1).max(300).optional().meta({ description: 'A host, a key or an operator.' }),
  what: z
    .string()
    .regex(/^[a-z][a-z-]{0,62}$/, 'must be the kind of a line, such as save-refused')
    .optional(),
  failed: z.literal('true').optional().meta({ description: 'Only what did not come about as it was meant to.' }),
  since: time.optional().meta({ description: 'Only at this time or later.' }),
  until: time.optional().meta({ description: 'Only before this time.' }),
  before: number.optional().meta({ description: 'What the page before gave as `next`.' }),
  after: number.optional().meta({ description: 'Only lines with a greater number: what is new since.' }),
});
export type ActivityQuery = Omit<z.input<typeof activityQuery>, 'count' | 'before' | 'after'> & {
  readonly count?: number | undefined;
  readonly before?: number | undefined;
  readonly after?: number | undefined;
};

export const activityList = z.object({ activity: z.array(activityEntry), next: z.int().nullable() });
export type ActivityList = z.infer<typeof activityList>;
