import { z } from 'zod';
import { time } from './values.js';

const share = z.number().min(0).max(1);

/** Faults that the service makes on purpose for an environment's hosts. */
export const disturbanceRequest = z.strictObject({
  refuse: share.default(0).meta({ description: 'The share of calls answered 503 before the work.' }),
  delay: z
    .strictObject({ from: z.int().min(0).max(60_000), to: z.int().min(0).max(60_000) })
    .optional()
    .meta({ description: 'Milliseconds that each call is held up.' }),
  loseResponses: share.default(0).meta({ description: 'The share of calls cut after the work was done.' }),
  seconds: z
    .int()
    .min(1)
    .max(24 * 60 * 60),
  force: z.boolean().default(false).meta({ description: 'In a live environment too; admins only.' }),
});
export type DisturbanceRequest = z.input<typeof disturbanceRequest>;

export const disturbance = z.object({
  refuse: share,
  delay: z.object({ from: z.int(), to: z.int() }).nullable(),
  loseResponses: share,
  startedAt: time,
  endsAt: time,
  by: z.string(),
  /** How many calls met it so far. */
  refused: z.int(),
  lost: z.int(),
});
export type Disturbance = z.infer<typeof disturbance>;

export const disturbanceResponse = z.object({ disturbance: disturbance.nullable() });
export type DisturbanceResponse = z.infer<typeof disturbanceResponse>;
