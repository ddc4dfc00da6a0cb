import { Refusal, routes, type AccountResponse } from '@vekkon/protocol';
import { rfc3339, type AccountRow, type EnvironmentRow } from '@vekkon/store';
import type { Request, Response } from 'express';
import { deviceOf, nameOf } from '../access.js';
import { nameOf as nameOfPlace } from '../accounts/accounts.js';
import { ownAccount, signedInAs } from '../accounts/signing-in.js';
import { addressOf } from '../limits/counted.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newToken } from '../tokens.js';

/** How many sign-ins are listed. */
const mostListed = 50;
/** How long a sign-in stands for a password, where an account has none, in milliseconds. */
const freshFor = 10 * 60_000;

/** Players' accounts, as the game on a device asks for them. */
export function serveAccount(desk: Desk): void {
  const { reader, writer, accounts, clock } = desk;
  const { passwords } = accounts;
  const { signInLimits: signIns, accountLimits: limits } = desk;

  serveRoute(desk, routes.jsonWebKeys, async () => ({ keys: [...(await accounts.keys.published())] as never }));

  serveRoute(desk, routes.makeAccount, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { device, madeWith } = deviceOf(principal);
    const address = addressOf(request);
    await limits.make(request, response, place, madeWith.hint);
    await limits.mail(request, response, place, body.email);
    const leave = await desk.limits.addDevice(request, response, place.number);
    try {
      const passwordHash = await passwords.hashOf(address, body.password, body.email);
      const { refreshToken, signIn } = accounts.begin(address);
      const { url, link } = accounts.link('confirm', body.email);
      const about = { environment: place.number, device, email: body.email, passwordHash, signIn, link };
      const { player, isTaken } = await writer.do('makeAccount', about);
      // Whether the address is somebody's already is for them alone to know.
      if (isTaken) accounts.mailTaken(place, body.email);
      else accounts.mailConfirm(place, body.email, url);
      return accounts.tokens(place, { signIn: signIn.id, player, device }, refreshToken);
    } finally {
      leave();
    }
  });

  serveRoute(desk, routes.account, async ({ environment, principal }) => {
    const { account, signIn } = await ownAccount(desk, environment(), principal);
    return accountAsTold(desk, account, deviceOf(principal).player, signIn.id);
  });

  serveRoute(desk, routes.accountSignIn, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    await limits.trySignIn(request, response, place, deviceOf(principal).madeWith.hint);
    const account = await checked(place, body.email, body.password, request);
    await limits.signIn(request, response, place, body.email);
    const { name, choose } = body;
    return signedInAs(desk, place, principal, account, { name, choose, address: addressOf(request) });
  });

  serveRoute(desk, routes.accountRefresh, async ({ body, environment, request }) => {
    const place = environment();
    const next = newToken('refresh');
    const found = await writer.do('refreshSignIn', {
      environment: place.number,
      hash: hashToken(body.refreshToken),
      next: hashToken(next),
      expiresAt: accounts.refreshEnds,
      address: addressOf(request),
    });
    return accounts.tokens(place, found, next);
  });

  serveRoute(desk, routes.accountSignOut, async ({ body, environment, principal }) => {
    const { account, signIn } = await ownAccount(desk, environment(), principal);
    return writer.do('endSignIns', { account: account.number, ...(!body.everywhere && { only: signIn.id }) });
  });

  serveRoute(desk, routes.changeAccountPassword, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { account, signIn } = await ownAccount(desk, place, principal);
    await checkOwn(place, account, signIn, body.password, request, response);
    const passwordHash = await passwords.hashOf(addressOf(request), body.newPassword, account.email ?? '');
    await writer.do('setAccountPassword', { account: account.number, passwordHash, but: signIn.id });
    if (account.email !== null) accounts.mailChanged(place, account.email);
    return {};
  });

  serveRoute(desk, routes.changeAccountEmail, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { account, signIn } = await ownAccount(desk, place, principal);
    await checkOwn(place, account, signIn, body.password, request, response);
    await limits.mail(request, response, place, body.email);
    const { url, link } = accounts.link('confirm', body.email);
    await writer.do('addAccountLink', { account: account.number, link });
    const [known] = await reader.accounts.byEmail(place.number, body.email);
    const isTaken = known !== undefined && known.confirmed_at !== null && known.number !== account.number;
    if (isTaken) accounts.mailTaken(place, body.email);
    else accounts.mailConfirm(place, body.email, url);
    return {};
  });

  serveRoute(desk, routes.deleteAccount, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { account, signIn } = await ownAccount(desk, place, principal);
    await checkOwn(place, account, signIn, body.password, request, response);
    await writer.do('erasePlayer', {
      environment: place.number,
      player: deviceOf(principal).player,
      by: 'the player',
    });
    return {};
  });

  serveRoute(desk, routes.forgottenPassword, async ({ body, environment, request, response }) => {
    const place = environment();
    await limits.mail(request, response, place, body.email);
    const known = await reader.accounts.byEmail(place.number, body.email);
    // Nobody waits for it: the answer is there as soon where nobody is known.
    const send = async () => {
      for (const account of known) if (account.disabled_at === null) await accounts.sendReset(place, account);
    };
    send().catch((err: unknown) => desk.log.error({ err }, 'A link could not be mailed'));
    return {};
  });

  serveRoute(desk, routes.resetPassword, async ({ body, request }) => {
    const shown = signIns.enter(request, undefined);
    const passwordHash = await passwords.hashOf(addressOf(request), body.password, '');
    const used = await writer.do('useAccountLink', { hash: hashToken(body.token), sort: 'reset', passwordHash });
    shown.right();
    // Whoever reads the mail is let in at once, however often others were wrong.
    signIns.forget(used.environment, used.email);
    return {};
  });

  serveRoute(desk, routes.confirmEmail, async ({ body, request }) => {
    const shown = signIns.enter(request, undefined);
    const { email } = await writer.do('useAccountLink', {
      ...{ hash: hashToken(body.token), sort: 'confirm', passwordHash: null },
    });
    shown.right();
    return { email };
  });

  /** The account for which an address and a password are right. */
  async function checked(
    place: EnvironmentRow,
    email: string,
    password: string,
    request: Request,
  ): Promise<AccountRow> {
    const shown = signIns.enter(request, place.number, email);
    const known = await reader.accounts.byEmail(place.number, email);
    const account = await passwords.firstRight(addressOf(request), known, password);
    if (account === undefined) throw new Refusal('account-refused');
    if (account.disabled_at !== null) throw new Refusal('account-disabled');
    shown.right();
    return account;
  }

  /** Whoever changes what an account is known by shows that it is them. */
  async function checkOwn(
    place: EnvironmentRow,
    account: AccountRow,
    signIn: { readonly created_at: number },
    password: string | undefined,
    request: Request,
    response: Response,
  ): Promise<void> {
    if (account.password_hash === null) {
      if (clock.now() - signIn.created_at > freshFor) throw new Refusal('sign-in-too-old');
      return;
    }
    await limits.signIn(request, response, place, account.email ?? String(account.number));
    const shown = signIns.enter(request, place.number, `account ${account.number}`);
    const isRight = await passwords.isRight(addressOf(request), account.password_hash, password ?? '');
    if (!isRight) throw new Refusal('account-refused', 'The password is wrong: try again.');
    shown.right();
  }
}

