import { Refusal } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import { addressOf, pass } from './call-limits.js';

const window = 15 * 60_000;
/** Wrong tries in a quarter of an hour: on one account from one address, on one account, and from one address. */
const ofBoth = 10;
const ofAccount = 50;
const ofAddress = 100;
/** How many accounts' usual addresses are remembered. */
const mostRemembered = 10_000;

type SigningIn = Request & { account?: string };

/**
 * Passwords can't be guessed by trying many, from one address or from a
 * thousand; and whoever tries shuts nobody else out. Only wrong tries count,
 * and where an account was signed in to before, from there it still is.
 */
export class SignInLimits {
  readonly #usual = new Map<string, true>();
  readonly #limits: readonly RequestHandler[];

  constructor() {
    const isUsual = (request: Request) => this.#usual.has(placeOf(request));
    this.#limits = [
      wrongTries('account-and-address', ofBoth, placeOf),
      wrongTries('account', ofAccount, (request) => request.account ?? '', isUsual),
      wrongTries('address', ofAddress, addressOf, isUsual),
    ];
  }

  /** @throws Refusal `too-many-requests`, without a word on whether the account is known */
  async enter(request: Request, response: Response, account: string): Promise<void> {
    (request as SigningIn).account = account.toLowerCase();
    for (const limit of this.#limits) await pass(limit, request, response);
  }

  /** The password was right. */
  remember(request: Request): void {
    this.#usual.set(placeOf(request), true);
    for (const [oldest] of this.#usual) {
      if (this.#usual.size <= mostRemembered) break;
      this.#usual.delete(oldest);
    }
  }
}

function placeOf(request: SigningIn): string {
  return `${request.account} ${addressOf(request)}`;
}

function wrongTries(
  name: string,
  limit: number,
  keyGenerator: (request: SigningIn) => string,
  skip: (request: Request) => boolean = () => false,
): RequestHandler {
  return rateLimit({
    identifier: name,
    windowMs: window,
    limit,
    keyGenerator,
    skip,
    skipSuccessfulRequests: true,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (request, _response, next) => {
      const { resetTime } = (request as Request & { rateLimit?: { resetTime?: Date } }).rateLimit ?? {};
      const retryAfter = Math.max(1, Math.ceil(((resetTime?.getTime() ?? 0) - Date.now()) / 1000));
      const detail = `There were too many wrong tries, ${wordsOf[name]}: wait ${Math.ceil(retryAfter / 60)} minutes.`;
      next(new Refusal('too-many-requests', detail, { retryAfter }));
    },
  });
}

const wordsOf: { readonly [name: string]: string } = {
  'account-and-address': 'on this account from this address',
  account: 'on this account',
  address: 'from this address',
};
