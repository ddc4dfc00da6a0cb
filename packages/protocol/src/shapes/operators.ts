import { z } from 'zod';
import { declaredName, time } from './values.js';

export const roles = ['viewer', 'support', 'designer', 'admin'] as const;
export type Role = (typeof roles)[number];

const email = z.email().max(254);
const password = z.string().min(10, { error: 'takes at least 10 characters' }).max(200);

export const signInRequest = z.strictObject({ email, password: z.string().max(200) });

const operator = z.object({ email, name: z.string(), role: z.enum(roles) });
export type OperatorProfile = z.infer<typeof operator>;

export const signInResponse = z.object({ token: z.string(), expiresAt: time, operator });
export type SignInResponse = z.infer<typeof signInResponse>;

export const firstAdminRequest = z.strictObject({
  invitation: z.string().min(1).max(200),
  email,
  name: z.string().min(1).max(128),
  password,
});

export const environmentSummary = z.object({
  game: z.string(),
  title: z.string(),
  environment: z.string(),
  isLive: z.boolean(),
  manifestVersion: z.int().nullable(),
  origins: z
    .array(z.string())
    .nullable()
    .meta({ description: 'The web origins from which devices may call; null for any.' }),
  designersPublish: z.boolean().meta({ description: 'Where it is live: may designers publish, as admins do?' }),
});
export type EnvironmentSummary = z.infer<typeof environmentSummary>;

export const operatorResponse = z.object({ operator, environments: z.array(environmentSummary) });
export type OperatorResponse = z.infer<typeof operatorResponse>;

export const keySummary = z.object({
  id: z.string().meta({ description: 'The first characters of the key: enough to tell it by, and no secret.' }),
  sort: z.enum(['host-key', 'device-key']),
  createdAt: time,
  revokedAt: time.nullable(),
});
export type KeySummary = z.infer<typeof keySummary>;

export const createKeyRequest = z.strictObject({ sort: z.enum(['host-key', 'device-key']).default('host-key') });
export const createKeyResponse = keySummary.extend({ key: z.string().meta({ description: 'Shown once.' }) });
export type CreateKeyResponse = z.infer<typeof createKeyResponse>;
export const keyList = z.object({ keys: z.array(keySummary) });
export type KeyList = z.infer<typeof keyList>;

export const createEnvironmentRequest = z.strictObject({
  environment: declaredName.default('dev'),
  live: z.boolean().default(false),
  manifest: z.string().optional().meta({ description: "The manifest file's text, YAML or JSON." }),
  game: declaredName.optional().meta({ description: 'Needed only where there is no manifest yet.' }),
});
export type CreateEnvironmentRequest = z.input<typeof createEnvironmentRequest>;

export const createEnvironmentResponse = environmentSummary.extend({
  hostKey: z.string().meta({ description: 'For game servers. Shown once.' }),
  deviceKey: z.string().meta({ description: "For games on a player's device. Shown once." }),
});
export type CreateEnvironmentResponse = z.infer<typeof createEnvironmentResponse>;
