import { Refusal, roles, type Caller, type OperatorRole, type Role, type Scope } from '@vekkon/protocol';
import type { Clock, Credential, EnvironmentRow, FeedEvent, Reader, Writer } from '@vekkon/store';
import type { Request, Response } from 'express';
import { addressOf } from './limits/counted.js';
import { tokenInCookie } from './console-cookie.js';
import { allowsOrigin, type Environments } from './environments.js';
import type { StreamReader } from './open-streams.js';
import type { SigningKeys } from './accounts/signing-keys.js';
import { hashToken, newToken } from './tokens.js';

export interface Operator {
  readonly number: number;
  readonly email: string;
  readonly name: string;
  /** Where no other is set for an environment. */
  readonly role: OperatorRole;
  /** By the numbers of environments. */
  readonly roles: ReadonlyMap<number, OperatorRole>;
  readonly hasSecondFactor: boolean;
  readonly recoveryCodesLeft: number;
}

/** The credential that was shown: its hash, and when it is over, in milliseconds since 1970. */
interface Shown {
  readonly credential: string;
  readonly expiresAt: number | null;
}

/** What a key is good for; null for everything. */
type Scopes = readonly Scope[] | null;

/** Who is calling. */
export type Principal =
  | { readonly sort: 'anybody' }
  | (Shown & {
      readonly sort: 'host';
      readonly environment: number;
      readonly hint: string;
      readonly scopes: Scopes;
    })
  /** A game on a device that has no token yet. */
  | {
      readonly sort: 'device-key';
      readonly environment: number;
      readonly hint: string;
      readonly scopes: Scopes;
      /** Its hash. */
      readonly credential: string;
    }
  /** A player's own device. */
  | (Shown & {
      readonly sort: 'device';
      readonly environment: number;
      readonly device: string;
      readonly player: string;
      /** The device key with which the device came. */
      readonly madeWith: { readonly hint: string; readonly scopes: Scopes };
    })
  | { readonly sort: 'operator'; readonly operator: Operator; readonly tokenHash: string };

/** How many credentials are held: beyond that those that were found first are looked up again. */
const mostHeld = 100_000;

/** How often it is noted that a key was used, in milliseconds. */
const usedNotedEvery = 60_000;

/** What a route takes. */
export interface Needed {
  readonly callers: readonly Caller[];
  /** What a key must be good for; null where any will do. */
  readonly scope: Scope | null;
  readonly about?: 'service' | 'caller' | undefined;
}

interface Held {
  readonly credential: Credential;
  readonly principal: Principal;
}

/** Finds out who calls, and whether they may. What was found holds until the feed says that it is over. */
export class Access {
  readonly #reader: Reader;
  readonly #writer: Writer;
  readonly #clock: Clock;
  readonly #environments: Environments;
  readonly #keys: SigningKeys;
  readonly #held = new Map<string, Held>();
  readonly #ofDevice = new Map<string, Set<string>>();
  readonly #notedUse = new Map<string, number>();
  /** By connection. */
  readonly #lastShown = new WeakMap<object, { readonly token: string; readonly hash: string }>();
  /** Counts what the feed said is over: what was read before it may be out of date. */
  #ends = 0;

  constructor(reader: Reader, writer: Writer, clock: Clock, environments: Environments, keys: SigningKeys) {
    this.#keys = keys;
    this.#reader = reader;
    this.#writer = writer;
    this.#clock = clock;
    this.#environments = environments;
  }

  /**
   * Who sent the request; refused if they are none of the callers of the route.
   *
   * @param meet called before a credential is looked up that is not known yet
   */
  async admit(request: Request, { callers, scope, about }: Needed, meet: () => Promise<void>): Promise<Principal> {
    if (callers.includes('anybody')) return { sort: 'anybody' };
    const token = bearerOf(request);
    const hash = this.#hashOf(token, request);
    const held = this.#held.get(hash);
    if (held === undefined) await meet();
    const { credential, principal } = held ?? (await this.#find(token, hash));
    const isOver = credential.expires_at !== null && credential.expires_at <= this.#clock.now();
    if (credential.revoked_at !== null || isOver) throw over(principal, isOver);
    if (principal.sort === 'operator') {
      if (about !== 'caller' || !isForOperators(callers))
        checkRole(this.#roleOf(request, principal.operator, about), callers);
    } else checkKind(principal, callers);
    if (scope !== null) checkScope(principal, scope);
    if (principal.sort !== 'device') this.#noteUse(hash, request);
    if (principal.sort === 'device-key' || principal.sort === 'device') this.#checkOrigin(request, principal);
    return principal;
  }

  /** Whoever keeps a connection shows the same token again and again. */
  #hashOf(token: string, { socket }: Request): string {
    const last = this.#lastShown.get(socket);
    if (last?.token === token) return last.hash;
    const hash = hashToken(token);
    this.#lastShown.set(socket, { token, hash });
    return hash;
  }

  /** What an operator may do in the environment that a request is about. */
  #roleOf(request: Request, { role, roles }: Operator, about: Needed['about']): OperatorRole {
    if (about !== undefined || roles.size === 0) return role;
    const place = this.#environmentNamed(request);
    return (place && roles.get(place.number)) ?? role;
  }

