import { Refusal, roles, type Caller, type Role } from '@vekkon/protocol';
import type { Clock, Credential, EnvironmentRow, Reader } from '@vekkon/store';
import type { Request } from 'express';
import { hashToken } from './tokens.js';

export interface Operator {
  readonly number: number;
  readonly email: string;
  readonly name: string;
  readonly role: Role;
}

/** Who is calling. */
export type Principal =
  | { readonly sort: 'anybody' }
  | { readonly sort: 'host'; readonly environment: number; readonly hint: string }
  | { readonly sort: 'operator'; readonly operator: Operator; readonly tokenHash: string };

/** Finds out who calls, and whether they may. */
export class Access {
  readonly #reader: Reader;
  readonly #clock: Clock;
  readonly #kept = new Map<string, { readonly credential: Credential; readonly principal: Principal }>();

  constructor(reader: Reader, clock: Clock) {
    this.#reader = reader;
    this.#clock = clock;
  }

  /** Who sent the request; refused if they are none of the callers of the route. */
  async admit(request: Request, callers: readonly Caller[]): Promise<Principal> {
    if (callers.includes('anybody')) return { sort: 'anybody' };
    const token = bearerOf(request);
    const hash = hashToken(token);
    const { credential, principal } = this.#kept.get(hash) ?? (await this.#find(hash));
    const isOver = credential.expires_at !== null && credential.expires_at <= this.#clock.now();
    if (credential.revoked_at !== null || isOver) throw new Refusal('credential-revoked');
    if (principal.sort === 'host' && !callers.includes('host')) {
      throw new Refusal('credential-wrong-kind', 'This call takes an operator who is signed in, not a host key.');
    }
    if (principal.sort === 'operator') checkRole(principal.operator.role, callers);
    return principal;
  }

  /** The environment that a request is about: the key's own, or the one that an operator names. */
  async environmentOf(request: Request, principal: Principal): Promise<EnvironmentRow> {
    if (principal.sort === 'host') return this.#reader.environment(principal.environment);
    const named = request.get('Vekkon-Environment');
    if (named === undefined) {
      const [only, ...others] = await this.#reader.environments();
      if (only !== undefined && others.length === 0) return only;
      throw new Refusal('environment-not-named');
    }
    const [game = '', name = ''] = named.split('/');
    const found = await this.#reader.environmentNamed(game, name);
    if (found === undefined) {
      throw new Refusal(
        'environment-unknown',
        `There is no "${named}": name a game and its environment, as GAME/ENVIRONMENT.`,
      );
    }
    return found;
  }

  /** To be called after a credential, an operator or an environment has changed. */
  forgetAll(): void {
    this.#kept.clear();
  }

  async #find(hash: string) {
    const credential = await this.#reader.credential(hash);
    if (credential === undefined) throw new Refusal('credential-unknown');
    const found = { credential, principal: await this.#principalOf(credential, hash) };
    if (this.#kept.size >= 10_000) this.#kept.clear();
    this.#kept.set(hash, found);
    return found;
  }

  async #principalOf(credential: Credential, tokenHash: string): Promise<Principal> {
    if (credential.sort === 'host-key' && credential.environment !== null) {
      return { sort: 'host', environment: credential.environment, hint: credential.hint ?? '' };
    }
    const operator =
      credential.sort === 'operator' && credential.operator !== null
        ? await this.#reader.operator(credential.operator)
        : undefined;
    if (operator !== undefined) return { sort: 'operator', operator, tokenHash };
    throw new Refusal(
      'credential-wrong-kind',
      credential.sort === 'device-key'
        ? 'This is a device key: a game server shows its host key.'
        : 'This is a link for the first admin, not a credential: open it in a browser.',
    );
  }
}

/** Who it was, for the activity and the ledger. */
export function nameOf(principal: Principal): string {
  if (principal.sort === 'operator') return principal.operator.email;
  return principal.sort === 'host' ? `key ${principal.hint}…` : 'anybody';
}

function bearerOf(request: Request): string {
  const header = request.get('Authorization');
  if (header === undefined) throw new Refusal('credential-missing');
  const token = /^Bearer +(\S+) *$/i.exec(header)?.[1];
  if (token === undefined) {
    throw new Refusal('credential-missing', 'The Authorization header must read "Bearer" and then the key.');
  }
  return token;
}

function checkRole(role: Role, callers: readonly Caller[]): void {
  const needed = callers.filter((caller): caller is Role => (roles as readonly string[]).includes(caller));
  if (needed.length === 0) {
    throw new Refusal('credential-wrong-kind', 'This call takes a host key, not an operator who is signed in.');
  }
  const least = Math.min(...needed.map((one) => roles.indexOf(one)));
  if (roles.indexOf(role) < least) {
    throw new Refusal('role-too-low', `This takes the role ${roles[least]}; yours is ${role}. Ask an admin.`);
  }
}
