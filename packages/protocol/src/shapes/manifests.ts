import { z } from 'zod';
import { jsonValue, time } from './values.js';

export const manifestResponse = z.object({
  version: z.int(),
  newest: z.int().meta({ description: 'The version that is installed now.' }),
  learns: z.boolean().meta({ description: 'Keys that are not declared are declared from their first value.' }),
  installedAt: time,
  manifest: z.custom<import('@vekkon/core').Manifest>(() => true),
});
export type ManifestResponse = z.infer<typeof manifestResponse>;

export const versionQuery = z.object({ version: z.coerce.number().int().min(1).optional() });

export const manifestVersionList = z.object({
  versions: z.array(z.object({ version: z.int(), installedAt: time, by: z.string().nullable() })),
});
export type ManifestVersionList = z.infer<typeof manifestVersionList>;

const learned = z.object({ section: z.string(), name: z.string(), at: time, by: z.string().nullable() });

export const manifestFile = z.object({
  version: z.int(),
  text: z.string().meta({ description: 'The file as it was installed, with what was learned since added to it.' }),
  learned: z.array(learned),
});
export type ManifestFile = z.infer<typeof manifestFile>;

const text = z.string().meta({ description: "The manifest file's text, YAML or JSON." });

export const manifestText = z.strictObject({ manifest: text });

export const mistakeList = z.object({
  mistakes: z.array(z.object({ line: z.int(), column: z.int(), detail: z.string() })),
});
export type MistakeList = z.infer<typeof mistakeList>;

const difference = z.object({
  what: z.string(),
  is: z.enum(['new', 'removed', 'renamed', 'changed']),
  detail: z.string(),
  breaks: z.boolean().meta({ description: 'What was written for the version before may be refused, or find less.' }),
});
export type ManifestDifference = z.infer<typeof difference>;

const misfit = z.object({ player: z.string(), key: z.string(), detail: z.string() });

export const manifestDiff = z.object({
  tuning: z
    .array(
      z.object({
        where: z.string(),
        isRunning: z.boolean(),
        tunable: z.string(),
        adjustment: z.string().nullable(),
        detail: z.string(),
      }),
    )
    .readonly()
    .meta({ description: 'What is published or edited and would count no more.' }),
  installed: z.int().nullable(),
  differences: z.array(difference).readonly(),
  conflicts: z.array(z.string()).readonly(),
  misfits: z.array(z.object({ key: z.string(), count: z.int(), examples: z.array(misfit).readonly() })).readonly(),
  hosts: z
    .array(z.object({ host: z.string(), version: z.int(), sessions: z.int(), breaks: z.array(difference).readonly() }))
    .readonly()
    .meta({ description: 'Hosts with players on them, built against a version that would break.' }),
});
export type ManifestDiffResponse = z.infer<typeof manifestDiff>;

export const installRequest = z.strictObject({
  manifest: text,
  acceptMisfits: z
    .boolean()
    .default(false)
    .meta({ description: 'Install it though stored records would not fit: they are kept.' }),
});

export const misfitList = z.object({ misfits: z.array(misfit).readonly(), hasMore: z.boolean() });
export type MisfitList = z.infer<typeof misfitList>;

const ledgerLine = z.object({
  number: z.int(),
  at: time,
  key: z.string(),
  op: z.enum(['starting', 'credit', 'debit', 'start-over', 'reset', 'made-new', 'restore']),
  amount: z.int(),
  balance: z.int().meta({ description: 'What was there after it.' }),
  reason: z.string(),
  count: z.int().meta({ description: 'How many movements were folded into this one.' }),
  by: z.string().nullable().meta({ description: "The session's host, an operator, or the key that was shown." }),
  session: z.string().nullable(),
  label: z.string().nullable(),
});
export type LedgerLine = z.infer<typeof ledgerLine>;

export const ledgerPage = z.object({
  lines: z.array(ledgerLine),
  next: z.int().nullable().meta({ description: 'Send it as `before` for earlier ones; null where there are none.' }),
});
export type LedgerPage = z.infer<typeof ledgerPage>;

export const trashList = z.object({
  trash: z.array(
    z.object({
      number: z.int(),
      key: z.string(),
      revision: z.int(),
      value: jsonValue,
      at: time,
      until: time.meta({ description: 'From then on it may be gone.' }),
      why: z.enum(['remove', 'reset', 'start-over', 'made-new', 'brought-back', 'restore']),
      by: z.string().nullable(),
      session: z.string().nullable(),
      label: z.string().nullable(),
    }),
  ),
});
export type TrashList = z.infer<typeof trashList>;
