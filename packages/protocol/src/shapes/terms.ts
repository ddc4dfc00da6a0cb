import { z } from 'zod';
import { time } from './values.js';

const hours = (least: number) => z.number().min(least).max(876_000);

/** How long what was is kept, in hours. */
export const terms = z.strictObject({
  revisions: hours(0).meta({ description: 'Every revision of a record.' }),
  ofSessions: hours(0).meta({ description: 'Then the last that each session made, and whatever people did.' }),
  ofDays: hours(0).meta({ description: 'Then the last of each day (UTC).' }),
  ledger: hours(24).meta({ description: 'Every line of the ledger; older ones are summed, one a day.' }),
});
export type TermsInHours = z.infer<typeof terms>;

export const termsResponse = z.object({
  terms,
  pruned: z.array(z.object({ what: z.string(), rows: z.int(), at: time.meta({ description: 'The last time.' }) })),
  bytes: z.int().meta({ description: 'What the database takes, with all its environments.' }),
});
export type TermsResponse = z.infer<typeof termsResponse>;
