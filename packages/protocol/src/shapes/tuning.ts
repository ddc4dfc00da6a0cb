import { audienceShapeMistake, tuningLimits, type Audience } from '@vekkon/core/tuning';
import { z } from 'zod';
import { declaredName, id, jsonValue, time } from './values.js';

const text = z.string();
const number = z.number();

/** Why something is published: shown in the activity. */
const note = z.string().trim().min(1, { error: 'must say why' }).max(500);
const revision = z.int().min(0).meta({ description: "The draft's revision that you saw." });

export const audience = z
  .custom<Audience>((given) => given !== undefined)
  .superRefine((given, context) => {
    const mistake = audienceShapeMistake(given);
    if (mistake !== undefined) context.addIssue({ code: 'custom', message: mistake });
  })
  .meta({ description: 'Tests on attributes, nested by all, any and not.' });

const measure = z.union([
  z.strictObject({ key: text.min(1).max(200), path: text.max(500).optional() }),
  z
    .string()
    .min(1)
    .max(200)
    .transform((key) => ({ key }))
    .meta({ description: 'A key stands for itself, such as score/gorge-run.' }),
]);

const adjustmentMembers = {
  note: text.trim().max(200).optional().meta({ description: 'What people call it.' }),
  value: jsonValue.optional(),
  values: z
    .array(z.strictObject({ value: jsonValue, share: number.gt(0).max(100) }))
    .min(2)
    .max(tuningLimits.trialValues)
    .optional()
    .meta({ description: 'Of a trial, in place of value.' }),
  window: z
    .strictObject({ from: time.optional(), until: time.optional() })
    .optional()
    .meta({ description: 'From is included, until is not.' }),
  audience: audience.optional(),
  percent: number.optional().meta({ description: 'Above 0, up to 100.' }),
};

const adjustmentId = text.regex(/^[A-Za-z0-9][A-Za-z0-9_-]{0,63}$/, {
  error: 'must be letters, digits, "-" and "_", at most 64',
});

export const adjustmentSent = z.strictObject({
  id: adjustmentId.optional().meta({ description: 'Made if left out. The same id takes the same players.' }),
  ...adjustmentMembers,
  measure: measure.optional(),
});

export const adjustment = z.object({
  id: text,
  ...adjustmentMembers,
  measure: z.object({ key: text, path: text.optional() }).optional(),
});
export type AdjustmentTold = z.infer<typeof adjustment>;

export const putDraftRequest = z.strictObject({
  value: jsonValue.optional().meta({ description: "The base value; the manifest's if left out." }),
  adjustments: z.array(adjustmentSent).max(tuningLimits.adjustments).default([]),
  revision,
});
export type PutDraftRequest = z.input<typeof putDraftRequest>;

export const revised = z.object({ revision: z.int() });
export type Revised = z.infer<typeof revised>;
export const published = z.object({ edition: z.int() });
export type Published = z.infer<typeof published>;

export const publishRequest = z.strictObject({
  note,
  revision,
  only: z
    .array(declaredName)
    .min(1)
    .max(1000)
    .optional()
    .meta({ description: 'Publish these, and let the rest wait; all if left out.' }),
});
export type PublishRequest = z.input<typeof publishRequest>;

export const reissueRequest = z.strictObject({ note: note.optional(), revision: revision.optional() });

const values = z.record(text, jsonValue);

/** What somebody gets. */
export const tuningTold = z.object({
  edition: z.int().meta({ description: 'The running edition; 0 before the first.' }),
  values,
  nextChangeAt: time.nullable().meta({ description: 'When something changes next by itself.' }),
  coming: z
    .array(z.object({ at: time, values }))
    .optional()
    .meta({ description: 'What changes by itself, and when: only what is another then.' }),
  draft: z.int().optional().meta({ description: 'Of a tester: the revision of the draft that they get.' }),
});
export type TuningTold = z.infer<typeof tuningTold>;

export const tuningAnswer = tuningTold.extend({ now: time });
export type TuningAnswer = z.infer<typeof tuningAnswer>;

/** What a stream of tuning tells. */
export interface TuningEvent extends TuningTold {
  readonly now: string;
}

export const tuningQuery = z.object({
  player: id.optional().meta({ description: 'Nobody in particular if left out.' }),
  manifest: z.coerce.number().int().min(1).optional().meta({ description: 'Under the names of that version.' }),
});

const tuned = z.object({ value: jsonValue.optional(), adjustments: z.array(adjustment) });
export type TunedTold = z.infer<typeof tuned>;

export const tuningRules = z.object({
  now: time,
  edition: z.int(),
  manifest: z.int().meta({ description: 'The manifest version whose names it has.' }),
  tunables: z.record(
    text,
    z.object({ value: jsonValue, from: z.enum(['edition', 'manifest']), adjustments: z.array(adjustment) }),
  ),
  types: z.record(text, z.enum(['string', 'number', 'boolean', 'version'])),
  testers: z.array(text).meta({ description: 'Who gets the draft, which is not among the rules.' }),
});
export type TuningRulesTold = z.infer<typeof tuningRules>;

