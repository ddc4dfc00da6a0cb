import { z } from 'zod';
import { id, recordsByKey, time } from './values.js';

export const deviceRequest = z.strictObject({
  secret: z
    .string()
    .regex(/^[A-Za-z0-9_-]{32,200}$/, { error: 'must be 32 to 200 letters, digits, "-" or "_", made at random' })
    .meta({ description: 'Made by the device itself, at random, and kept by it: it is who the player is.' }),
  name: z.string().min(1).max(128).optional().meta({ description: 'What the device is called, for people.' }),
});

export const deviceResponse = z.object({
  now: time,
  device: z.string(),
  player: id,
  token: z.string().meta({ description: "Takes an earlier token's place when it is first used." }),
  expiresAt: time,
});
export type DeviceResponse = z.infer<typeof deviceResponse>;

export const deviceList = z.object({
  devices: z.array(
    z.object({
      device: z.string(),
      name: z.string().nullable(),
      createdAt: time,
      revokedAt: time.nullable(),
    }),
  ),
});
export type DeviceList = z.infer<typeof deviceList>;

export const checkpointList = z.object({
  atMost: z.int(),
  checkpoints: z.array(
    z.object({
      name: id,
      at: time,
      summary: z.string().nullable(),
      records: recordsByKey.optional().meta({ description: 'What it holds, where that was asked for.' }),
    }),
  ),
});
export type CheckpointList = z.infer<typeof checkpointList>;

/** All copies of a player's records, as people see them. */
export const copyList = z.object({
  checkpoints: z.array(
    z.object({
      number: z.int(),
      name: z.string(),
      at: time,
      summary: z.string().nullable(),
      by: z.string().nullable(),
      byOperator: z.boolean().meta({ description: 'Made when the player was made new: the game does not see it.' }),
      keptUntil: time.nullable().meta({ description: 'Set where it was given up for another.' }),
      records: z.array(z.string()).meta({ description: 'The keys of what it holds.' }),
    }),
  ),
});
export type CopyList = z.infer<typeof copyList>;

export const origin = z
  .string()
  .max(300)
  .regex(/^https?:\/\/[a-z0-9.:[\]-]+$/, {
    error: 'must be a web origin: scheme, host and port, as in https://play.highfell.example',
  });
