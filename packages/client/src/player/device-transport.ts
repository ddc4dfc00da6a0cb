import type { DeviceResponse } from '@vekkon/protocol';
import { ServiceRefused } from '../errors.js';
import type { Sent, Transport } from '../transport/transport.js';

/** What the transport knows of the device, and where it is kept. */
export interface DeviceTokens {
  readonly secret: string;
  token(): string | undefined;
  /** The token that is kept by now: another tab may have renewed it. */
  tokenKeptNow(): string | undefined;
  take(device: DeviceResponse): void;
}

/** Sends as a device: with its token, and where that is over, with another that it asks for first. */
export class DeviceTransport implements Transport {
  readonly #inner: Transport;
  readonly #deviceKey: string;
  readonly #tokens: DeviceTokens;
  #asking: Promise<string> | undefined;

  constructor(inner: Transport, deviceKey: string, tokens: DeviceTokens) {
    this.#inner = inner;
    this.#deviceKey = deviceKey;
    this.#tokens = tokens;
  }

  async send<Answer>(sent: Sent): Promise<Answer> {
    const token = this.#tokens.token() ?? (await this.#askForToken());
    try {
      return await this.#sendAs(token, sent);
    } catch (error) {
      if (!(error instanceof ServiceRefused) || error.status !== 401) throw error;
      const other = this.#tokens.tokenKeptNow();
      return this.#sendAs(other === undefined || other === token ? await this.#askForToken() : other, sent);
    }
  }

  #sendAs<Answer>(token: string, sent: Sent): Promise<Answer> {
    return this.#inner.send({ ...sent, headers: { ...sent.headers, Authorization: `Bearer ${token}` } });
  }

  /** The same player for the same secret, however often it is asked. */
  #askForToken(): Promise<string> {
    this.#asking ??= this.#inner
      .send<DeviceResponse>({
        method: 'POST',
        path: '/v1/devices',
        headers: { Authorization: `Bearer ${this.#deviceKey}` },
        body: { secret: this.#tokens.secret },
      })
      .then((device) => {
        this.#tokens.take(device);
        return device.token;
      })
      .finally(() => (this.#asking = undefined));
    return this.#asking;
  }
}
