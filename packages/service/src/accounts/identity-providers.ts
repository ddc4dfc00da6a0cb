import { Refusal } from '@vekkon/protocol';
import type { Clock, IdentityProviderRow } from '@vekkon/store';
import * as openid from 'openid-client';
import type { Logger } from '../log.js';

/** How long what a provider says of itself is believed, and how long it may take to answer. */
const [believedFor, answersWithin] = [60 * 60_000, 10_000];
const mostHeld = 100;
/** In seconds. */
const clockTolerance = 60;

/** What is asked for: who it is, and an address if they have one (OpenID Connect Core 1.0, 5.4). */
const scope = 'openid email';

export type ProviderSettings = Pick<IdentityProviderRow, 'issuer' | 'client_id' | 'client_secret'>;

/** What goes with a browser to the provider and back, and what stays here. */
export interface Begun {
  readonly url: string;
  readonly state: string;
  readonly nonce: string;
  readonly verifier: string;
}

/** Whom a provider has let in. */
export interface Identity {
  readonly subject: string;
  /** Where the provider says that it is confirmed. */
  readonly email: string | null;
}

interface Held {
  readonly configuration: openid.Configuration;
  readonly since: number;
}

/**
 * Signing in with identity providers: the authorization code flow with PKCE
 * (OpenID Connect Core 1.0, 3.1; RFC 7636).
 */
export class IdentityProviders {
  readonly #clock: Clock;
  readonly #log: Logger;
  /** What providers say of themselves, by who asks for it. */
  readonly #held = new Map<string, Held>();

  constructor(clock: Clock, log: Logger) {
    this.#clock = clock;
    this.#log = log;
  }

  /** Asks a provider who it is. @returns its issuer as it writes it itself @throws Refusal `identity-provider-fails`, in words */
  async check(provider: ProviderSettings): Promise<string> {
    this.#held.delete(keyOf(provider));
    return (await this.#configurationOf(provider)).serverMetadata().issuer;
  }

  /** @param returnTo where the provider sends the browser back to */
  async begin(provider: ProviderSettings, returnTo: string): Promise<Begun> {
    const configuration = await this.#configurationOf(provider);
    const [state, nonce, verifier] = [openid.randomState(), openid.randomNonce(), openid.randomPKCECodeVerifier()];
    const url = openid.buildAuthorizationUrl(configuration, {
      ...{ redirect_uri: returnTo, scope, state, nonce },
      ...{ code_challenge: await openid.calculatePKCECodeChallenge(verifier), code_challenge_method: 'S256' },
    });
    return { url: url.href, state, nonce, verifier };
  }

  /**
   * What the provider says to a browser that has come back.
   *
   * @param address where it came back to, with what it brought
   * @throws Refusal `identity-refused` where somebody has said no there, `identity-provider-fails`
   */
  async finish(
    provider: ProviderSettings,
    address: URL,
    { state, nonce, verifier }: { readonly state: string; readonly nonce: string; readonly verifier: string },
  ): Promise<Identity> {
    const configuration = await this.#configurationOf(provider);
    try {
      const tokens = await openid.authorizationCodeGrant(configuration, address, {
        ...{ pkceCodeVerifier: verifier, expectedState: state, expectedNonce: nonce, idTokenExpected: true },
      });
      const claims = tokens.claims();
      if (claims === undefined || claims.sub.length > 255) throw new TypeError('There is no ID token.');
      const { email, email_verified: isConfirmed } = claims;
      const isAddress = typeof email === 'string' && email.length <= 254 && /^[^\s@]+@[^\s@]+$/.test(email);
      return { subject: claims.sub, email: isAddress && isConfirmed === true ? email : null };
    } catch (error) {
      if (error instanceof openid.AuthorizationResponseError) throw new Refusal('identity-refused');
      throw this.#failed(provider, error);
    }
  }

  async #configurationOf(provider: ProviderSettings): Promise<openid.Configuration> {
    const key = keyOf(provider);
    const held = this.#held.get(key);
    const now = this.#clock.now();
    if (held !== undefined && now - held.since < believedFor) return held.configuration;
    const { issuer, client_id: client, client_secret: secret } = provider;
    const url = new URL(issuer);
    // What is not encrypted is taken from this machine only: see the shape of an issuer.
    const execute = url.protocol === 'http:' ? [openid.allowInsecureRequests] : [];
    try {
      const configuration = await openid.discovery(
        url,
        client,
        // Its clock may be a little ahead of ours, or behind.
        { [openid.clockTolerance]: clockTolerance },
        secret === null ? openid.None() : openid.ClientSecretBasic(secret),
        { execute, timeout: answersWithin / 1000 },
      );
      // Who signed an ID token is checked too, not only from where it came.
      openid.enableNonRepudiationChecks(configuration);
      if (this.#held.size >= mostHeld) this.#held.clear();
      this.#held.set(key, { configuration, since: now });
      return configuration;
    } catch (error) {
      throw this.#failed(provider, error);
    }
  }

  #failed({ issuer }: ProviderSettings, error: unknown): Refusal {
    // Only in words: what a provider has sent may hold what is nobody's business.
    const reason = reasonOf(error);
    this.#log.warn({ issuer, reason }, 'An identity provider does not answer as it must');
    return new Refusal('identity-provider-fails', `${issuer} does not answer as it must: ${reason}.`);
  }
}

function keyOf({ issuer, client_id: client, client_secret: secret }: ProviderSettings): string {
  return JSON.stringify([issuer, client, secret]);
}

/** The first line of what went wrong, with what lies beneath, and without what was sent. */
function reasonOf(error: unknown): string {
  const [first = ''] = error instanceof Error ? error.message.split('\n') : [String(error)];
  let beneath: string | undefined;
  for (let at = error instanceof Error ? error.cause : undefined; at instanceof Error; at = at.cause) {
    beneath = 'code' in at && typeof at.code === 'string' ? at.code : at.message;
  }
  return `${first.slice(0, 200)}${beneath === undefined ? '' : ` (${beneath.slice(0, 100)})`}`;
}
