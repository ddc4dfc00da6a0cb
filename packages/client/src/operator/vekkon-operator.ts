import type {
  CreateEnvironmentRequest,
  CreateEnvironmentResponse,
  CreateKeyResponse,
  KeyList,
  KeySummary,
  ManifestResponse,
  OperatorResponse,
  PlayerDetails,
  PlayerList,
  SessionDetails,
  SessionList,
  SignInResponse,
} from '@vekkon/protocol';
import { HttpTransport, type Transport } from '../transport/transport.js';

export interface VekkonOperatorOptions {
  readonly url: string;
  /** The token from signing in. */
  readonly token: string;
  /** Which environment the calls are about, as GAME/ENVIRONMENT; may be left out where there is only one. */
  readonly environment?: string | undefined;
}

/** What the people behind the game do: the command line and the console are made of it. */
export class VekkonOperator {
  readonly #transport: Transport;

  constructor({ url, token, environment }: VekkonOperatorOptions) {
    this.#transport = new HttpTransport(url, {
      Authorization: `Bearer ${token}`,
      ...(environment !== undefined && { 'Vekkon-Environment': environment }),
    });
  }

  static signIn(url: string, email: string, password: string): Promise<SignInResponse> {
    return new HttpTransport(url, {}).send({ method: 'POST', path: '/v1/sign-in', body: { email, password } });
  }

  /** Makes the first admin, with the link that the service's first start printed. */
  static becomeFirstAdmin(
    url: string,
    admin: { readonly invitation: string; readonly email: string; readonly name: string; readonly password: string },
  ): Promise<SignInResponse> {
    return new HttpTransport(url, {}).send({ method: 'POST', path: '/v1/operators/first', body: admin });
  }

  async signOut(): Promise<void> {
    await this.#transport.send({ method: 'POST', path: '/v1/sign-out' });
  }

  /** Who is signed in, and which environments there are. */
  self(): Promise<OperatorResponse> {
    return this.#get('/v1/operator');
  }

  /** Makes an environment, and its game if it is the first; the manifest is its file's text. */
  createEnvironment(environment: CreateEnvironmentRequest): Promise<CreateEnvironmentResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/environments', body: environment });
  }

  keys(): Promise<KeyList> {
    return this.#get('/v1/keys');
  }

  /** Makes a key; it is shown only now. */
  createKey(sort: KeySummary['sort']): Promise<CreateKeyResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/keys', body: { sort } });
  }

  /** A key is over from now on. @param id its first characters, as the list shows them */
  revokeKey(id: string): Promise<KeySummary> {
    return this.#transport.send({ method: 'DELETE', path: `/v1/keys/${encodeURIComponent(id)}` });
  }

  /** The installed manifest, its short forms written out. */
  manifest(): Promise<ManifestResponse> {
    return this.#get('/v1/manifest');
  }

  /** Players whose id or name holds `search`, those who joined last first. */
  players(
    query: { readonly search?: string; readonly count?: number; readonly after?: string } = {},
  ): Promise<PlayerList> {
    const parameters = new URLSearchParams();
    for (const [name, value] of Object.entries(query)) {
      if (value !== undefined && value !== '') parameters.set(name, String(value));
    }
    return this.#get(`/v1/players?${parameters}`);
  }

  player(id: string): Promise<PlayerDetails> {
    return this.#get(`/v1/players/${encodeURIComponent(id)}`);
  }

  /** A player's newest sessions. */
  sessionsOf(player: string, count = 20): Promise<SessionList> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/sessions?count=${count}`);
  }

  /** A session with what was loaded at join and what is stored since. */
  session(id: string): Promise<SessionDetails> {
    return this.#get(`/v1/sessions/${encodeURIComponent(id)}`);
  }

  #get<Answer>(path: string): Promise<Answer> {
    return this.#transport.send({ method: 'GET', path });
  }
}
