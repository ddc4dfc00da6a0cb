import type { AccountTokens, DeviceResponse } from '@vekkon/protocol';
import { ServiceRefused } from '../errors.js';
import type { Sent, Transport } from '../transport/transport.js';
import type { KeptAccount } from './kept-state.js';

/** What the transport knows of the device, and where it is kept. */
export interface DeviceTokens {
  readonly secret: string;
  token(): string | undefined;
  /** The token that is kept by now: another tab may have renewed it. */
  tokenKeptNow(): string | undefined;
  account(): KeptAccount | undefined;
  /** What other tabs have kept meanwhile. */
  readAgain(): void;
  take(device: DeviceResponse): void;
  takeAccount(tokens: AccountTokens): void;
}

/** Milliseconds before its end at which an access token is renewed. */
const renewedBefore = 60_000;

/** Sends as a device: with its token, and where that is over, with another that it asks for first. */
export class DeviceTransport implements Transport {
  readonly #inner: Transport;
  readonly #deviceKey: string;
  readonly #tokensHere: () => DeviceTokens;
  #asking: Promise<string> | undefined;

  /** @param tokens throws where the device does not know yet who it is */
  constructor(inner: Transport, deviceKey: string, tokens: () => DeviceTokens) {
    this.#inner = inner;
    this.#deviceKey = deviceKey;
    this.#tokensHere = tokens;
  }

  get #tokens(): DeviceTokens {
    return this.#tokensHere();
  }

  async send<Answer>(sent: Sent): Promise<Answer> {
    const token = this.#isStale() ? await this.#askForToken() : (this.#tokens.token() ?? (await this.#askForToken()));
    try {
      return await this.#sendAs(token, sent);
    } catch (error) {
      if (!(error instanceof ServiceRefused) || error.status !== 401 || isOfAccount(error)) throw error;
      const other = this.#tokens.tokenKeptNow();
      return this.#sendAs(other === undefined || other === token ? await this.#askForToken() : other, sent);
    }
  }

  /** Sends a call whose answer makes the device another: whoever needs a token meanwhile waits for it. */
  async change<Answer>(sent: Sent, take: (answer: Answer) => void): Promise<Answer> {
    const tokens = this.#tokens;
    const sending = this.#sendOrAsNew<Answer>(sent).then((answer) => {
      take(answer);
      return answer;
    });
    this.#asking ??= sending
      .then(() => undefined)
      .catch(() => undefined)
      .then(() => {
        this.#asking = undefined;
        return tokens.token() ?? this.#askForToken();
      });
    return sending;
  }

  /** Where the sign-in is over, as who the device is by its own secret. Nobody else asks for a token meanwhile. */
  async #sendOrAsNew<Answer>(sent: Sent): Promise<Answer> {
    const token = this.#tokens.token();
    try {
      if (token !== undefined && !this.#isStale()) return await this.#sendAs<Answer>(token, sent);
    } catch (error) {
      if (!(error instanceof ServiceRefused) || error.status !== 401 || isOfAccount(error)) throw error;
    }
    const another = await this.#askInTurn().catch((error: unknown) => {
      if (!(error instanceof ServiceRefused) || !isOfAccount(error)) throw error;
      return this.#askAsNew().then((device) => device.token);
    });
    return this.#sendAs(another, sent);
  }

  #askAsNew(): Promise<DeviceResponse> {
    return this.#ask<DeviceResponse>('/v1/devices', { secret: this.#tokens.secret });
  }

  #isStale(): boolean {
    const account = this.#tokens.account();
    return account !== undefined && account.until - renewedBefore < Date.now();
  }

  #sendAs<Answer>(token: string, sent: Sent): Promise<Answer> {
    return this.#inner.send({ ...sent, headers: { ...sent.headers, Authorization: `Bearer ${token}` } });
  }

  #askForToken(): Promise<string> {
    this.#asking ??= inTurn(() => this.#askInTurn()).finally(() => (this.#asking = undefined));
    return this.#asking;
  }

  /** The same player for the same secret, however often it is asked; signed in, by the refresh token, which is good once. */
  async #askInTurn(): Promise<string> {
    const before = this.#tokens.account();
    if (before === undefined) {
      const device = await this.#askAsNew();
      this.#tokens.take(device);
      return device.token;
    }
    // Another tab may have used it.
    this.#tokens.readAgain();
    const { refreshToken } = this.#tokens.account() ?? before;
    const token = this.#tokens.token();
    if (refreshToken !== before.refreshToken && token !== undefined && !this.#isStale()) return token;
    const tokens = await this.#ask<AccountTokens>('/v1/account/refresh', { refreshToken });
    this.#tokens.takeAccount(tokens);
    return tokens.accessToken;
  }

  #ask<Answer>(path: string, body: object): Promise<Answer> {
    return this.#inner.send<Answer>({
      method: 'POST',
      path,
      headers: { Authorization: `Bearer ${this.#deviceKey}` },
      body,
    });
  }
}

/** What is refused of an account: another token would not help. */
function isOfAccount({ code }: ServiceRefused): boolean {
  return code === 'account-refused' || code === 'sign-in-over';
}

/** One tab after the other, where the browser knows locks (W3C Web Locks). */
function inTurn<Answer>(work: () => Promise<Answer>): Promise<Answer> {
  const locks = typeof navigator === 'undefined' ? undefined : navigator.locks;
  return locks === undefined ? work() : (locks.request('vekkon/token', work) as Promise<Answer>);
}
