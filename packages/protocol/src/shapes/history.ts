import { z } from 'zod';
import { playerSummary } from './players.js';
import { jsonValue, recordKey, recordsByKey, time } from './values.js';

const revisionNumber = z.coerce.number().int().min(1);

export const historyQuery = z.object({
  key: recordKey.optional().meta({ description: 'Only of this record; of all if left out.' }),
  count: z.coerce.number().int().min(1).max(200).default(50),
  before: z.coerce.number().int().min(1).optional().meta({ description: 'What the page before gave as `next`.' }),
});

export const historyPage = z.object({
  revisions: z.array(
    z.object({
      key: z.string().meta({ description: 'Under which it was stored.' }),
      revision: z.int(),
      removed: z.boolean(),
      at: time,
      seen: z.int().meta({ description: "The player's commit that wrote it." }),
      session: z.string().nullable(),
      by: z.string().nullable().meta({ description: 'The host, the key or the operator.' }),
      label: z.string().nullable(),
      bytes: z.int(),
      words: z
        .array(z.string())
        .nullable()
        .meta({ description: 'What it changed, in words; null where the revision before it is kept no more.' }),
      more: z.int().meta({ description: 'How many differences there are beyond those.' }),
    }),
  ),
  next: z.int().nullable(),
});
export type HistoryPage = z.infer<typeof historyPage>;
export type RevisionLine = HistoryPage['revisions'][number];

export const revisionQuery = z.object({ key: recordKey, revision: revisionNumber });

export const revisionOfRecord = z.object({
  key: z.string(),
  revision: z.int(),
  removed: z.boolean(),
  at: time,
  by: z.string().nullable(),
  label: z.string().nullable(),
  value: jsonValue,
});
export type RevisionOfRecord = z.infer<typeof revisionOfRecord>;

export const restoreRevisionRequest = z.strictObject({
  key: recordKey,
  revision: z.int().min(1),
  ifRevision: z.int().min(0).meta({ description: 'The revision that is stored now: another is refused.' }),
});

export const restoredRevision = z.object({
  key: z.string(),
  revision: z.int().meta({ description: 'Under which it is stored now.' }),
});

export const asOfQuery = z.object({ at: time.meta({ description: 'The moment.' }) });

const recordDifference = z.object({
  key: z.string(),
  words: z.array(z.string()).meta({ description: 'From what is stored now to what was then, in words; at most 50.' }),
});

export const checkpointRequest = z.strictObject({
  name: z.string().trim().min(1).max(100),
  summary: z.string().trim().min(1).max(200).optional(),
});

export const checkpointDifference = z.object({
  name: z.string(),
  differences: z.array(recordDifference).meta({ description: 'What restoring it would change.' }),
});
export type CheckpointDifference = z.infer<typeof checkpointDifference>;

export const asOfResponse = z.object({
  at: time,
  seen: z.int().meta({ description: "The player's last commit: send it with a restore." }),
  records: recordsByKey.meta({ description: 'As they were.' }),
  differences: z.array(recordDifference).meta({ description: 'What restoring them would change.' }),
});
export type AsOfResponse = z.infer<typeof asOfResponse>;

export const restoreAsOfRequest = z.strictObject({
  at: time,
  ifSeen: z.int().min(0).meta({ description: 'The `seen` that was read: a later one is refused.' }),
  keys: z.array(recordKey).min(1).max(200).optional().meta({ description: 'Only these; all if left out.' }),
});

export const restoredKeys = z.object({ restored: z.array(z.string()) });

const rows = z.array(z.record(z.string(), z.unknown()));

/** Everything that is kept of one player, as one document. */
export const playerExport = z.object({
  format: z.literal('vekkon-player'),
  version: z.literal(1),
  environment: z.string(),
  exportedAt: time,
  player: playerSummary,
  records: rows,
  history: rows,
  ledger: rows,
  sessions: rows,
  checkpoints: rows,
  trash: rows,
  unsettled: rows,
  devices: rows,
  account: rows,
  signIns: rows,
  standings: rows,
  activity: rows,
});
export type PlayerExport = z.infer<typeof playerExport>;
