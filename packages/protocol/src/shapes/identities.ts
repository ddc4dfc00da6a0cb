import { z } from 'zod';
import { accountSignInResponse, choice, deviceName } from './accounts.js';
import { declaredName, time } from './values.js';

const title = z.string().trim().min(1).max(60).meta({ description: 'What players read, such as on a button.' });

/** Only what is encrypted on its way, but for a provider on this machine. */
const issuer = z
  .url({ protocol: /^https?$/ })
  .max(500)
  .refine((url) => url.startsWith('https:') || isLoopback(url), { error: 'must be an https: address' })
  .meta({ description: 'As the provider names itself (OpenID Connect Discovery 1.0).' });

/** Is it on this machine? (RFC 8252, 7.3) */
export function isLoopback(url: string): boolean {
  return /^https?:\/\/(?:127\.0\.0\.1|\[::1\]|localhost)(?::\d+)?(?:[/?#]|$)/i.test(url);
}

/** With whom players may sign in, as games see it. */
export const providersOffered = z.object({ providers: z.array(z.object({ name: declaredName, title })) });
export type ProvidersOffered = z.infer<typeof providersOffered>;

export const identityProvider = z.object({
  name: declaredName,
  title,
  issuer: z.string(),
  clientId: z.string(),
  hasSecret: z.boolean(),
  createdAt: time,
});
export type IdentityProvider = z.infer<typeof identityProvider>;
export const identityProviderList = z.object({
  providers: z.array(identityProvider),
  returnTo: z.string().meta({ description: 'The address to which a provider sends people back: register it there.' }),
});
export type IdentityProviderList = z.infer<typeof identityProviderList>;

export const identityProviderRequest = z.strictObject({
  title,
  issuer,
  clientId: z
    .string()
    .min(1)
    .max(500)
    .meta({ description: 'What the game is known by there: the audience of its ID tokens.' }),
  clientSecret: z
    .string()
    .min(1)
    .max(1000)
    .nullish()
    .meta({ description: 'Null for none; as it was, where it is left out. It is never shown again.' }),
});
export type IdentityProviderRequest = z.input<typeof identityProviderRequest>;

export const beginIdentityRequest = z.strictObject({
  purpose: z.enum(['sign-in', 'link']).default('sign-in').meta({
    description:
      'To sign in, making an account of the device’s player if there is none; or to link it to the account that is signed in.',
  }),
  returnTo: z
    .url({ protocol: /^https?$/ })
    .max(1000)
    .optional()
    .meta({
      description:
        'Where the browser goes afterwards, with `vekkon-code` or `vekkon-refused` in its query: a page of an allowed origin, or on this machine (RFC 8252, 7.3). Left out, the player is shown a code to type in.',
    }),
});

export const beginIdentityResponse = z.object({
  url: z.string().meta({ description: 'To be opened in a browser.' }),
  attempt: z
    .string()
    .meta({ description: 'For this device alone: what the browser brings back is good for nothing without it.' }),
  expiresAt: time,
});
export type BeginIdentityResponse = z.infer<typeof beginIdentityResponse>;

export const finishIdentityRequest = z.strictObject({
  attempt: z.string().min(1).max(200),
  code: z.string().trim().min(1).max(40).meta({ description: 'What the browser brought, or the player has typed in.' }),
  name: deviceName,
  choose: choice.optional(),
});

export const finishIdentityResponse = accountSignInResponse.extend({
  linked: z
    .string()
    .nullable()
    .meta({ description: 'The provider that the account is linked to now, where that was the purpose.' }),
  email: z.string().nullable().meta({ description: 'Where the provider has confirmed one.' }),
});
export type FinishIdentityResponse = z.infer<typeof finishIdentityResponse>;