/** Players' accounts, as operators look after them. */
export function serveAccounts(desk: Desk): void {
  const { reader, writer, accounts } = desk;

  serveRoute(desk, routes.accounts, async ({ query, environment }) => {
    const { search = '', count, after = '' } = query;
    const rows = await reader.accounts.list(environment().number, search, count + 1, after);
    const shown = rows.slice(0, count);
    const last = shown.at(-1);
    return {
      accounts: shown.map(({ player_id: player, email, confirmed_at, created_at, disabled_at }) => ({
        player,
        email,
        isConfirmed: confirmed_at !== null,
        createdAt: rfc3339(created_at),
        disabledAt: disabled_at === null ? null : rfc3339(disabled_at),
      })),
      next: rows.length > count && last !== undefined ? `${last.folded_email} ${last.number}` : null,
    };
  });

  serveRoute(desk, routes.accountOfPlayer, async ({ params, environment }) => {
    const account = await accountOf(environment(), params.player);
    const told = await accountAsTold(desk, account, params.player, undefined);
    return { ...told, disabledAt: account.disabled_at === null ? null : rfc3339(account.disabled_at) };
  });

  serveRoute(desk, routes.disableAccount, async ({ params, body, environment, principal }) => {
    const { number: account } = await accountOf(environment(), params.player);
    await writer.do('disableAccount', { account, isDisabled: body.disabled, by: nameOf(principal) });
    return {};
  });

  serveRoute(desk, routes.sendReset, async ({ params, environment, principal }) => {
    const place = environment();
    await accounts.sendReset(place, await accountOf(place, params.player));
    await noted(place, 'reset-sent', params.player, nameOf(principal));
    return {};
  });

  serveRoute(desk, routes.signOutPlayer, async ({ params, environment, principal }) => {
    const place = environment();
    const { number: account } = await accountOf(place, params.player);
    const done = await writer.do('endSignIns', { account });
    await noted(place, 'signed-out', params.player, nameOf(principal));
    return done;
  });

  serveRoute(desk, routes.mails, async ({ environment }) => {
    const place = environment();
    // Elsewhere what was mailed is for whom it was mailed to.
    const written = place.is_live === 1 ? [] : await accounts.mailer.written(nameOfPlace(place));
    return { mails: written.map(({ at, to, subject, text }) => ({ at: rfc3339(at), to, subject, text })) };
  });

  async function accountOf(place: EnvironmentRow, player: string): Promise<AccountRow> {
    const account = await reader.accounts.ofPlayer(place.number, player);
    if (account === undefined) throw new Refusal('account-unknown');
    return account;
  }

  async function noted({ number: environment }: EnvironmentRow, what: string, player: string, by: string) {
    await writer.do('note', { environment, what, by, player, detail: '' });
  }
}

async function accountAsTold(
  { reader }: Desk,
  account: AccountRow,
  player: string,
  signIn: string | undefined,
): Promise<AccountResponse> {
  const [rows, identities, providers] = await Promise.all([
    reader.accounts.signIns(account.number, mostListed),
    reader.accounts.identities(account.number),
    reader.accounts.providers(account.environment),
  ]);
  return {
    player,
    email: account.email,
    isConfirmed: account.confirmed_at !== null,
    hasPassword: account.password_hash !== null,
    createdAt: rfc3339(account.created_at),
    identities: identities.map(({ provider, email, created_at, used_at }) => ({
      ...{ provider, title: providers.find(({ name }) => name === provider)?.title ?? provider, email },
      ...{ since: rfc3339(created_at), usedAt: rfc3339(used_at) },
    })),
    signIns: rows.map(({ id, device, name, created_at, used_at, address, ended_at }) => ({
      id,
      device,
      name,
      at: rfc3339(created_at),
      usedAt: rfc3339(used_at),
      address,
      endedAt: ended_at === null ? null : rfc3339(ended_at),
      isThis: id === signIn,
    })),
  };
}
