import type { AccountResponse, AccountSignInResponse, AccountTokens } from '@vekkon/protocol';
import type { Sent } from '../transport/transport.js';
import type { Kept } from './kept.js';

/** What both hold, where a device's player and an account's player both have something. */
export type AccountChoice = NonNullable<AccountSignInResponse['choose']>;

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

  /** The address with which this device is signed in; undefined where it is not. */
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
   * @param choose whose progress it is, where both have some: the account's, the device's, or both by the manifest's rules
   * @returns what both hold, where that must be chosen first: nothing was changed then, and the game plays on as before
   * @throws ServiceRefused `account-refused`, `account-disabled`; ServiceUnreachable
   */
  async signIn(
    email: string,
    password: string,
    { choose, name }: { readonly choose?: 'account' | 'device' | 'both'; readonly name?: string } = {},
  ): Promise<AccountChoice | undefined> {
    const owner = this.#owner;
    await owner.leave();
    let chosen: AccountChoice | undefined;
    try {
      // What is undefined is not sent.
      const sent = post('/sign-in', { email, password, choose, name });
      const answer = await owner.change<AccountSignInResponse>(sent, ({ signedIn }) => {
        if (signedIn !== null) owner.kept().takeAccount(signedIn, email);
      });
      chosen = answer.choose ?? undefined;
    } catch (error) {
      // What went wrong is told, not that nobody is signed in since.
      await owner.start().catch(() => undefined);
      throw error;
    }
    await owner.start();
    return chosen;
  }

  /** Signs out here, or everywhere. The device plays on as who it was before, or as somebody new, once it is started. */
  async signOut({ everywhere = false } = {}): Promise<void> {
    await this.#owner.leave();
    await this.#owner.change(post('/sign-out', { everywhere }), () => this.#owner.kept().dropAccount());
  }

  /** Where the account is signed in, and whether its address is confirmed. */
  details(): Promise<AccountResponse> {
    return this.#owner.send({ method: 'GET', path: '/v1/account' });
  }

  /** Mails a link with which to set another password, if the address is known: nobody is told whether it is. */
  async forgotPassword(email: string): Promise<void> {
    await this.#owner.send(post('/forgotten', { email }));
  }

  /** Other devices are signed out. */
  async changePassword(password: string, newPassword: string): Promise<void> {
    await this.#owner.send(post('/password', { password, newPassword }));
  }

  /** Mails a link to another address, which is the account's once the link was opened. */
  async changeEmail(password: string, email: string): Promise<void> {
    await this.#owner.send(post('/email', { password, email }));
  }

  /** Erases the account, and the player with all they have. */
  async delete(password: string): Promise<void> {
    await this.#owner.leave();
    await this.#owner.change(post('/delete', { password }), () => this.#owner.kept().dropAccount());
  }
}

function post(end: string, body: object): Sent {
  return { method: 'POST', path: `/v1/account${end}`, body };
}