  #environmentNamed(request: Request): EnvironmentRow | undefined {
    const named = request.get('Vekkon-Environment');
    if (named === undefined) return this.#environments.all.length === 1 ? this.#environments.all[0] : undefined;
    const [game = '', name = ''] = named.split('/');
    return this.#environments.named(game, name);
  }

  /** When keys are used, and from where, is written down once a minute: nobody waits for it. */
  #noteUse(hash: string, request: Request): void {
    const now = this.#clock.now();
    if (now - (this.#notedUse.get(hash) ?? -usedNotedEvery) < usedNotedEvery) return;
    if (this.#notedUse.size >= mostHeld) this.#notedUse.clear();
    this.#notedUse.set(hash, now);
    this.#writer.do('noteKeyUsed', { hash, from: addressOf(request) }).catch(() => this.#notedUse.delete(hash));
  }

  /** The environment that a request is about: the key's own, or the one that an operator names. */
  environmentOf(request: Request, principal: Principal): EnvironmentRow {
    if ('environment' in principal) return this.#environments.numbered(principal.environment);
    const named = request.get('Vekkon-Environment');
    if (named === undefined) {
      const [only, ...others] = this.#environments.all;
      if (only !== undefined && others.length === 0) return only;
      throw new Refusal('environment-not-named');
    }
    const [game = '', name = ''] = named.split('/');
    const found = this.#environments.named(game, name);
    if (found === undefined) {
      throw new Refusal(
        'environment-unknown',
        `There is no "${named}": name a game and its environment, as GAME/ENVIRONMENT.`,
      );
    }
    return found;
  }

  /** Takes in what a commit did: what is over is looked up again when it is next shown. */
  heed(event: FeedEvent): void {
    if (event.what === 'credential-over') this.#forget(event.hash);
    if (event.what === 'device-over') {
      for (const hash of this.#ofDevice.get(event.device) ?? []) if (hash !== event.but) this.#forget(hash);
      this.#ends++;
    }
  }

  /** Something about whoever shows it is another: it is looked up again. */
  forget(hash: string): void {
    this.#forget(hash);
  }

  #forget(hash: string): void {
    this.#ends++;
    const { principal } = this.#held.get(hash) ?? {};
    this.#held.delete(hash);
    if (principal?.sort !== 'device') return;
    const ofDevice = this.#ofDevice.get(principal.device);
    ofDevice?.delete(hash);
    if (ofDevice?.size === 0) this.#ofDevice.delete(principal.device);
  }

  #hold(hash: string, found: Held): void {
    if (this.#held.size >= mostHeld) for (const oldest of [...this.#held.keys()].slice(0, 100)) this.#forget(oldest);
    this.#held.set(hash, found);
    if (found.principal.sort !== 'device') return;
    const { device } = found.principal;
    this.#ofDevice.set(device, (this.#ofDevice.get(device) ?? new Set()).add(hash));
  }

  /** A web page calls only from where the environment allows it; what is no page sends no origin. */
  #checkOrigin(request: Request, { environment }: { readonly environment: number }): void {
    const origin = request.get('Origin');
    if (origin === undefined || isOwnOrigin(origin, request)) return;
    const place = this.#environments.numbered(environment);
    if (allowsOrigin(place, origin)) return;
    const { game, name } = place;
    throw new Refusal(
      'origin-not-allowed',
      `Pages of ${origin} may not call ${game}/${name}: an admin allows it with "vekkon game origins --allow ${origin}".`,
    );
  }

  async #find(token: string, hash: string): Promise<Held> {
    const endsBefore = this.#ends;
    if (looksSigned(token)) {
      const found = await this.#findSigned(token, hash);
      if (this.#ends === endsBefore) this.#hold(hash, found);
      return found;
    }
    const credential = await this.#reader.access.credential(hash);
    if (credential === undefined) throw new Refusal('credential-unknown');
    const found = { credential, principal: await this.#principalOf(credential, hash) };
    // Read beside commits: held only where nothing ended meanwhile.
    if (this.#ends === endsBefore) this.#hold(hash, found);
    if (credential.sort === 'device' && credential.used_at === null && credential.revoked_at === null) {
      await this.#writer.do('useDeviceToken', { hash });
    }
    return found;
  }

  /** A signed access token says who it is; whether they are still signed in, the store says. */
  async #findSigned(token: string, hash: string): Promise<Held> {
    const claims = await this.#keys.verify(token);
    if (claims === undefined) {
      throw new Refusal('credential-unknown', 'This access token is not ours, or it is over: refresh it.');
    }
    const signIn = await this.#reader.accounts.signIn(claims.signIn);
    const place = signIn && this.#environments.numbered(signIn.environment);
    const isMeant =
      place !== undefined &&
      `${place.game}/${place.name}` === claims.audience &&
      signIn?.device === claims.device &&
      signIn.player === claims.player;
    if (signIn === undefined || !isMeant) throw new Refusal('credential-unknown');
    if (signIn.opened_at === null && signIn.ended_at === null) {
      const nobodysSecret = hashToken(newToken('deviceToken'));
      await this.#writer.do('openSignIn', { signIn: claims.signIn, nobodysSecret });
    }
    const { environment, device, player, ended_at: revoked_at } = signIn;
    const { expiresAt } = claims;
    const madeWith = madeWithOf(signIn);
    return {
      credential: {
        sort: 'device',
        hint: null,
        scopes: null,
        made_with_hint: madeWith.hint,
        made_with_scopes: signIn.made_with_scopes,
        environment,
        operator: null,
        device_id: device,
        player_id: player,
        used_at: null,
        expires_at: expiresAt,
        revoked_at,
      },
      principal: { sort: 'device', environment, device, player, madeWith, credential: hash, expiresAt },
    };
  }

  async #principalOf(credential: Credential, tokenHash: string): Promise<Principal> {
    const shown = { credential: tokenHash, expiresAt: credential.expires_at };
    if (credential.sort === 'host-key' && credential.environment !== null) {
      const scopes = scopesIn(credential.scopes);
      return { sort: 'host', environment: credential.environment, hint: credential.hint ?? '', scopes, ...shown };
    }
    if (credential.sort === 'device-key' && credential.environment !== null) {
      return {
        sort: 'device-key',
        environment: credential.environment,
        hint: credential.hint ?? '',
        scopes: scopesIn(credential.scopes),
        credential: tokenHash,
      };
    }
    const { device_id: device, player_id: player } = credential;
    if (credential.sort === 'device' && credential.environment !== null && device !== null && player !== null) {
      return {
        sort: 'device',
        environment: credential.environment,
        device,
        player,
        madeWith: madeWithOf(credential),
        ...shown,
      };
    }
    const operator =
      credential.sort === 'operator' && credential.operator !== null
        ? await this.#reader.access.operator(credential.operator)
        : undefined;
    if (operator !== undefined) {
      const { number, email, name, role, totp_secret: secret, recovery, disabled_at: disabledAt } = operator;
      if (disabledAt !== null) throw new Refusal('credential-revoked', 'You were shut out: ask an admin.');
      const rows = await this.#reader.access.roles(number);
      const roles = new Map(rows.map((row) => [row.environment, row.role]));
      const left = recovery === null ? 0 : (JSON.parse(recovery) as string[]).length;
      const factor = { hasSecondFactor: secret !== null, recoveryCodesLeft: left };
      return { sort: 'operator', operator: { number, email, name, role, roles, ...factor }, tokenHash };
    }
    throw new Refusal(
      'credential-wrong-kind',
      'This is a link for the first admin, not a credential: open it in a browser.',
    );
  }
}

