import type {
  IdentityProvider,
  IdentityProviderList,
  IdentityProviderRequest,
  LimitsRequest,
  LimitsResponse,
} from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';

/** The identity providers with which players of an environment may sign in. */
export class OperatorIdentities {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  list(): Promise<IdentityProviderList> {
    return this.#transport.send({ method: 'GET', path: '/v1/identity-providers' });
  }

  /** Players may sign in with it, or something about it is another. @throws ServiceRefused `identity-provider-fails` */
  set(name: string, provider: IdentityProviderRequest): Promise<IdentityProvider> {
    return this.#transport.send({ method: 'PUT', path: pathOf(name), body: provider });
  }

  /** Nobody signs in with it any more; who was known by it is again once it is back. */
  async remove(name: string): Promise<void> {
    await this.#transport.send({ method: 'DELETE', path: pathOf(name) });
  }
}

/** How much one caller may ask for in an environment, and who has asked for more. */
export class OperatorLimits {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  read(): Promise<LimitsResponse> {
    return this.#transport.send({ method: 'GET', path: '/v1/environment/limits' });
  }

  /** @param limits those that are not as usual, all of them; 0 sets no bound */
  set(limits: LimitsRequest['limits']): Promise<LimitsResponse> {
    return this.#transport.send({ method: 'PUT', path: '/v1/environment/limits', body: { limits } });
  }
}

function pathOf(name: string): string {
  return `/v1/identity-providers/${encodeURIComponent(name)}`;
}
