import { z } from 'zod';
import { id, jsonValue, time } from './values.js';

/** One player as they go elsewhere, or come from there: a line of NDJSON. */
export const playerLine = z.strictObject({
  player: id,
  name: z.string().max(200).nullable().optional(),
  createdAt: time.nullable().optional(),
  firstJoinedAt: time
    .nullable()
    .optional()
    .meta({ description: 'Null or left out: they are new at their first join.' }),
  lastJoinedAt: time.nullable().optional(),
  lastLeftAt: time.nullable().optional(),
  records: z.record(z.string(), jsonValue).meta({ description: 'Values by key.' }),
});
export type PlayerLine = z.infer<typeof playerLine>;

export const exportQuery = z.object({
  player: id.optional().meta({ description: 'Only this one.' }),
  after: z.string().max(200).optional().meta({ description: 'Go on after this id.' }),
});

export const importRequest = z.strictObject({
  lines: z.array(jsonValue).min(1).max(200).meta({ description: 'Players, each a line of an export.' }),
  existing: z
    .enum(['refuse', 'keep', 'update'])
    .default('refuse')
    .meta({ description: 'What becomes of players who are there already and have something else.' }),
  revive: z.boolean().default(false).meta({ description: 'Take in players who were erased.' }),
  dryRun: z.boolean().default(false),
});
export type ImportRequest = z.input<typeof importRequest>;

export const importResponse = z.object({
  results: z.array(
    z.object({
      outcome: z.enum(['new', 'updated', 'same', 'kept', 'refused']),
      code: z.string().optional(),
      detail: z.string().optional(),
    }),
  ),
});
export type ImportResponse = z.infer<typeof importResponse>;
