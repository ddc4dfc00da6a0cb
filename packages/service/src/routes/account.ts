import { isForPlayers } from '@vekkon/core';
import { hasMoreThanStarting } from '@vekkon/core/accounts';
import { Refusal, routes, type AccountResponse } from '@vekkon/protocol';
import { recordsByKey, rfc3339, type AccountRow, type EnvironmentRow, type ListedPlayer } from '@vekkon/store';
import type { Request, Response } from 'express';
import { deviceOf, nameOf, type Principal } from '../access.js';
import { nameOf as nameOfPlace } from '../accounts/accounts.js';
import { AccountLimits } from '../accounts/account-limits.js';
import { addressOf } from '../call-limits.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { SignInLimits } from '../sign-in-limits.js';
import { hashToken, newId, newToken } from '../tokens.js';
import { playerSummary } from './players.js';

/** How many sign-ins are listed. */
const mostListed = 50;

/** Players' accounts, as the game on a device asks for them. */
export function serveAccount(desk: Desk): void {
  const { reader, writer, accounts } = desk;
  const { passwords } = accounts;
  const signIns = new SignInLimits();
  const limits = new AccountLimits();

  serveRoute(desk, routes.jsonWebKeys, async () => ({ keys: [...(await accounts.keys.published())] as never }));

  serveRoute(desk, routes.makeAccount, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { device } = deviceOf(principal);
    const address = addressOf(request);
    await limits.mail(request, response, `${place.number} ${body.email}`);
    const leave = await desk.limits.addDevice(request, response);
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
    const { account, signIn } = await ownAccount(environment(), principal);
    return accountAsTold(desk, account, deviceOf(principal).player, signIn);
  });

  serveRoute(desk, routes.accountSignIn, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const account = await checked(place, body.email, body.password, request, response);
    await limits.signIn(request, response, account.number);
    const into = await playerOf(place, account);
    const from = await metBefore(place, deviceOf(principal), into);
    if (from !== undefined && body.choose === undefined) {
      return { signedIn: null, choose: { account: await heldBy(place, into), device: await heldBy(place, from) } };
    }
    if (from !== undefined && body.choose !== undefined) {
      const { choose: choice } = body;
      await writer.do('joinAccount', { environment: place.number, from: from.id, into: into.id, choice });
    }
    const device = newId('dev');
    const { refreshToken, signIn } = accounts.begin(addressOf(request));
    const about = { account: account.number, device, name: body.name ?? null, signIn };
    const { player } = await writer.do('signInAccount', {
      ...about,
      nobodysSecret: hashToken(newToken('deviceToken')),
    });
    return {
      signedIn: await accounts.tokens(place, { signIn: signIn.id, player, device }, refreshToken),
      choose: null,
    };
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
    const { account, signIn } = await ownAccount(environment(), principal);
    return writer.do('endSignIns', { account: account.number, ...(!body.everywhere && { only: signIn }) });
  });

  serveRoute(desk, routes.changeAccountPassword, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { account, signIn } = await ownAccount(place, principal);
    await checkOwn(account, body.password, request, response);
    const passwordHash = await passwords.hashOf(addressOf(request), body.newPassword, account.email);
    await writer.do('setAccountPassword', { account: account.number, passwordHash, but: signIn });
    accounts.mailChanged(place, account.email);
    return {};
  });

  serveRoute(desk, routes.changeAccountEmail, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const { account } = await ownAccount(place, principal);
    await checkOwn(account, body.password, request, response);
    await limits.mail(request, response, `${place.number} ${body.email}`);
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
    const { account } = await ownAccount(place, principal);
    await checkOwn(account, body.password, request, response);
    await writer.do('erasePlayer', {
      environment: place.number,
      player: deviceOf(principal).player,
      by: 'the player',
    });
    return {};
  });

  serveRoute(desk, routes.forgottenPassword, async ({ body, environment, request, response }) => {
    const place = environment();
    await limits.mail(request, response, `${place.number} ${body.email}`);
    const known = await reader.accounts.byEmail(place.number, body.email);
    // Nobody waits for it: the answer is there as soon where nobody is known.
    const send = async () => {
      for (const account of known) if (account.disabled_at === null) await accounts.sendReset(place, account);
    };
    send().catch((err: unknown) => desk.log.error({ err }, 'A link could not be mailed'));
    return {};
  });

  serveRoute(desk, routes.resetPassword, async ({ body, request, response }) => {
    await signIns.enter(request, response, 'a link');
    const passwordHash = await passwords.hashOf(addressOf(request), body.password, '');
    await writer.do('useAccountLink', { hash: hashToken(body.token), sort: 'reset', passwordHash });
    return {};
  });

  serveRoute(desk, routes.confirmEmail, async ({ body, request, response }) => {
    await signIns.enter(request, response, 'a link');
    return writer.do('useAccountLink', { hash: hashToken(body.token), sort: 'confirm', passwordHash: null });
  });

  /** The account for which an address and a password are right. */
  async function checked(
    place: EnvironmentRow,
    email: string,
    password: string,
    request: Request,
    response: Response,
  ): Promise<AccountRow> {
    await signIns.enter(request, response, `${place.number} ${email}`);
    const known = await reader.accounts.byEmail(place.number, email);
    const account = await passwords.firstRight(addressOf(request), known, password);
    if (account === undefined) throw new Refusal('account-refused');
    if (account.disabled_at !== null) throw new Refusal('account-disabled');
    signIns.remember(request);
    return account;
  }

  /** Whoever changes what an account is known by shows that it is them. */
  async function checkOwn(account: AccountRow, password: string, request: Request, response: Response): Promise<void> {
    await limits.signIn(request, response, account.number);
    await signIns.enter(request, response, `account ${account.number}`);
    const isRight = await passwords.isRight(addressOf(request), account.password_hash, password);
    if (!isRight) throw new Refusal('account-refused', 'The password is wrong: try again.');
    signIns.remember(request);
  }

  async function ownAccount(place: EnvironmentRow, principal: Principal) {
    const { player, device } = deviceOf(principal);
    const [account, signIn] = await Promise.all([
      reader.accounts.ofPlayer(place.number, player),
      reader.accounts.signInOfDevice(device),
    ]);
    if (account === undefined || signIn === undefined) throw new Refusal('account-unknown');
    return { account, signIn };
  }

  async function playerOf(place: EnvironmentRow, account: AccountRow): Promise<ListedPlayer> {
    const [player] = await reader.players.numbered([account.player], {});
    if (player === undefined || player.environment !== place.number) throw new Refusal('account-unknown');
    return player;
  }

  /** The device's own player, where that is somebody else who has played, without an account of their own. */
  async function metBefore(
    place: EnvironmentRow,
    { player: id }: { readonly player: string },
    into: ListedPlayer,
  ): Promise<ListedPlayer | undefined> {
    if (id === into.id) return undefined;
    const [player, account] = await Promise.all([
      reader.players.one(place.number, id),
      reader.accounts.ofPlayer(place.number, id),
    ]);
    if (player === undefined || player.first_joined_at === null || account !== undefined) return undefined;
    const { rules } = await reader.manifests.newestOf(place);
    const stored = await reader.players.stored(player.number, rules.manifest);
    return hasMoreThanStarting(stored, rules.manifest) ? player : undefined;
  }

  /** What a player has, as far as players may see it. */
  async function heldBy(place: EnvironmentRow, player: ListedPlayer) {
    const { rules } = await reader.manifests.newestOf(place);
    const records = [...(await reader.players.records(player, place))].filter(([key]) =>
      isForPlayers(key, rules.manifest),
    );
    const { id, name, lastJoinedAt } = playerSummary(player);
    return { player: id, name, lastJoinedAt, records: recordsByKey(new Map(records)) };
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
    const written = place.is_live === 1 ? [] : accounts.mailer.written(nameOfPlace(place));
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
  const rows = await reader.accounts.signIns(account.number, mostListed);
  return {
    player,
    email: account.email,
    isConfirmed: account.confirmed_at !== null,
    createdAt: rfc3339(account.created_at),
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
