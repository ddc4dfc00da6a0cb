import { hash, verify } from '@node-rs/argon2';
import { Refusal, routes, type OperatorProfile, type SignInResponse } from '@vekkon/protocol';
import { rfc3339 } from '@vekkon/store';
import { addressOf } from '../call-limits.js';
import { SignInLimits } from '../sign-in-limits.js';
import { Turns } from '../turns.js';
import { environmentSummary } from './environments.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newToken } from '../tokens.js';

const tokenLasts = 14 * 24 * 60 * 60 * 1000;

/** Signing in and out. Passwords are kept as Argon2id hashes (RFC 9106). */
export function serveOperators(desk: Desk): void {
  const { reader, writer, clock } = desk;

  async function signedIn(operator: OperatorProfile & { readonly number: number }): Promise<SignInResponse> {
    const token = newToken('operator');
    const expiresAt = clock.now() + tokenLasts;
    await writer.do('addCredential', {
      hash: hashToken(token),
      sort: 'operator',
      operator: operator.number,
      expiresAt,
    });
    const { email, name, role } = operator;
    return { token, expiresAt: rfc3339(expiresAt), operator: { email, name, role } };
  }

  const signIns = new SignInLimits();
  // One address has one password checked at a time: each takes as long as it should.
  const checking = new Turns();

  serveRoute(desk, routes.signIn, async ({ body, request, response }) => {
    const address = addressOf(request);
    await signIns.enter(request, response, body.email);
    const operator = await reader.access.operatorByEmail(body.email);
    // An unknown e-mail takes as long as a wrong password, so that nobody can find out who is known.
    const kept = operator?.password_hash ?? (await hashOfNobody);
    const isRight = await checking.take(address, () => verify(kept, body.password));
    if (operator === undefined || !isRight) {
      const [what, by, detail] = ['sign-in-refused', body.email.toLowerCase(), `from ${address}`];
      await writer.do('note', { environment: null, what, by, player: null, detail });
      throw new Refusal('sign-in-refused');
    }
    signIns.remember(request);
    return signedIn(operator);
  });

  serveRoute(desk, routes.signOut, async ({ principal }) => {
    if (principal.sort === 'operator') await writer.do('revokeCredential', { hash: principal.tokenHash });
    return {};
  });

  serveRoute(desk, routes.firstAdmin, async ({ body, request, response }) => {
    await signIns.enter(request, response, 'the first admin');
    const { email, name } = body;
    const { number } = await writer.do('addFirstAdmin', {
      email,
      name,
      passwordHash: await hash(body.password),
      invitationHash: hashToken(body.invitation),
    });
    return signedIn({ number, email, name, role: 'admin' });
  });

  serveRoute(desk, routes.operator, async ({ principal }) => {
    if (principal.sort !== 'operator') throw new Refusal('credential-wrong-kind');
    const { email, name, role } = principal.operator;
    const environments = await Promise.all(
      desk.environments.all.map((environment) => environmentSummary(reader, environment)),
    );
    return { operator: { email, name, role }, environments };
  });
}

const hashOfNobody = hash(newToken('operator'));
