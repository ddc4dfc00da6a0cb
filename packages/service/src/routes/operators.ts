import { hash, verify } from '@node-rs/argon2';
import { Refusal, routes, type OperatorProfile, type OperatorRole, type SignInResponse } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow } from '@vekkon/store';
import type { Request, Response } from 'express';
import type { Principal } from '../access.js';
import { nameOf } from '../accounts/accounts.js';
import { addressOf } from '../limits/counted.js';
import { forgetCookie, keepInCookie } from '../console-cookie.js';
import { hashOfRecovery, newRecoveryCodes, newSecret, stepOf } from '../second-factor.js';
import { Turns } from '../turns.js';
import { environmentSummary } from './environments.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newToken } from '../tokens.js';

const day = 24 * 60 * 60 * 1000;
const [tokenLasts, invitationLasts] = [14 * day, 7 * day];

/** Signing in and out. Passwords are kept as Argon2id hashes (RFC 9106). */
export function serveOperators(desk: Desk): void {
  const { reader, writer, clock } = desk;

  async function signedIn(
    operator: OperatorProfile & { readonly number: number },
    { request, response, body }: SigningIn,
  ): Promise<SignInResponse> {
    const token = newToken('operator');
    const expiresAt = clock.now() + tokenLasts;
    const [from, by] = [addressOf(request), (request.get('User-Agent') ?? 'unknown').slice(0, 200)];
    await writer.do('addCredential', {
      ...{ hash: hashToken(token), sort: 'operator', operator: operator.number, expiresAt },
      ...{ name: by, from },
    });
    const { email, name, role } = operator;
    if (body.keepIn === 'cookie') keepInCookie(request, response, token, expiresAt);
    const told = { expiresAt: rfc3339(expiresAt), operator: { email, name, role } };
    return { token: body.keepIn === 'cookie' ? '' : token, ...told };
  }

  /** The second factor, where there is one. Whoever gets so far has shown the password. */
  async function checkCode(operator: OperatorSecrets, code: string | undefined): Promise<void> {
    const { number, totp_secret: secret } = operator;
    if (secret === null) return;
    if (code === undefined || code.trim() === '') throw new Refusal('second-factor-needed');
    const step = stepOf(secret, code, clock.now()) ?? null;
    const recovery = step === null ? hashOfRecovery(code) : null;
    const { isGood } = await writer.do('useSecondFactor', { operator: number, step, recovery });
    if (!isGood) throw new Refusal('second-factor-wrong');
  }

  const signIns = desk.signInLimits;
  // One address has one password checked at a time: each takes as long as it should.
  const checking = new Turns();

  serveRoute(desk, routes.signIn, async ({ body, request, response }) => {
    const address = addressOf(request);
    const shown = signIns.enter(request, undefined, body.email);
    const operator = await reader.access.operatorByEmail(body.email);
    // An unknown e-mail takes as long as a wrong password, so that nobody can find out who is known.
    const kept = operator?.password_hash ?? (await hashOfNobody);
    const isRight = await checking.take(address, () => verify(kept, body.password)).catch(() => false);
    if (operator === undefined || !isRight || operator.disabled_at !== null) {
      const [what, by, detail] = ['sign-in-refused', body.email.toLowerCase(), `from ${address}`];
      await writer.do('note', { environment: null, what, by, player: null, detail });
      throw new Refusal('sign-in-refused');
    }
    await checkCode(operator, body.code).catch((error: unknown) => {
      // The password was right, and no code was tried.
      if (error instanceof Refusal && error.code === 'second-factor-needed') shown.takeBack();
      throw error;
    });
    shown.right();
    const line = { environment: null, what: 'signed-in', by: operator.email, player: null };
    await writer.do('note', { ...line, detail: `from ${address}` });
    return signedIn(operator, { request, response, body });
  });

  serveRoute(desk, routes.signOut, async ({ principal, request, response }) => {
    if (principal.sort === 'operator') await writer.do('revokeCredential', { hash: principal.tokenHash });
    forgetCookie(request, response);
    return {};
  });

  serveRoute(desk, routes.acceptInvitation, async ({ body, request, response }) => {
    const shown = signIns.enter(request, undefined);
    const { number, email, role } = await writer.do('acceptInvitation', {
      ...{ hash: hashToken(body.invitation), name: body.name, passwordHash: await hash(body.password) },
    });
    shown.right();
    return signedIn({ number, email, name: body.name, role }, { request, response, body });
  });

  serveRoute(desk, routes.ownSignIns, async ({ principal }) => {
    const { operator, tokenHash } = operatorOf(principal);
    const rows = await reader.access.signIns(operator.number, clock.now());
    return {
      signIns: rows.map(({ hash: one, name, created_at, expires_at, last_used_at, last_used_from }) => ({
        id: idOf(one),
        name,
        at: rfc3339(created_at),
        expiresAt: rfc3339(expires_at ?? 0),
        usedAt: last_used_at === null ? null : rfc3339(last_used_at),
        usedFrom: last_used_from,
        isThis: one === tokenHash,
      })),
    };
  });

  serveRoute(desk, routes.endOwnSignIn, async ({ params, principal }) => {
    const { operator } = operatorOf(principal);
    const rows = await reader.access.signIns(operator.number, clock.now());
    const found = rows.find((one) => idOf(one.hash) === params.id);
    if (found === undefined) throw new Refusal('sign-in-unknown');
    await writer.do('revokeCredential', { hash: found.hash });
    return {};
  });

  serveRoute(desk, routes.beginSecondFactor, async ({ principal }) => newSecret(operatorOf(principal).operator.email));

  serveRoute(desk, routes.setSecondFactor, async ({ body, principal }) => {
    const { operator, tokenHash } = operatorOf(principal);
    if (!/^[A-Z2-7]+$/.test(body.secret) || stepOf(body.secret, body.code, clock.now()) === undefined) {
      throw new Refusal('second-factor-wrong');
    }
    const { codes, hashes } = newRecoveryCodes();
    await writer.do('setSecondFactor', { operator: operator.number, secret: body.secret, recovery: hashes });
    desk.access.forget(tokenHash);
    return { recoveryCodes: [...codes] };
  });

  serveRoute(desk, routes.removeSecondFactor, async ({ body, principal, request }) => {
    const { operator, tokenHash } = operatorOf(principal);
    const shown = signIns.enter(request, undefined, operator.email);
    const known = await reader.access.operator(operator.number);
    const isRight = await checking
      .take(addressOf(request), () => verify(known?.password_hash ?? '', body.password))
      .catch(
        // Who has no password, such as a program, has none that is right.
        () => false,
      );
    if (!isRight) throw new Refusal('sign-in-refused', 'The password is wrong: nothing was changed.');
    shown.right();
    await writer.do('setSecondFactor', { operator: operator.number, secret: null, recovery: [] });
    desk.access.forget(tokenHash);
    return {};
  });

  serveRoute(desk, routes.firstAdmin, async ({ body, request, response }) => {
    const shown = signIns.enter(request, undefined);
    const { email, name } = body;
    const { number } = await writer.do('addFirstAdmin', {
      email,
      name,
      passwordHash: await hash(body.password),
      invitationHash: hashToken(body.invitation),
    });
    shown.right();
    return signedIn({ number, email, name, role: 'admin' }, { request, response, body });
  });

  serveRoute(desk, routes.operator, async ({ principal }) => {
    const { email, name, role, roles, hasSecondFactor, recoveryCodesLeft } = operatorOf(principal).operator;
    const roleIn = ({ number }: EnvironmentRow) => roles.get(number) ?? role;
    const seen = desk.environments.all.filter((one) => roleIn(one) !== 'none');
    const environments = await Promise.all(
      seen.map(async (one) => ({ ...(await environmentSummary(reader, one)), role: roleIn(one) })),
    );
    return { operator: { email, name, role, hasSecondFactor, recoveryCodesLeft }, environments };
  });

  serveRoute(desk, routes.operators, async () => {
    const [rows, roles, invited] = await Promise.all([
      reader.access.operators(),
      reader.access.roles(),
      reader.access.invitations(clock.now()),
    ]);
    return {
      operators: rows.map(({ number, email, name, role, totp_secret: secret, created_at, disabled_at }) => ({
        ...{ email, name, role, hasSecondFactor: secret !== null },
        roles: roles
          .filter(({ operator }) => operator === number)
          .map((one) => ({ environment: nameOf(desk.environments.numbered(one.environment)), role: one.role })),
        createdAt: rfc3339(created_at),
        disabledAt: disabled_at === null ? null : rfc3339(disabled_at),
      })),
      invited: invited.map(({ email, role, by, created_at, expires_at }) => ({
        ...{ email, role, by },
        at: rfc3339(created_at),
        expiresAt: rfc3339(expires_at),
      })),
    };
  });

  serveRoute(desk, routes.invite, async ({ body, principal }) => {
    const invitation = newToken('invitation');
    const expiresAt = clock.now() + invitationLasts;
    const { email, role } = body;
    await writer.do('invite', {
      ...{ hash: hashToken(invitation), email, role, roles: rolesOf(body.roles), expiresAt },
      by: operatorOf(principal).operator.email,
    });
    return { link: `${desk.accounts.url}/console/join#${invitation}`, expiresAt: rfc3339(expiresAt) };
  });

  serveRoute(desk, routes.changeOperator, async ({ params, body, principal }) => {
    const { role, roles, disabled } = body;
    const by = operatorOf(principal).operator.email;
    const wanted = roles === undefined ? undefined : rolesOf(roles);
    await writer.do('changeOperator', { email: params.email, role, roles: wanted, isDisabled: disabled, by });
    return {};
  });

  serveRoute(desk, routes.createServiceToken, async ({ body, principal }) => {
    const token = newToken('operator');
    const expiresAt = clock.now() + body.days * day;
    const by = operatorOf(principal).operator.email;
    const { name, role } = body;
    const { email } = await writer.do('addServiceToken', { name, role, hash: hashToken(token), expiresAt, by });
    return { email, token, expiresAt: rfc3339(expiresAt) };
  });

  /** Environments by their numbers. @throws Refusal `environment-unknown` */
  function rolesOf(
    roles: readonly { readonly environment: string; readonly role: OperatorRole }[],
  ): readonly (readonly [number, OperatorRole])[] {
    return roles.map(({ environment, role }) => {
      const [game = '', name = ''] = environment.split('/');
      const place = desk.environments.named(game, name);
      if (place === undefined) throw new Refusal('environment-unknown', `There is no "${environment}".`);
      return [place.number, role] as const;
    });
  }
}

interface SigningIn {
  readonly request: Request;
  readonly response: Response;
  readonly body: { readonly keepIn?: 'cookie' | undefined };
}

interface OperatorSecrets {
  readonly number: number;
  readonly totp_secret: string | null;
}

function operatorOf(principal: Principal): Extract<Principal, { sort: 'operator' }> {
  if (principal.sort !== 'operator') throw new Refusal('credential-wrong-kind');
  return principal;
}

/** A sign-in by some characters of its hash: enough to tell it by. */
function idOf(tokenHash: string): string {
  return tokenHash.slice(0, 12);
}

const hashOfNobody = hash(newToken('operator'));
