import { z } from 'zod';
import { transaction } from './changes.js';
import { id, time } from './values.js';

/** A transaction that came too late, or was refused after the game had been told that it would hold. */
export const unsettledTransaction = z.object({
  id: z.string(),
  player: id,
  at: time,
  session: z.string(),
  host: z.string(),
  number: z.int().meta({ description: 'The number of the save that held it.' }),
  reason: z.string().meta({ description: 'The code of the problem for which it was not applied.' }),
  detail: z.string(),
  transaction,
});
export type UnsettledTransaction = z.infer<typeof unsettledTransaction>;

export const unsettledList = z.object({ unsettled: z.array(unsettledTransaction), total: z.int() });
export type UnsettledList = z.infer<typeof unsettledList>;
