import { z } from 'zod';
import * as identities from '../shapes/identities.js';
import * as limits from '../shapes/limits.js';
import { declaredName } from '../shapes/values.js';
import type { Route } from './route.js';

const nothing = z.object({});
const provider = { provider: declaredName };

/** Signing in with identity providers (OpenID Connect Core 1.0), and how much one caller may ask for. */
export const identityRoutes = {
  providersOffered: {
    method: 'get',
    path: '/v1/account/providers',
    summary: 'With which identity providers players may sign in',
    callers: ['device-key', 'device'],
    status: 200,
    response: identities.providersOffered,
    problems: [],
  },
  beginIdentity: {
    method: 'post',
    path: '/v1/account/providers/{provider}/begin',
    summary: 'Where the player goes to sign in with an identity provider',
    callers: ['device'],
    params: provider,
    body: identities.beginIdentityRequest,
    status: 201,
    response: identities.beginIdentityResponse,
    problems: ['identity-provider-unknown', 'identity-provider-fails', 'account-unknown', 'origin-not-allowed'],
  },
  finishIdentity: {
    method: 'post',
    path: '/v1/account/providers/finish',
    summary: 'Signs in, or links, with what the browser brought back',
    callers: ['device'],
    body: identities.finishIdentityRequest,
    status: 200,
    response: identities.finishIdentityResponse,
    problems: [
      'link-over',
      'identity-code-wrong',
      'identity-taken',
      'account-exists',
      'account-disabled',
      'player-in-session',
    ],
  },
  unlinkIdentity: {
    method: 'delete',
    path: '/v1/account/identities/{provider}',
    summary: 'Takes an identity provider off the account of whoever calls',
    callers: ['device'],
    params: provider,
    status: 200,
    response: nothing,
    problems: ['account-unknown', 'identity-unknown', 'last-sign-in'],
  },
  identityProviders: {
    method: 'get',
    path: '/v1/identity-providers',
    summary: 'With which identity providers players may sign in, for those who look after them',
    callers: ['support'],
    status: 200,
    response: identities.identityProviderList,
    problems: [],
  },
  setIdentityProvider: {
    method: 'put',
    path: '/v1/identity-providers/{provider}',
    summary: 'Players may sign in with an identity provider; it is asked who it is first',
    callers: ['admin'],
    params: provider,
    body: identities.identityProviderRequest,
    status: 200,
    response: identities.identityProvider,
    problems: ['identity-provider-fails'],
  },
  removeIdentityProvider: {
    method: 'delete',
    path: '/v1/identity-providers/{provider}',
    summary: 'Nobody signs in with an identity provider any more',
    callers: ['admin'],
    params: provider,
    status: 200,
    response: nothing,
    problems: ['identity-provider-unknown'],
  },
  limits: {
    method: 'get',
    path: '/v1/environment/limits',
    summary: 'How much one caller may ask for, and who has asked for more',
    callers: ['support'],
    status: 200,
    response: limits.limitsResponse,
    problems: [],
  },
  setLimits: {
    method: 'put',
    path: '/v1/environment/limits',
    summary: 'Sets how much one caller may ask for',
    callers: ['admin'],
    body: limits.limitsRequest,
    status: 200,
    response: limits.limitsResponse,
    problems: [],
  },
} as const satisfies { readonly [name: string]: Route };