function scopesIn(text: string | null): Scopes {
  return text === null ? null : (JSON.parse(text) as Scope[]);
}

/** Of what came before that was noted nothing is known. */
function madeWithOf({
  made_with_hint: hint,
  made_with_scopes: scopes,
}: {
  readonly made_with_hint: string | null;
  readonly made_with_scopes: string | null;
}) {
  return { hint: hint ?? 'unknown', scopes: scopesIn(scopes) };
}

/** Is it a JSON Web Token? All other credentials are one word. */
function looksSigned(token: string): boolean {
  return /^[\w-]+\.[\w-]*\.[\w-]*$/.test(token);
}

function over({ sort }: Principal, isOver: boolean): Refusal {
  if (sort === 'operator') {
    return new Refusal(
      'credential-revoked',
      `${isOver ? 'Your sign-in is over' : 'You were signed out'}: sign in again.`,
    );
  }
  if (sort === 'device') {
    return new Refusal('credential-revoked', "This device's token is over: ask for another with the device's secret.");
  }
  const why = isOver ? 'This key has come to its end' : 'This key was revoked';
  return new Refusal('credential-revoked', `${why}: use one that holds, or make a new one.`);
}

/** The device that calls; null for anybody else. */
export function deviceIn(principal: Principal): string | null {
  return principal.sort === 'device' ? principal.device : null;
}

