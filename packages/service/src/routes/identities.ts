import { isLoopback, Refusal, routes, type IdentityProvider } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow, type IdentityProviderRow } from '@vekkon/store';
import { deviceOf, nameOf } from '../access.js';
import { ownAccount, signedInAs } from '../accounts/signing-in.js';
import { returnPath } from '../accounts/return-page.js';
import { allowsOrigin } from '../environments.js';
import { addressOf } from '../limits/counted.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newToken } from '../tokens.js';

/** How long somebody may be with an identity provider, in milliseconds. */
const tryLasts = 15 * 60_000;

/** Signing in with identity providers, and setting them up. */
export function serveIdentities(desk: Desk): void {
  const { reader, writer, accounts, clock } = desk;

  serveRoute(desk, routes.providersOffered, async ({ environment }) => {
    const rows = await reader.accounts.providers(environment().number);
    return { providers: rows.map(({ name, title }) => ({ name, title })) };
  });

  serveRoute(desk, routes.beginIdentity, async ({ params, body, environment, principal, request, response }) => {
    const place = environment();
    const { device, madeWith } = deviceOf(principal);
    const { purpose, returnTo } = body;
    if (returnTo !== undefined) checkReturn(place, returnTo);
    if (purpose === 'link') await ownAccount(desk, place, principal);
    await desk.accountLimits.trySignIn(request, response, place, madeWith.hint);
    const provider = await providerNamed(place, params.provider);
    const { url, state, nonce, verifier } = await accounts.providers.begin(provider, `${accounts.url}${returnPath}`);
    const attempt = newToken('link');
    const expiresAt = clock.now() + tryLasts;
    await writer.do('beginIdentityTry', {
      ...{ hash: hashToken(attempt), environment: place.number, device, purpose, provider: provider.name },
      ...{ issuer: provider.issuer, state_hash: hashToken(state), nonce, verifier },
      ...{ return_to: returnTo ?? null, expires_at: expiresAt },
    });
    return { url, attempt, expiresAt: rfc3339(expiresAt) };
  });

  serveRoute(desk, routes.finishIdentity, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { device, player, madeWith } = deviceOf(principal);
    const identityTry = hashToken(body.attempt);
    const { purpose, ...identity } = await writer.do('checkIdentityCode', {
      ...{ hash: identityTry, environment: place.number, device, codeHash: hashToken(plainCode(body.code)) },
    });
    const { provider, issuer, subject, email } = identity;
    const known = await reader.accounts.byIdentity(place.number, issuer, subject);
    if (purpose === 'link') {
      const { account } = await ownAccount(desk, place, principal);
      const about = { ...identity, account: account.number, environment: place.number };
      await writer.do('linkIdentity', { ...about, identityTry, player });
      return { signedIn: null, choose: null, linked: provider, email: account.email };
    }
    if (known !== undefined) {
      if (known.disabled_at !== null) throw new Refusal('account-disabled');
      await desk.accountLimits.signIn(request, response, place, known.email ?? `${provider} ${subject}`);
      const { name, choose } = body;
      const signedIn = await signedInAs(desk, place, principal, known, {
        ...{ name, choose, address: addressOf(request), identity: { issuer, subject, identityTry } },
      });
      return { ...signedIn, linked: null, email: known.email };
    }
    const own = await reader.accounts.ofPlayer(place.number, player);
    if (own !== undefined) {
      throw new Refusal('account-exists', `This device is signed in already: link ${provider} to its account instead.`);
    }
    await desk.accountLimits.make(request, response, place, madeWith.hint);
    const { refreshToken, signIn } = accounts.begin(addressOf(request));
    await writer.do('makeAccount', {
      ...{ environment: place.number, device, email, passwordHash: null, signIn, link: null },
      identity: { ...identity, identityTry },
    });
    const tokens = await accounts.tokens(place, { signIn: signIn.id, player, device }, refreshToken);
    return { signedIn: tokens, choose: null, linked: null, email };
  });

  serveRoute(desk, routes.unlinkIdentity, async ({ params, environment, principal }) => {
    const { account } = await ownAccount(desk, environment(), principal);
    const { player } = deviceOf(principal);
    await writer.do('unlinkIdentity', { account: account.number, provider: params.provider, player });
    return {};
  });

  serveRoute(desk, routes.identityProviders, async ({ environment }) => ({
    providers: (await reader.accounts.providers(environment().number)).map(asTold),
    returnTo: `${accounts.url}${returnPath}`,
  }));

  serveRoute(desk, routes.setIdentityProvider, async ({ params, body, environment, principal }) => {
    const place = environment();
    const { title, clientId } = body;
    const known = (await reader.accounts.providers(place.number)).find(({ name }) => name === params.provider);
    const secret = body.clientSecret === undefined ? (known?.client_secret ?? null) : body.clientSecret;
    // What would not work is refused now, with the reason, and not when the first player meets it.
    const issuer = await accounts.providers.check({ issuer: body.issuer, client_id: clientId, client_secret: secret });
    await writer.do('setIdentityProvider', {
      ...{ environment: place.number, name: params.provider, title, issuer, clientId },
      ...{ clientSecret: secret, by: nameOf(principal) },
    });
    return asTold(await providerNamed(place, params.provider));
  });

  serveRoute(desk, routes.removeIdentityProvider, async ({ params, environment, principal }) => {
    const { number } = environment();
    await writer.do('removeIdentityProvider', { environment: number, name: params.provider, by: nameOf(principal) });
    return {};
  });

  async function providerNamed(place: EnvironmentRow, name: string): Promise<IdentityProviderRow> {
    const found = (await reader.accounts.providers(place.number)).find((one) => one.name === name);
    if (found === undefined) throw new Refusal('identity-provider-unknown');
    return found;
  }

  /** A browser is sent on only to where the game may be: what it brings is good for nothing elsewhere, and still. */
  function checkReturn(place: EnvironmentRow, returnTo: string): void {
    const { origin } = new URL(returnTo);
    if (isLoopback(returnTo) || origin === new URL(accounts.url).origin || allowsOrigin(place, origin)) return;
    const { game, name } = place;
    throw new Refusal(
      'origin-not-allowed',
      `Nobody is sent on to ${origin}: an admin allows it with "vekkon game origins --allow ${origin}" for ${game}/${name}.`,
    );
  }
}

/** As the browser was given it, however it was typed in. */
function plainCode(typed: string): string {
  const plain = typed.toUpperCase().replaceAll(/[^0-9A-Z]/g, '');
  return plain.length === 8 ? `${plain.slice(0, 4)}-${plain.slice(4)}` : plain;
}

function asTold({ name, title, issuer, client_id, client_secret, created_at }: IdentityProviderRow): IdentityProvider {
  const createdAt = rfc3339(created_at);
  return { name, title, issuer, clientId: client_id, hasSecret: client_secret !== null, createdAt };
}
