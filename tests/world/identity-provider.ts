import { createHash, randomUUID } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT, type CryptoKey, type JWTPayload } from 'jose';

/** Somebody whom the stand-in lets in. */
export interface KnownPerson {
  readonly sub: string;
  readonly email?: string;
  readonly email_verified?: boolean;
}

/** What the stand-in does wrong, for the tests of those who must not believe it. */
export interface Lies {
  /** In place of what the ID token would say. */
  readonly claims?: JWTPayload;
  /** Signed by nobody (RFC 7519, 6), or with a key that it does not publish. */
  readonly signs?: 'not' | 'with another key';
  readonly says?: 'no';
}

interface SigningPair {
  readonly privateKey: CryptoKey;
  readonly publicKey: CryptoKey;
}

interface Given {
  readonly client: string;
  readonly nonce: string;
  readonly challenge: string;
  readonly returnTo: string;
  readonly person: KnownPerson;
}

/** A small identity provider on this machine (OpenID Connect Core 1.0, authorization code flow with PKCE). */
export class IdentityProviderStandIn {
  readonly #server: Server;
  readonly #codes = new Map<string, Given>();
  readonly #secret: string | undefined;
  readonly #keys: SigningPair;
  /** Who is let in next: nobody is asked for a password here. */
  person: KnownPerson = { sub: 'maren', email: 'maren@highfell.example', email_verified: true };
  lies: Lies = {};
  /** What stands behind its address in its issuer. */
  path = '';
  /** How often codes were turned into tokens. */
  exchanged = 0;

  private constructor(server: Server, keys: SigningPair, secret: string | undefined) {
    this.#server = server;
    this.#keys = keys;
    this.#secret = secret;
    server.on('request', (request, response) => {
      this.#answer(request, response).catch((error: unknown) => {
        response.writeHead(500).end(String(error));
      });
    });
  }

  /** @param secret what clients must show; PKCE alone if left out */
  static async start({ secret }: { readonly secret?: string } = {}): Promise<IdentityProviderStandIn> {
    const keys = await generateKeyPair('RS256');
    const server = createServer();
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return new IdentityProviderStandIn(server, keys, secret);
  }

  get issuer(): string {
    return `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}${this.path}`;
  }

  async close(): Promise<void> {
    this.#server.closeAllConnections();
    await new Promise((resolve) => this.#server.close(resolve));
  }

  async #answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const url = new URL(request.url ?? '/', this.issuer);
    const json = (body: object, status = 200) =>
      response.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(body));
    const base = this.path.replace(/\/$/, '');
    const at = `http://${url.host}${base}`;
    switch (url.pathname.slice(base.length)) {
      case '/.well-known/openid-configuration':
        return void json({
          issuer: this.issuer,
          authorization_endpoint: `${at}/authorize`,
          token_endpoint: `${at}/token`,
          jwks_uri: `${at}/keys`,
          response_types_supported: ['code'],
          subject_types_supported: ['public'],
          id_token_signing_alg_values_supported: ['RS256'],
          code_challenge_methods_supported: ['S256'],
        });
      case '/keys':
        return void json({
          keys: [{ ...(await exportJWK(this.#keys.publicKey)), kid: 'one', use: 'sig', alg: 'RS256' }],
        });
      case '/authorize':
        return void response.writeHead(302, { Location: this.#letIn(url.searchParams) }).end();
      case '/token': {
        const chunks: Buffer[] = [];
        for await (const chunk of request) chunks.push(chunk as Buffer);
        const { status, body } = await this.#tokens(new URLSearchParams(Buffer.concat(chunks).toString()), request);
        return void json(body, status);
      }
      default:
        response.writeHead(404).end();
    }
  }

  /** @returns where the browser goes back to */
  #letIn(asked: URLSearchParams): string {
    const back = new URL(asked.get('redirect_uri') ?? '');
    back.searchParams.set('state', asked.get('state') ?? '');
    if (this.lies.says === 'no') back.searchParams.set('error', 'access_denied');
    else {
      const code = randomUUID();
      this.#codes.set(code, {
        client: asked.get('client_id') ?? '',
        nonce: asked.get('nonce') ?? '',
        challenge: asked.get('code_challenge') ?? '',
        returnTo: asked.get('redirect_uri') ?? '',
        person: this.person,
      });
      back.searchParams.set('code', code);
    }
    return back.href;
  }

  async #tokens(asked: URLSearchParams, request: IncomingMessage): Promise<{ status: number; body: object }> {
    const refused = { status: 400, body: { error: 'invalid_grant' } };
    const code = asked.get('code') ?? '';
    const given = this.#codes.get(code);
    this.#codes.delete(code);
    if (given === undefined) return refused;
    const { client, challenge, nonce, returnTo, person } = given;
    const shown = createHash('sha256')
      .update(asked.get('code_verifier') ?? '')
      .digest('base64url');
    if (shown !== challenge || asked.get('redirect_uri') !== returnTo) return refused;
    // Both are form-encoded first (RFC 6749, 2.3.1).
    const encoded = [client, this.#secret ?? ''].map((text) => new URLSearchParams({ '': text }).toString().slice(1));
    const basic = `Basic ${Buffer.from(encoded.join(':')).toString('base64')}`;
    if (this.#secret !== undefined && request.headers.authorization !== basic) {
      return { status: 401, body: { error: 'invalid_client' } };
    }
    this.exchanged++;
    const now = Math.floor(Date.now() / 1000);
    const claims = { iss: this.issuer, aud: client, nonce, iat: now, exp: now + 300, ...person, ...this.lies.claims };
    return {
      status: 200,
      body: { access_token: randomUUID(), token_type: 'Bearer', expires_in: 300, id_token: await this.#signed(claims) },
    };
  }

  async #signed(claims: JWTPayload): Promise<string> {
    if (this.lies.signs === 'not') return new UnsecuredJWT(claims).encode();
    const key = this.lies.signs === undefined ? this.#keys.privateKey : (await generateKeyPair('RS256')).privateKey;
    return new SignJWT(claims).setProtectedHeader({ alg: 'RS256', kid: 'one' }).sign(key);
  }
}
