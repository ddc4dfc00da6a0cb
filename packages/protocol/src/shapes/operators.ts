import { z } from 'zod';
import { roles, scopes } from '../roles-and-scopes.js';
import { declaredName, time } from './values.js';

/** `none`: only what another role for an environment allows. */
export const operatorRole = z.enum(['none', ...roles]);
export type OperatorRole = z.infer<typeof operatorRole>;

const email = z.email().max(254);
const password = z.string().min(10, { error: 'takes at least 10 characters' }).max(200);

export const signInRequest = z.strictObject({
  email,
  password: z.string().max(200),
  code: z.string().max(40).optional().meta({ description: 'Of the second factor, or a recovery code.' }),
  keepIn: z
    .literal('cookie')
    .optional()
    .meta({ description: 'For the console: the token is in a cookie that no script can read, and not in the answer.' }),
});

const operator = z.object({ email: z.string(), name: z.string(), role: operatorRole });
export type OperatorProfile = z.infer<typeof operator>;

export const signInResponse = z.object({
  token: z.string().meta({ description: 'Empty where it is kept in a cookie.' }),
  expiresAt: time,
  operator,
});
export type SignInResponse = z.infer<typeof signInResponse>;

export const firstAdminRequest = z.strictObject({
  invitation: z.string().min(1).max(200),
  email,
  name: z.string().min(1).max(128),
  password,
  keepIn: z.literal('cookie').optional(),
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

const roleIn = z.object({ environment: z.string().meta({ description: 'As GAME/ENVIRONMENT.' }), role: operatorRole });

export const operatorResponse = z.object({
  operator: operator.extend({ hasSecondFactor: z.boolean(), recoveryCodesLeft: z.int() }),
  environments: z.array(environmentSummary.extend({ role: operatorRole })),
});

export const operatorList = z.object({
  operators: z.array(
    operator.extend({
      roles: z.array(roleIn),
      hasSecondFactor: z.boolean(),
      createdAt: time,
      disabledAt: time.nullable(),
    }),
  ),
  invited: z.array(z.object({ email: z.string(), role: operatorRole, by: z.string(), at: time, expiresAt: time })),
});
export type OperatorList = z.infer<typeof operatorList>;

export const inviteRequest = z.strictObject({ email, role: operatorRole, roles: z.array(roleIn).max(100).default([]) });
export type InviteRequest = z.input<typeof inviteRequest>;
export const inviteResponse = z.object({ link: z.string().meta({ description: 'Shown once.' }), expiresAt: time });
export const acceptRequest = z.strictObject({
  invitation: z.string().min(1).max(200),
  name: z.string().trim().min(1).max(128),
  password,
  keepIn: z.literal('cookie').optional(),
});
export const changeOperatorRequest = z.strictObject({
  role: operatorRole.optional(),
  roles: z.array(roleIn).max(100).optional(),
  disabled: z.boolean().optional(),
});
export type ChangeOperatorRequest = z.input<typeof changeOperatorRequest>;
export const serviceTokenRequest = z.strictObject({
  name: declaredName,
  role: operatorRole,
  days: z.int().min(1).max(730).default(365),
});
export const serviceTokenResponse = z.object({
  email: z.string(),
  token: z.string().meta({ description: 'Shown once.' }),
  expiresAt: time,
});
export const ownSignIns = z.object({
  signIns: z.array(
    z.object({
      id: z.string(),
      name: z.string().nullable(),
      at: time,
      expiresAt: time,
      usedAt: time.nullable(),
      usedFrom: z.string().nullable(),
      isThis: z.boolean(),
    }),
  ),
});
export type OwnSignIns = z.infer<typeof ownSignIns>;
export const secondFactorBegun = z.object({
  secret: z.string().meta({ description: 'In Base32, to be typed into an authenticator.' }),
  url: z.string().meta({ description: 'The same as an otpauth URL, for a QR code.' }),
});
export const secondFactorRequest = z.strictObject({ secret: z.string().min(16).max(128), code: z.string().max(20) });
export const secondFactorSet = z.object({ recoveryCodes: z.array(z.string()).meta({ description: 'Shown once.' }) });
export const passwordShown = z.strictObject({ password: z.string().max(200) });
export type OperatorResponse = z.infer<typeof operatorResponse>;

export const keySummary = z.object({
  id: z.string().meta({ description: 'The first characters of the key: enough to tell it by, and no secret.' }),
  sort: z.enum(['host-key', 'device-key']),
  name: z.string().nullable(),
  scopes: z.array(z.enum(scopes)).nullable().meta({ description: 'What it is good for; null for everything.' }),
  createdAt: time,
  expiresAt: time.nullable().meta({ description: 'When it is over by itself; null for never.' }),
  revokedAt: time.nullable(),
  lastUsedAt: time.nullable().meta({ description: 'To the minute.' }),
  lastUsedFrom: z.string().nullable(),
});
export type KeySummary = z.infer<typeof keySummary>;

export const createKeyRequest = z.strictObject({
  sort: z.enum(['host-key', 'device-key']).default('host-key'),
  name: z.string().trim().min(1).max(100).optional().meta({ description: 'What people call it.' }),
  scopes: z.array(z.enum(scopes)).min(1).optional().meta({
    description:
      'What it is good for; everything if left out. Of a device key: what the devices that come with it may do, of what the manifest lets them.',
  }),
  expiresAt: time.optional().meta({ description: 'When it is over by itself.' }),
});
export type CreateKeyRequest = z.input<typeof createKeyRequest>;
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
