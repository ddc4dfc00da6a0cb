import { limits } from '@vekkon/core';
import { z } from 'zod';
import { finiteNumber, id, jsonValue, recordKey, time, wholeNumber } from './values.js';

const ifRevision = z.int().min(0).optional();
const pointer = z
  .string()
  .max(1024)
  .default('')
  .meta({ description: 'JSON Pointer (RFC 6901); "" is the whole value.' });
const amount = wholeNumber.min(1);
const reason = z.string().min(1).max(200);
const count = z.int().min(1).optional();

const put = z.strictObject({ op: z.literal('put'), key: recordKey, value: jsonValue, ifRevision });
const merge = z.strictObject({ op: z.literal('merge'), key: recordKey, value: jsonValue, ifRevision });
const increase = z.strictObject({ op: z.literal('increase'), key: recordKey, path: pointer, by: finiteNumber });
const outdo = z.strictObject({
  op: z.literal('outdo'),
  key: recordKey,
  path: pointer,
  value: finiteNumber,
  better: z.enum(['higher', 'lower']),
});
const collect = z.strictObject({ op: z.literal('collect'), key: recordKey, path: pointer, value: jsonValue });
const discard = z.strictObject({ op: z.literal('discard'), key: recordKey, path: pointer, value: jsonValue });
const credit = z.strictObject({ op: z.literal('credit'), key: recordKey, amount, reason, count });
const debit = z.strictObject({ op: z.literal('debit'), key: recordKey, amount, reason, count });
const remove = z.strictObject({ op: z.literal('remove'), key: recordKey, ifRevision });
const item = z.string().min(1).max(63);
const howMany = wholeNumber.min(1).optional().meta({ description: 'Of an item in stacks; 1 if left out.' });
const traits = z.record(z.string(), jsonValue).optional();
const piece = id.optional().meta({ description: 'The id of a unique piece.' });
const gain = z.strictObject({ op: z.literal('gain'), key: recordKey, item, count: howMany, piece, traits });
const lose = z.strictObject({ op: z.literal('lose'), key: recordKey, item, count: howMany, piece });
const alter = z.strictObject({
  op: z.literal('alter'),
  key: recordKey,
  piece: id,
  traits: z.record(z.string(), jsonValue).meta({ description: 'JSON Merge Patch (RFC 7396).' }),
});
const startOver = z.strictObject({ op: z.literal('start-over') });
const reset = z.strictObject({
  op: z.literal('reset'),
  key: recordKey.meta({ description: 'A key, a family such as progress/glider, or a kind such as preference.' }),
});
const checkpoint = z.strictObject({
  op: z.literal('checkpoint'),
  name: id,
  summary: z
    .string()
    .min(1)
    .max(200)
    .refine((text) => !/[\r\n]/.test(text), { error: 'must be one line' })
    .optional()
    .meta({ description: 'One line for whoever chooses among them.' }),
  instead: id.optional().meta({ description: 'The checkpoint that is given up for it.' }),
});
const restore = z.strictObject({ op: z.literal('restore'), name: id });
const submit = z.strictObject({
  op: z.literal('submit'),
  key: recordKey,
  value: finiteNumber,
  name: z.string().min(1).max(128).optional(),
  note: z.string().max(1000).optional(),
});

export const change = z.discriminatedUnion('op', [
  put,
  merge,
  increase,
  outdo,
  collect,
  discard,
  credit,
  debit,
  submit,
  remove,
  gain,
  lose,
  alter,
  startOver,
  reset,
  checkpoint,
  restore,
]);

export const transaction = z.strictObject({
  label: z.string().min(1).max(200).optional(),
  once: z.string().min(1).max(200).optional(),
  at: time.optional(),
  keep: z.boolean().optional(),
  changes: z.array(change).min(1),
});

/** At most 200 transactions with 1,000 changes between them. */
export const transactions = z
  .array(transaction)
  .max(limits.transactionsPerSave)
  .refine((all) => all.reduce((sum, one) => sum + one.changes.length, 0) <= limits.changesPerSave, {
    error: `a save takes at most ${limits.changesPerSave} changes: send several saves`,
    params: { problem: 'too-many-changes' },
  });

/** Why a transaction was not applied; `change` is the index of the change that met the problem. */
export const transactionProblem = z.object({
  code: z.string(),
  change: z.int(),
  detail: z.string(),
  key: z.string().optional(),
  pointer: z.string().optional(),
  nearest: z.string().optional(),
  checkpoints: z.array(z.string()).readonly().optional(),
});

export const transactionOutcome = z.union([
  z.object({
    applied: z.literal(true),
    already: z.literal(true).optional().meta({ description: 'Its `once` token was used before: nothing changed.' }),
  }),
  z.object({
    applied: z.literal(false),
    problem: transactionProblem,
    unsettled: z.string().optional().meta({ description: 'It is kept under this id until a person deals with it.' }),
  }),
]);
export type TransactionOutcome = z.infer<typeof transactionOutcome>;
