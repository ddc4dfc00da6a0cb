import type { IncomingMessage } from 'node:http';
import { limitCatalogue, Refusal, type LimitName } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import type { Limits } from './limits.js';

/** Who is counted, and where. */
export interface Counted {
  readonly environment?: number | undefined;
  /** As people know them. */
  readonly who: string;
}

type CountedRequest = Request & { counted?: Counted };

/** Counts what somebody does in a while. */
export type Counter = (request: Request, response: Response, counted: Counted) => Promise<void>;

/**
 * A limit that is counted in a window of time, by environment and by who it is.
 *
 * @param windowMs in milliseconds
 * @returns refuses with `too-many-requests`, and with how long to wait
 */
export function counter(limits: Limits, name: LimitName, windowMs: number): Counter {
  const handler = windowed(headerName(name), windowMs, {
    numberOf: ({ environment }) => limits.of(environment)[name],
    refused: ({ environment, who }) => limits.ranInto.note(environment, name, who),
    detailOf: (number) => `${limitCatalogue[name].words}: ${number} at the most here.`,
  });
  return async (request, response, counted) => {
    (request as CountedRequest).counted = counted;
    await pass(handler, request, response);
  };
}

/** As `RateLimit` names it: `deviceCalls` is `device`, `newDevices` is `new-devices`. */
function headerName(name: LimitName): string {
  return name.replace(/Calls$/, '').replaceAll(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`);
}

interface Window {
  /** Who is counted, where nobody says it with the call. */
  whoOf?(request: Request): string;
  numberOf(counted: Counted): number;
  refused(counted: Counted): void;
  detailOf(number: number): string;
}

/** The middleware that counts. */
export function windowed(
  identifier: string,
  windowMs: number,
  { numberOf, whoOf, refused, detailOf }: Window,
): RequestHandler {
  const countedIn = (request: Request): Counted =>
    whoOf === undefined ? ((request as CountedRequest).counted ?? { who: '' }) : { who: whoOf(request) };
  return rateLimit({
    identifier,
    windowMs,
    limit: (request) => numberOf(countedIn(request)),
    // Without a bound nothing is counted.
    skip: (request) => numberOf(countedIn(request)) === 0,
    keyGenerator: (request) => {
      const { environment, who } = countedIn(request);
      return `${environment ?? ''} ${who}`;
    },
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (request, _response, next) => {
      const counted = countedIn(request);
      refused(counted);
      const { resetTime } = (request as Request & { rateLimit?: { resetTime?: Date } }).rateLimit ?? {};
      const retryAfter = Math.max(1, Math.ceil(((resetTime?.getTime() ?? 0) - Date.now()) / 1000));
      next(new Refusal('too-many-requests', detailOf(numberOf(counted)), { retryAfter }));
    },
  });
}

/** Where a call comes from; of IPv6 the network, since one household has many addresses. */
export function addressOf(request: IncomingMessage & { readonly ip?: string | undefined }): string {
  return ipKeyGenerator(request.ip ?? '');
}

/** Runs a middleware by itself. */
export function pass(handler: RequestHandler, request: Request, response: Response): Promise<void> {
  return new Promise((resolve, reject) => {
    void handler(request, response, (error?: unknown) => (error === undefined ? resolve() : reject(error as Error)));
  });
}
