import { Refusal } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import { addressOf, pass } from '../call-limits.js';

const hour = 60 * 60_000;
/** Mails in an hour: to one address, and asked for from one. */
const [toOne, fromOne] = [5, 60];

type Mailing = Request & { mailedTo?: string };

/** Nobody's letter box is filled, and nobody fills many. What is counted is what was asked for, whoever is known. */
export class MailLimits {
  readonly #limits: readonly RequestHandler[] = [
    inAnHour('mails-to', toOne, ({ mailedTo }) => mailedTo ?? ''),
    inAnHour('mails-from', fromOne, addressOf),
  ];

  /** @throws Refusal `too-many-requests` */
  async enter(request: Request, response: Response, to: string): Promise<void> {
    (request as Mailing).mailedTo = to.toLowerCase();
    for (const limit of this.#limits) await pass(limit, request, response);
  }
}

function inAnHour(identifier: string, limit: number, keyGenerator: (request: Mailing) => string): RequestHandler {
  return rateLimit({
    identifier,
    windowMs: hour,
    limit,
    keyGenerator,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (_request, _response, next) => {
      const detail = `There were ${limit} mails within an hour: look into your letter box, or wait.`;
      next(new Refusal('too-many-requests', detail, { retryAfter: hour / 1000 }));
    },
  });
}
