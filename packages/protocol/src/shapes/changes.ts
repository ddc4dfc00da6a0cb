import {
  changeMembers as members,
  changesWords,
  limits,
  opWords,
  transactionMembers,
  unknownMember,
  type Member,
} from '@vekkon/core';
import { z } from 'zod';
import { jsonValue, recordKey } from './values.js';

/** A shape that says what is wrong in the words of the rules, which a client uses too. */
const text = ({ words }: Member, most: number, least = 1) =>
  z.string({ error: words }).min(least, { error: words }).max(most, { error: words });
const wholeFrom = ({ words }: Member, least: number) => z.int({ error: words }).min(least, { error: words });
const number = ({ words }: Member) => z.number({ error: words });
const fitting = ({ words, fits }: Member) => z.string({ error: words }).refine(fits, { error: words });
const objectOf = ({ words }: Member) => z.record(z.string(), jsonValue, { error: words });
const value = jsonValue;

const unknownError: z.core.$ZodErrorMap = (issue) =>
  issue.code === 'unrecognized_keys' ? unknownMember(issue.keys[0] ?? '') : 'must be an object';

/** Members that are known, and no others. */
function strict<Shape extends z.core.$ZodLooseShape>(shape: Shape) {
  return z.strictObject(shape, { error: unknownError });
}

const ifRevision = wholeFrom(members.ifRevision, 0).optional();
const path = text(members.path, 1024, 0)
  .default('')
  .meta({ description: 'JSON Pointer (RFC 6901); "" is the whole value.' });
const amount = wholeFrom(members.amount, 1);
const reason = text(members.reason, 200);
const count = wholeFrom(members.count, 1).optional();
const key = recordKey;

const put = strict({ op: z.literal('put'), key, value, ifRevision });
const merge = strict({ op: z.literal('merge'), key, value, ifRevision });
const increase = strict({ op: z.literal('increase'), key, path, by: number(members.by) });
const outdo = strict({
  op: z.literal('outdo'),
  key,
  path,
  value: number(members.number),
  better: z.enum(['higher', 'lower'], { error: members.better.words }),
});
const collect = strict({ op: z.literal('collect'), key, path, value });
const discard = strict({ op: z.literal('discard'), key, path, value });
const credit = strict({ op: z.literal('credit'), key, amount, reason, count });
const debit = strict({ op: z.literal('debit'), key, amount, reason, count });
const remove = strict({ op: z.literal('remove'), key, ifRevision });
const item = text(members.item, 63);
const howMany = count.meta({ description: 'Of an item in stacks; 1 if left out.' });
const piece = fitting(members.piece).optional().meta({ description: 'The id of a unique piece.' });
const gain = strict({
  op: z.literal('gain'),
  key,
  item,
  count: howMany,
  piece,
  traits: objectOf(members.traits).optional(),
});
const lose = strict({ op: z.literal('lose'), key, item, count: howMany, piece });
const alter = strict({
  op: z.literal('alter'),
  key,
  piece: fitting(members.pieceToAlter),
  traits: objectOf(members.traitsToAlter).meta({ description: 'JSON Merge Patch (RFC 7396).' }),
});
const startOver = strict({ op: z.literal('start-over') });
const reset = strict({
  op: z.literal('reset'),
  key: recordKey.meta({ description: 'A key, a family such as progress/glider, or a kind such as preference.' }),
});
const checkpoint = strict({
  op: z.literal('checkpoint'),
  name: fitting(members.checkpoint),
  summary: fitting(members.summary).optional().meta({ description: 'One line for whoever chooses among them.' }),
  instead: fitting(members.instead).optional().meta({ description: 'The checkpoint that is given up for it.' }),
});
const restore = strict({ op: z.literal('restore'), name: fitting(members.checkpoint) });
const submit = strict({
  op: z.literal('submit'),
  key,
  value: number(members.number),
  name: text(members.scoreName, 128).optional(),
  note: text(members.note, 1000, 0).optional(),
});

export const change = z.discriminatedUnion(
  'op',
  [
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
  ],
  { error: (issue) => (issue.code === 'invalid_union' ? opWords : 'must be an object') },
);

export const transaction = strict({
  label: text(transactionMembers.label, 200).optional(),
  once: text(transactionMembers.once, 200).optional(),
  at: fitting(transactionMembers.at).optional().meta({ description: 'RFC 3339.', format: 'date-time' }),
  keep: z.boolean({ error: transactionMembers.keep.words }).optional(),
  changes: z.array(change, { error: changesWords }).min(1, { error: changesWords }),
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
