import type { EnvironmentRow } from '@vekkon/store';
import type { Request, Response } from 'express';
import { addressOf, counter } from './counted.js';
import type { Limits } from './limits.js';

const minute = 60_000;
const hour = 60 * minute;

/**
 * Nobody's letter box is filled, and nobody fills many; nobody signs in on and
 * on, or makes accounts by the thousand. What is counted is what was asked
 * for, whoever is known.
 */
export class AccountLimits {
  readonly #newAccounts;
  readonly #newAccountsOfKey;
  readonly #signInsOfAccount;
  readonly #signInsOfKey;
  readonly #mailsTo;
  readonly #mailsFrom;

  constructor(limits: Limits) {
    this.#newAccounts = counter(limits, 'newAccounts', hour);
    this.#newAccountsOfKey = counter(limits, 'newAccountsOfKey', hour);
    this.#signInsOfAccount = counter(limits, 'signInsOfAccount', hour);
    this.#signInsOfKey = counter(limits, 'signInsOfKey', minute);
    this.#mailsTo = counter(limits, 'mailsTo', hour);
    this.#mailsFrom = counter(limits, 'mailsFrom', hour);
  }

  /**
   * An account is about to be made.
   *
   * @param key what the device key is known by with which the device came
   * @throws Refusal `too-many-requests`
   */
  async make(
    request: Request,
    response: Response,
    { number: environment }: EnvironmentRow,
    key: string,
  ): Promise<void> {
    await this.#newAccounts(request, response, { environment, who: addressOf(request) });
    await this.#newAccountsOfKey(request, response, { environment, who: key });
  }

  /** Somebody tries to sign in. @throws Refusal `too-many-requests` */
  async trySignIn(
    request: Request,
    response: Response,
    { number: environment }: EnvironmentRow,
    key: string,
  ): Promise<void> {
    await this.#signInsOfKey(request, response, { environment, who: key });
  }

  /** Somebody has shown the password of an account. @throws Refusal `too-many-requests` */
  async signIn(
    request: Request,
    response: Response,
    { number: environment }: EnvironmentRow,
    account: string,
  ): Promise<void> {
    await this.#signInsOfAccount(request, response, { environment, who: account });
  }

  /** @throws Refusal `too-many-requests` */
  async mail(request: Request, response: Response, { number: environment }: EnvironmentRow, to: string): Promise<void> {
    await this.#mailsTo(request, response, { environment, who: to.toLowerCase() });
    await this.#mailsFrom(request, response, { environment, who: addressOf(request) });
  }
}
