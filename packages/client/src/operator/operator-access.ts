import type { ChangeOperatorRequest, InviteRequest, OperatorList, OperatorRole, OwnSignIns } from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';

/** Who may sign in and what they may do; how whoever calls shows who they are. */
export class OperatorAccess {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /** Everybody who can sign in, and who is invited. */
  list(): Promise<OperatorList> {
    return this.#transport.send({ method: 'GET', path: '/v1/operators' });
  }

  /** Makes a link with which somebody becomes an operator; it works once, for a week. */
  invite(request: InviteRequest): Promise<{ readonly link: string; readonly expiresAt: string }> {
    return this.#transport.send({ method: 'POST', path: '/v1/operators/invitations', body: request });
  }

  /** Another role, other roles for environments, or shut out. */
  async change(email: string, change: ChangeOperatorRequest): Promise<void> {
    await this.#transport.send({ method: 'PUT', path: `/v1/operators/${encodeURIComponent(email)}`, body: change });
  }

  /** A token for a program; it is shown only now. */
  createServiceToken(request: {
    readonly name: string;
    readonly role: OperatorRole;
    readonly days?: number;
  }): Promise<{ readonly email: string; readonly token: string; readonly expiresAt: string }> {
    return this.#transport.send({ method: 'POST', path: '/v1/operators/service-tokens', body: request });
  }

  /** Where whoever calls is signed in. */
  signIns(): Promise<OwnSignIns> {
    return this.#transport.send({ method: 'GET', path: '/v1/operator/sign-ins' });
  }

  /** Signs out there. */
  async endSignIn(id: string): Promise<void> {
    await this.#transport.send({ method: 'DELETE', path: `/v1/operator/sign-ins/${encodeURIComponent(id)}` });
  }

  /** A secret for an authenticator: nothing is set until a code of it was shown. */
  beginSecondFactor(): Promise<{ readonly secret: string; readonly url: string }> {
    return this.#transport.send({ method: 'POST', path: '/v1/operator/second-factor/begin' });
  }

  /** From now on signing in takes a code too. @returns codes for when the authenticator is lost, shown only now */
  setSecondFactor(secret: string, code: string): Promise<{ readonly recoveryCodes: readonly string[] }> {
    return this.#transport.send({ method: 'POST', path: '/v1/operator/second-factor', body: { secret, code } });
  }

  async removeSecondFactor(password: string): Promise<void> {
    await this.#transport.send({ method: 'POST', path: '/v1/operator/second-factor/remove', body: { password } });
  }
}
