import { Refusal, type AccountTokens } from '@vekkon/protocol';
import { rfc3339, type AccountRow, type Clock, type EnvironmentRow, type Store } from '@vekkon/store';
import { hashToken, newToken } from '../tokens.js';
import type { IdentityProviders } from './identity-providers.js';
import type { Mailer } from './mailer.js';
import { Passwords } from './passwords.js';
import type { SigningKeys } from './signing-keys.js';

const day = 24 * 60 * 60_000;
/** How long a refresh token and the links that are mailed hold, in milliseconds. */
const lasts = { refresh: 60 * day, confirm: 7 * day, reset: 60 * 60_000 } as const;

/** Where links that are mailed lead. */
const pages = { confirm: '/account/confirm', reset: '/account/reset' } as const;

/** What routes about accounts share: tokens, links and what is mailed. */
export class Accounts {
  readonly passwords = new Passwords();
  readonly keys: SigningKeys;
  readonly mailer: Mailer;
  readonly providers: IdentityProviders;
  readonly #clock: Clock;
  readonly #store: Store;
  readonly #url: () => string;

  /** @param url where the service is met from outside; never what a request says of it */
  constructor(
    store: Store,
    clock: Clock,
    {
      keys,
      mailer,
      providers,
    }: { readonly keys: SigningKeys; readonly mailer: Mailer; readonly providers: IdentityProviders },
    url: () => string,
  ) {
    this.#store = store;
    this.#clock = clock;
    this.keys = keys;
    this.mailer = mailer;
    this.providers = providers;
    this.#url = url;
  }

  /** Where the service is met from outside. */
  get url(): string {
    return this.#url();
  }

  /** A sign-in that is about to begin, and what only its device gets to know. */
  begin(address: string) {
    const refreshToken = newToken('refresh');
    const id = newToken('signIn');
    const expiresAt = this.#clock.now() + lasts.refresh;
    return { refreshToken, signIn: { id, refreshHash: hashToken(refreshToken), expiresAt, address } };
  }

  /** When a refresh token that is given now is over. */
  get refreshEnds(): number {
    return this.#clock.now() + lasts.refresh;
  }

  async tokens(
    place: EnvironmentRow,
    { signIn, player, device }: { readonly signIn: string; readonly player: string; readonly device: string },
    refreshToken: string,
  ): Promise<AccountTokens> {
    const { token, expiresAt } = await this.keys.sign({ signIn, player, device, audience: nameOf(place) });
    const now = rfc3339(this.#clock.now());
    return { now, player, device, accessToken: token, expiresAt: rfc3339(expiresAt), refreshToken };
  }

  /** A link that is about to be mailed, and the mail. */
  link(sort: 'confirm' | 'reset', email: string) {
    const token = newToken('link');
    const expiresAt = this.#clock.now() + lasts[sort];
    // Behind "#", so that the token is in no server's log.
    return { url: `${this.#url()}${pages[sort]}#${token}`, link: { hash: hashToken(token), sort, email, expiresAt } };
  }

  mailConfirm(place: EnvironmentRow, to: string, url: string): void {
    this.#mail(place, to, 'Confirm your address', [
      `This address was given for an account of ${place.game}. If that was you, open this link within a week:`,
      url,
      'If it was not you, nothing needs to be done.',
    ]);
  }

  /** Somebody claims an address that is another account's. */
  mailTaken(place: EnvironmentRow, to: string): void {
    this.#mail(place, to, 'You have an account already', [
      `This address was given for a new account of ${place.game}, and it is that of your account already.`,
      'If that was you, sign in with it, or ask for another password. If it was not you, nothing needs to be done.',
    ]);
  }

  mailChanged(place: EnvironmentRow, to: string): void {
    this.#mail(place, to, 'Your password was changed', [
      `The password of your account of ${place.game} is another now, and other devices were signed out.`,
      'If that was not you, ask for another password at once.',
    ]);
  }

  /** Mails a link with which to set another password. */
  async sendReset(place: EnvironmentRow, account: Pick<AccountRow, 'number' | 'email'>): Promise<void> {
    const { email } = account;
    if (email === null)
      throw new Refusal('account-unknown', 'This account has no address to which a link could be mailed.');
    const { url, link } = this.link('reset', email);
    await this.#store.writer.do('addAccountLink', { account: account.number, link });
    this.#mail(place, email, 'Set another password', [
      `With this link you set another password for your account of ${place.game}, within an hour:`,
      url,
      'If you have not asked for it, nothing needs to be done: your password stays as it is.',
    ]);
  }

  #mail(place: EnvironmentRow, to: string, subject: string, paragraphs: readonly string[]): void {
    this.mailer.send({ environment: nameOf(place), to, subject, text: `${paragraphs.join('\n\n')}\n` });
  }
}

export function nameOf({ game, name }: EnvironmentRow): string {
  return `${game}/${name}`;
}