/** The player whose own device calls. @throws where the route let anybody else in */
export function deviceOf(principal: Principal): Extract<Principal, { sort: 'device' }> {
  if (principal.sort === 'device') return principal;
  throw new TypeError(`A route for devices let in a caller of the sort "${principal.sort}".`);
}

/** The device key with which a device comes. @throws where the route let anybody else in */
export function deviceKeyOf(principal: Principal): Extract<Principal, { sort: 'device-key' }> {
  if (principal.sort === 'device-key') return principal;
  throw new TypeError(`A route for device keys let in a caller of the sort "${principal.sort}".`);
}

/** A game server or a device: who may listen. @throws where the route let anybody else in */
export function listenerOf(principal: Principal): Extract<Principal, { sort: 'host' | 'device' }> {
  if (principal.sort === 'host' || principal.sort === 'device') return principal;
  throw new TypeError(`A stream let in a caller of the sort "${principal.sort}".`);
}

/** Who reads a stream, and until when. */
export function readerOf(principal: Principal, response: Response): StreamReader {
  switch (principal.sort) {
    case 'device': {
      const { device: owner, credential, expiresAt } = principal;
      return { response, owner, credential, expiresAt };
    }
    case 'host': {
      const { hint: owner, credential, expiresAt } = principal;
      return { response, owner, credential, expiresAt };
    }
    case 'operator':
      return { response, owner: principal.operator.email, credential: principal.tokenHash, expiresAt: null };
    default:
      throw new TypeError(`A stream let in a caller of the sort "${principal.sort}".`);
  }
}

/** Is it a game on a player's own device? */
export function isOnDevice({ sort }: Principal): boolean {
  return sort === 'device' || sort === 'device-key';
}

/** Who it was, for the activity and the ledger. */
export function nameOf(principal: Principal): string {
  if (principal.sort === 'operator') return principal.operator.email;
  if (principal.sort === 'device') return principal.device;
  return principal.sort === 'anybody' ? 'anybody' : `key ${principal.hint}…`;
}

function checkScope(principal: Principal, scope: Scope): void {
  if (principal.sort === 'anybody' || principal.sort === 'operator') return;
  const { scopes, hint } = principal.sort === 'device' ? principal.madeWith : principal;
  if (scopes === null || scopes.includes(scope)) return;
  throw new Refusal('scope-missing', `The key ${hint}… is good for ${scopes.join(', ')}: this takes ${scope}.`);
}

const spokenOf = {
  host: 'a host key',
  'device-key': 'a device key',
  device: "a device's token",
  operator: 'an operator who is signed in',
} as const;

function checkKind(principal: Exclude<Principal, { sort: 'operator' }>, callers: readonly Caller[]): void {
  if (principal.sort === 'anybody') return undefined;
  if (callers.includes(principal.sort)) return undefined;
  throw wrongKind(callers, principal.sort);
}

function wrongKind(callers: readonly Caller[], shown: keyof typeof spokenOf): Refusal {
  const isRole = (caller: Caller) => (roles as readonly string[]).includes(caller);
  const sorts = new Set(callers.map((caller) => (isRole(caller) ? 'operator' : (caller as keyof typeof spokenOf))));
  const taken = [...sorts].map((sort) => spokenOf[sort]).join(', or ');
  return new Refusal('credential-wrong-kind', `This call takes ${taken}, not ${spokenOf[shown]}.`);
}

/** A page that the service itself serves. */
function isOwnOrigin(origin: string, request: Request): boolean {
  return URL.canParse(origin) && new URL(origin).host === request.host;
}

function isForOperators(callers: readonly Caller[]): boolean {
  return callers.some((caller) => (roles as readonly string[]).includes(caller));
}

function bearerOf(request: Request): string {
  const header = request.get('Authorization');
  const kept = header === undefined ? tokenInCookie(request) : undefined;
  if (kept !== undefined) return kept;
  if (header === undefined) throw new Refusal('credential-missing');
  const token = /^Bearer +(\S+) *$/i.exec(header)?.[1];
  if (token === undefined) {
    throw new Refusal('credential-missing', 'The Authorization header must read "Bearer" and then the key.');
  }
  return token;
}

function checkRole(role: OperatorRole, callers: readonly Caller[]): void {
  const needed = callers.filter((caller): caller is Role => (roles as readonly string[]).includes(caller));
  if (needed.length === 0) {
    throw wrongKind(callers, 'operator');
  }
  const least = Math.min(...needed.map((one) => roles.indexOf(one)));
  if ((roles as readonly OperatorRole[]).indexOf(role) < least) {
    throw new Refusal('role-too-low', `This takes the role ${roles[least]}; yours is ${role}. Ask an admin.`);
  }
}