const draftChange = z.object({ revision: z.int(), tunable: text, words: text, by: text, at: time });

export const draft = z.object({
  revision: z.int(),
  edition: z.int().meta({ description: 'The running edition, over which it is made.' }),
  published: z.object({ note: text, by: text, at: time }).nullable(),
  tunables: z.record(
    text,
    tuned.extend({
      about: text.nullable(),
      schema: jsonValue,
      starting: jsonValue.meta({ description: "The manifest's value." }),
      isEdited: z.boolean(),
      published: tuned.meta({ description: 'What is published of it.' }),
      editedBy: text.nullable(),
      editedAt: time.nullable(),
      isOutdated: z.boolean().meta({ description: 'Something else was published since it was edited.' }),
      misfits: z.array(text).meta({ description: 'What of it the manifest no longer allows.' }),
      asked: z
        .array(z.object({ build: text, at: time }))
        .meta({ description: 'Builds that asked for it, the latest first.' }),
    }),
  ),
  undeclared: z.array(text).meta({ description: 'Edited or published, and not declared any more.' }),
  differences: z
    .array(z.object({ tunable: text, words: text }))
    .meta({ description: 'What publishing it would change.' }),
  changes: z.array(draftChange).meta({ description: 'What made it what it is, the newest first.' }),
});
export type Draft = z.infer<typeof draft>;

const editionSummary = z.object({
  edition: z.int(),
  note: text,
  by: text,
  at: time,
  reissueOf: z.int().nullable(),
  differences: z.array(text).meta({ description: 'What it changed, in words.' }),
});
export type EditionSummary = z.infer<typeof editionSummary>;

export const editionList = z.object({ editions: z.array(editionSummary), next: z.int().nullable() });
export type EditionList = z.infer<typeof editionList>;

export const edition = editionSummary.extend({ tunables: z.record(text, tuned) });
export type Edition = z.infer<typeof edition>;

const attributes = z.record(text, z.union([text, number, z.boolean()]));

export const explainQuery = z.object({
  player: id.optional(),
  at: time.optional().meta({ description: 'Now if left out.' }),
  edition: text
    .regex(/^(\d{1,9}|draft)$/)
    .optional()
    .meta({ description: 'A number, or draft; the running one if left out.' }),
  attributes: z
    .string()
    .max(10_000)
    .optional()
    .meta({ description: 'JSON: what is known, in place of a player or on top of them.' }),
});

export const explanation = z.object({
  now: time,
  at: time,
  edition: z.int(),
  isDraft: z.boolean(),
  player: text.nullable(),
  attributes,
  tunables: z.record(
    text,
    z.object({
      value: jsonValue,
      why: text.meta({ description: 'In words.' }),
      from: z.enum(['adjustment', 'edition', 'manifest']),
      adjustment: text.nullable(),
      trialValue: z.int().nullable(),
      tried: z.array(z.object({ adjustment: text, note: text.nullable(), failed: text.nullable() })),
    }),
  ),
  nextChangeAt: time.nullable(),
});
export type Explanation = z.infer<typeof explanation>;

export const testers = z.object({ players: z.array(id) });
export const setTestersRequest = z.strictObject({
  players: z.array(id).max(tuningLimits.testers, { error: `names at most ${tuningLimits.testers} players` }),
});

export const trial = z.object({
  trial: text,
  tunable: text,
  note: text.nullable(),
  edition: z.int(),
  measure: z.object({ key: text, path: text.optional() }),
  better: z.enum(['higher', 'lower']).nullable(),
  unit: text.nullable(),
  window: z.object({ from: time.optional(), until: time.optional() }).nullable(),
  values: z.array(
    z.object({
      value: jsonValue,
      share: number,
      players: z.int().meta({ description: 'Who were given it.' }),
      measured: z.int().meta({ description: 'Of those, who have something to measure.' }),
      mean: number.nullable(),
      interval: z.array(number).nullable().meta({ description: 'The 95 % interval of the mean.' }),
      counts: z.array(z.int()).meta({ description: 'How many results lie in each bin.' }),
      difference: z
        .object({ mean: number, interval: z.array(number), isClear: z.boolean() })
        .nullable()
        .meta({ description: 'From the first value.' }),
    }),
  ),
  bins: z.array(number),
  verdict: z.enum(['too-few', 'no-clear-difference', 'clear-difference']),
  words: text.meta({ description: 'What can be told, plainly.' }),
});
export type Trial = z.infer<typeof trial>;

export const trialList = z.object({
  trials: z.array(z.object({ trial: text, tunable: text, note: text.nullable(), measure: text })),
});

export const endTrialRequest = z.strictObject({
  value: z.int().min(0).meta({ description: 'Which of its values becomes the base value, from 0.' }),
  note,
  revision,
});

export const declareTunableRequest = z.strictObject({
  name: declaredName,
  about: text.trim().max(500).optional(),
  schema: jsonValue.meta({ description: 'A JSON Schema with a default; a bare value stands for one.' }),
});
export type DeclareTunableRequest = z.infer<typeof declareTunableRequest>;
export const declaredVersion = z.object({ version: z.int() });
