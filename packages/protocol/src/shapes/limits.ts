import { z } from 'zod';
import { limitNames, type LimitName } from '../limit-catalogue.js';
import { time } from './values.js';

const limitName = z.enum(limitNames as [LimitName, ...LimitName[]]);

export const limitsRequest = z.strictObject({
  limits: z
    .partialRecord(limitName, z.int().min(0).max(1_000_000_000))
    .meta({ description: 'Those that are not as usual, all of them; 0 sets no bound.' }),
});
export type LimitsRequest = z.infer<typeof limitsRequest>;

export const limitsResponse = z.object({
  limits: z.array(
    z.object({
      name: limitName,
      words: z.string(),
      usual: z.int().meta({ description: 'As the service was started.' }),
      own: z.int().nullable().meta({ description: 'As it is set for this environment; null where it is as usual.' }),
    }),
  ),
  ranInto: z
    .array(
      z.object({ limit: limitName, who: z.string(), times: z.int(), at: time.meta({ description: 'The last time.' }) }),
    )
    .meta({ description: 'Who was refused since the service was started, the latest first, at most 100.' }),
});
export type LimitsResponse = z.infer<typeof limitsResponse>;
