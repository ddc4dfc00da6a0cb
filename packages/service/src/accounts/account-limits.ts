import { Refusal } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import { addressOf, pass } from '../call-limits.js';

const hour = 60 * 60_000;
/** In an hour: mails to one address, and those that are asked for from one; sign-ins to one account. */
const [toOne, fromOne, toAccount] = [5, 300, 60];

type Mailing = Request & { mailedTo?: string; signedInTo?: string };

const mailWords = (limit: number) => `There were ${limit} mails within an hour: look into your letter box, or wait.`;
const signInWords = (limit: number) => `There were ${limit} sign-ins within an hour: stay signed in, or wait.`;

/**
 * Nobody's letter box is filled, and nobody fills many; nobody signs in on and
 * on. What is counted is what was asked for, whoever is known.
 */
export class AccountLimits {
  readonly #limits: readonly RequestHandler[] = [
    inAnHour('mails-to', toOne, ({ mailedTo }) => mailedTo ?? ''),
    inAnHour('mails-from', fromOne, addressOf),
  ];

  readonly #signIns = inAnHour('sign-ins-to', toAccount, ({ signedInTo }) => signedInTo ?? '', signInWords);

  /** Somebody has shown the password of an account. @throws Refusal `too-many-requests` */
  async signIn(request: Request, response: Response, account: number): Promise<void> {
    (request as Mailing).signedInTo = String(account);
    await pass(this.#signIns, request, response);
  }

  /** @throws Refusal `too-many-requests` */
  async mail(request: Request, response: Response, to: string): Promise<void> {
    (request as Mailing).mailedTo = to.toLowerCase();
    for (const limit of this.#limits) await pass(limit, request, response);
  }
}

function inAnHour(
  identifier: string,
  limit: number,
  keyGenerator: (request: Mailing) => string,
  words = mailWords,
): RequestHandler {
  return rateLimit({
    identifier,
    windowMs: hour,
    limit,
    keyGenerator,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (_request, _response, next) => {
      next(new Refusal('too-many-requests', words(limit), { retryAfter: hour / 1000 }));
    },
  });
}
