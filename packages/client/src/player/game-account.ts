import type {
  AccountResponse,
  AccountSignInResponse,
  AccountTokens,
  BeginIdentityResponse,
  FinishIdentityResponse,
  ProvidersOffered,
} from '@vekkon/protocol';
import type { Sent } from '../transport/transport.js';
import type { Kept } from './kept.js';

/** What both hold, where a device's player and an account's player both have something. */
export type AccountChoice = NonNullable<AccountSignInResponse['choose']>;

export interface SignInOptions {
  /** Whose progress it is, where both have some: the account's, the device's, or both by the manifest's rules. */
  readonly choose?: 'account' | 'device' | 'both';
  /** What this device is called where the account is looked after. */
  readonly name?: string;
}

/** What an account asks of the player that it belongs to. */
interface AccountOwner {
  kept(): Kept;
  send<Answer>(sent: Sent): Promise<Answer>;
  /** Sends a call that makes the device another, while nothing else is sent. */
  change<Answer>(sent: Sent, take: (answer: Answer) => void): Promise<Answer>;
  leave(): Promise<unknown>;
  start(): Promise<void>;
}

/**
 * The player's account: how they are known on other devices too. Without one
 * they are who this device is.
 *
 * @example
 * await player.account.register('maren@highfell.example', password);
 */
export class GameAccount {
  readonly #owner: AccountOwner;

  /** @internal */
  constructor(owner: AccountOwner) {
    this.#owner = owner;
  }

  /** The address with which this device is signed in, empty where the account has none; undefined where it is not. */
  get email(): string | undefined {
    return this.#owner.kept().identity.account?.email;
  }

  /**
   * Makes an account of whoever plays here: they keep all they have.
   *
   * @throws ServiceRefused `password-refused`, `account-exists`
   */
  async register(email: string, password: string): Promise<void> {
    await this.#owner.change<AccountTokens>(post('', { email, password }), (tokens) =>
      this.#owner.kept().takeAccount(tokens, email),
    );
  }

  /**
   * Signs this device in, and plays on as the account's player. What waits is
   * saved before.
   *
   * @returns what both hold, where that must be chosen first: nothing was changed then, and the game plays on as before
   * @throws ServiceRefused `account-refused`, `account-disabled`; ServiceUnreachable
   */
  signIn(email: string, password: string, options: SignInOptions = {}): Promise<AccountChoice | undefined> {
    return this.#enter(post('/sign-in', { email, password, ...options }), email);
  }

  /** With which identity providers players may sign in here. */
  async providers(): Promise<ProvidersOffered['providers']> {
    return (await this.#owner.send<ProvidersOffered>(get('/providers'))).providers;
  }

  /**
   * Begins to sign in with an identity provider. What comes back is finished with `finishSignIn`.
   *
   * @param returnTo the page to which the browser comes back, with `vekkon-code` in its query; left out, the player is
   *   shown a code to type into the game
   * @returns the address to open in a browser
   * @throws ServiceRefused `identity-provider-unknown`, `identity-provider-fails`, `origin-not-allowed`
   */
  signInWith(provider: string, returnTo?: string): Promise<string> {
    return this.#begin(provider, 'sign-in', returnTo);
  }

  /** Begins to link the account to an identity provider, with which it can be signed in to then: as `signInWith`. */
  link(provider: string, returnTo?: string): Promise<string> {
    return this.#begin(provider, 'link', returnTo);
  }

  /**
   * Signs in, or links, with what the browser brought back or the player has typed in. Who is not known yet gets an
   * account, and keeps all they have.
   *
   * @returns as `signIn`: finish it again with what was chosen
   * @throws ServiceRefused `identity-code-wrong`, `link-over`, `identity-taken`, `account-exists`, `account-disabled`
   */
  finishSignIn(code: string, options: SignInOptions = {}): Promise<AccountChoice | undefined> {
    const { attempt = '' } = this.#owner.kept().identity;
    return this.#enter(post('/providers/finish', { attempt, code, ...options }));
  }

  /** Takes an identity provider off the account. @throws ServiceRefused `last-sign-in`, `identity-unknown` */
  unlink(provider: string): Promise<void> {
    return this.#owner.send({ ...get(`/identities/${provider}`), method: 'DELETE' });
  }

  async #begin(provider: string, purpose: 'sign-in' | 'link', returnTo?: string): Promise<string> {
    const { url, attempt } = await this.#owner.send<BeginIdentityResponse>(
      post(`/providers/${provider}/begin`, { purpose, returnTo }),
    );
    this.#owner.kept().setIdentity({ attempt });
    return url;
  }

  /** Leaves as who it was, and plays on as whoever the answer says. */
  async #enter(sent: Sent, email?: string): Promise<AccountChoice | undefined> {
    const owner = this.#owner;
    await owner.leave();
    const { choose } = await owner
      .change<AccountSignInResponse & Partial<FinishIdentityResponse>>(sent, ({ signedIn, email: told }) => {
        if (signedIn !== null) owner.kept().takeAccount(signedIn, email ?? told ?? '');
      })
      .catch(async (error: unknown) => {
        // What went wrong is told, not that nobody is signed in since.
        await owner.start().catch(() => undefined);
        throw error;
      });
    await owner.start();
    return choose ?? undefined;
  }

  /** Signs out here, or everywhere. The device plays on as who it was before, or as somebody new, once it is started. */
  async signOut({ everywhere = false } = {}): Promise<void> {
    await this.#owner.leave();
    await this.#owner.change(post('/sign-out', { everywhere }), () => this.#owner.kept().dropAccount());
  }

  /** Where the account is signed in, and whether its address is confirmed. */
  details(): Promise<AccountResponse> {
    return this.#owner.send(get(''));
  }

  /** Mails a link with which to set another password, if the address is known: nobody is told whether it is. */
  forgotPassword(email: string): Promise<void> {
    return this.#owner.send(post('/forgotten', { email }));
  }

  /** Other devices are signed out. @param password left out where the account has none: sign in anew just before */
  changePassword(password: string | undefined, newPassword: string): Promise<void> {
    return this.#owner.send(post('/password', { password, newPassword }));
  }

  /** Mails a link to another address, which is the account's once the link was opened. */
  changeEmail(password: string | undefined, email: string): Promise<void> {
    return this.#owner.send(post('/email', { password, email }));
  }

  /** Erases the account, and the player with all they have. */
  async delete(password?: string): Promise<void> {
    await this.#owner.leave();
    await this.#owner.change(post('/delete', { password }), () => this.#owner.kept().dropAccount());
  }
}

function post(end: string, body: object): Sent {
  return { method: 'POST', path: `/v1/account${end}`, body };
}

function get(end: string): Sent {
  return { method: 'GET', path: `/v1/account${end}` };
}
