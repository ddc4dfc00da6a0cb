import type { Clock, Store } from '@vekkon/store';
import { exportJWK, generateKeyPair, importJWK, jwtVerify, SignJWT, type JWK } from 'jose';
import { newId } from '../tokens.js';

/** What an access token says. */
export interface AccessClaims {
  /** The id of the sign-in. */
  readonly signIn: string;
  readonly player: string;
  readonly device: string;
  /** As GAME/ENVIRONMENT. */
  readonly audience: string;
}

/** How long an access token holds, in milliseconds. */
export const accessLasts = 15 * 60_000;

const day = 24 * 60 * 60_000;
/** How long one key signs, and how long it is known afterwards, in milliseconds. */
const [signsFor, knownFor] = [30 * day, 60 * day];
const issuer = 'vekkon';
const algorithm = 'EdDSA';

interface Key {
  readonly id: string;
  readonly jwk: JWK;
  readonly createdAt: number;
}

/**
 * The keys with which access tokens are signed (JSON Web Tokens, RFC 7519, by
 * EdDSA, RFC 8037): each signs for a month, and is known for another.
 */
export class SigningKeys {
  readonly #store: Pick<Store, 'reader' | 'writer'>;
  readonly #clock: Clock;
  /** The newest first. */
  #keys: readonly Key[] = [];
  #loading: Promise<void> | undefined;
  #making: Promise<void> | undefined;

  constructor(store: Pick<Store, 'reader' | 'writer'>, clock: Clock) {
    this.#store = store;
    this.#clock = clock;
  }

  /** The public parts, for whoever checks tokens (JSON Web Key Set, RFC 7517). */
  async published(): Promise<readonly JWK[]> {
    await this.#loaded();
    return this.#known().map(({ id, jwk }) => ({ ...publicPart(jwk), kid: id, use: 'sig', alg: algorithm }));
  }

  /** @returns the token, and when it is over, in milliseconds since 1970 */
  async sign({ signIn, player, device, audience }: AccessClaims): Promise<{ token: string; expiresAt: number }> {
    const key = await this.#signing();
    const now = this.#clock.now();
    const expiresAt = now + accessLasts;
    const token = await new SignJWT({ sid: signIn, dev: device })
      .setProtectedHeader({ alg: algorithm, kid: key.id, typ: 'at+jwt' })
      .setIssuer(issuer)
      .setSubject(player)
      .setAudience(audience)
      .setIssuedAt(Math.floor(now / 1000))
      .setExpirationTime(Math.floor(expiresAt / 1000))
      .sign(await importJWK(key.jwk, algorithm));
    return { token, expiresAt };
  }

  /** @returns what it says, and when it is over; undefined where it is none of ours, or over */
  async verify(token: string): Promise<(AccessClaims & { readonly expiresAt: number }) | undefined> {
    await this.#loaded();
    try {
      const { payload } = await jwtVerify(
        token,
        async ({ kid }) => {
          const key = this.#known().find(({ id }) => id === kid);
          if (key === undefined) throw new TypeError('This key is not known.');
          return importJWK(publicPart(key.jwk), algorithm);
        },
        { algorithms: [algorithm], issuer, typ: 'at+jwt', currentDate: new Date(this.#clock.now()) },
      );
      const { sid: signIn, sub: player, dev: device, aud: audience, exp } = payload;
      if (typeof signIn !== 'string' || typeof player !== 'string' || typeof device !== 'string') return undefined;
      if (typeof audience !== 'string' || exp === undefined) return undefined;
      return { signIn, player, device, audience, expiresAt: exp * 1000 };
    } catch {
      return undefined;
    }
  }

  #known(): readonly Key[] {
    return this.#keys.filter(({ createdAt }) => this.#clock.now() - createdAt < knownFor);
  }

  async #signing(): Promise<Key> {
    await this.#loaded();
    for (;;) {
      const [newest] = this.#keys;
      if (newest !== undefined && this.#clock.now() - newest.createdAt < signsFor) return newest;
      this.#making ??= this.#make().finally(() => (this.#making = undefined));
      await this.#making;
    }
  }

  async #make(): Promise<void> {
    const { privateKey } = await generateKeyPair(algorithm, { crv: 'Ed25519', extractable: true });
    const key = { id: newId('key'), jwk: await exportJWK(privateKey), createdAt: this.#clock.now() };
    const keepSince = key.createdAt - knownFor;
    await this.#store.writer.do('addSigningKey', { id: key.id, key: JSON.stringify(key.jwk), keepSince });
    this.#keys = [key, ...this.#keys];
  }

  #loaded(): Promise<void> {
    this.#loading ??= this.#load().catch((error: unknown) => {
      this.#loading = undefined;
      throw error;
    });
    return this.#loading;
  }

  async #load(): Promise<void> {
    const rows = await this.#store.reader.accounts.signingKeys();
    this.#keys = rows.map(({ id, key, created_at }) => ({ id, jwk: JSON.parse(key) as JWK, createdAt: created_at }));
  }
}

/** Of an Ed25519 key what everybody may know (RFC 8037, 2). */
function publicPart({ crv = 'Ed25519', x = '' }: JWK): JWK {
  return { kty: 'OKP', crv, x };
}
