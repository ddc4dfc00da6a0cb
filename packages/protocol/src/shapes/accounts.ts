import { z } from 'zod';
import { id, recordsByKey, time } from './values.js';

export const email = z.email().max(254);
/** Whether it is good enough is said apart, in words: what is known of it is not among the facts of a problem. */
const password = z.string().max(1_000);
export const deviceName = z
  .string()
  .min(1)
  .max(128)
  .optional()
  .meta({ description: 'What the device is called, for people.' });

/** What a sign-in gives. */
export const accountTokens = z.object({
  now: time,
  player: id,
  device: z.string(),
  accessToken: z
    .string()
    .meta({ description: 'A JSON Web Token (RFC 7519), signed with EdDSA: sent as a Bearer token.' }),
  expiresAt: time.meta({ description: 'When the access token is over: refresh before.' }),
  refreshToken: z.string().meta({ description: 'Good once: the answer brings the next.' }),
});
export type AccountTokens = z.infer<typeof accountTokens>;

export const makeAccountRequest = z.strictObject({ email, password });

export const choice = z.enum(['account', 'device', 'both']);

export const accountSignInRequest = z.strictObject({
  email,
  password,
  name: deviceName,
  choose: choice.optional().meta({
    description:
      "Where the device's player and the account's both have something: whose is kept, or both by the manifest's rules.",
  }),
});

const held = z.object({
  player: id,
  name: z.string().nullable(),
  lastJoinedAt: time.nullable(),
  records: recordsByKey,
});

export const accountSignInResponse = z.object({
  signedIn: accountTokens.nullable(),
  choose: z
    .object({ account: held, device: held })
    .nullable()
    .meta({ description: 'Both have something: sign in again with `choose`. Nothing was changed.' }),
});
export type AccountSignInResponse = z.infer<typeof accountSignInResponse>;

export const refreshRequest = z.strictObject({ refreshToken: z.string().min(1).max(200) });

export const accountSignOutRequest = z.strictObject({
  everywhere: z.boolean().default(false).meta({ description: 'On all devices, not on this one alone.' }),
});

const signIn = z.object({
  id: z.string(),
  device: z.string(),
  name: z.string().nullable(),
  at: time,
  usedAt: time,
  address: z.string().meta({ description: 'Where it came from, the last time.' }),
  endedAt: time.nullable(),
  isThis: z.boolean(),
});

export const accountResponse = z.object({
  player: id,
  email: z.string().nullable().meta({ description: 'Null where only an identity provider knows it.' }),
  isConfirmed: z.boolean(),
  hasPassword: z.boolean(),
  createdAt: time,
  identities: z
    .array(
      z.object({
        provider: z.string(),
        title: z.string(),
        email: z.string().nullable(),
        since: time,
        usedAt: time,
      }),
    )
    .meta({ description: 'The identity providers with which it can be signed in to, too.' }),
  signIns: z.array(signIn),
});
export type AccountResponse = z.infer<typeof accountResponse>;

/** Of an account that has one; without, the sign-in must be fresh. */
const ownPassword = password.optional().meta({
  description: 'Left out where the account has none: the device must have signed in within the last ten minutes then.',
});
export const changePasswordRequest = z.strictObject({ password: ownPassword, newPassword: password });
export const changeEmailRequest = z.strictObject({ password: ownPassword, email });
export const deleteAccountRequest = z.strictObject({ password: ownPassword });
export const forgottenRequest = z.strictObject({ email });
const token = z.string().min(1).max(200);
export const resetRequest = z.strictObject({ token, password });
export const confirmRequest = z.strictObject({ token });

/** An account as operators see it. */
export const accountSummary = z.object({
  player: id,
  email: z.string().nullable(),
  isConfirmed: z.boolean(),
  createdAt: time,
  disabledAt: time.nullable(),
});
export type AccountSummary = z.infer<typeof accountSummary>;

export const accountsQuery = z.object({
  search: z.string().max(254).optional().meta({ description: 'How the address starts.' }),
  count: z.coerce.number().int().min(1).max(200).default(50),
  after: z.string().max(400).optional(),
});
export const accountList = z.object({ accounts: z.array(accountSummary), next: z.string().nullable() });
export type AccountList = z.infer<typeof accountList>;
export const disableRequest = z.strictObject({ disabled: z.boolean() });

export const mailList = z.object({
  mails: z
    .array(z.object({ at: time, to: z.string(), subject: z.string(), text: z.string() }))
    .meta({ description: 'The newest first.' }),
});
export type MailList = z.infer<typeof mailList>;

export const jsonWebKeys = z.object({ keys: z.array(z.record(z.string(), z.unknown())) });
