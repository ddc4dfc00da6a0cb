import { Refusal } from '@vekkon/protocol';
import { parse } from 'cookie';
import type { Request, Response } from 'express';

const name = 'vekkon-console';
/** A header that only the console's own pages send: no other page can, unasked (WHATWG Fetch, CORS). */
const own = 'Vekkon-Console';

/** Keeps an operator's token where no script can read it, and no other site can send it. */
export function keepInCookie(request: Request, response: Response, token: string, expiresAt: number): void {
  // Nobody is signed in as somebody else by a page from elsewhere.
  if (!isFromOwnPage(request)) throw new Refusal('origin-not-allowed', 'Sign in on the page of the console itself.');
  const options = { httpOnly: true, sameSite: 'strict', secure: request.secure, path: '/' } as const;
  response.cookie(name, token, { ...options, expires: new Date(expiresAt) });
}

export function forgetCookie(request: Request, response: Response): void {
  if (tokenInCookie(request) !== undefined) response.clearCookie(name, { path: '/' });
}

/**
 * The token of the console's cookie. Only what the console itself sends is
 * taken: with its header, and from its own origin.
 */
export function tokenInCookie(request: Request): string | undefined {
  const { cookie } = request.headers;
  if (cookie === undefined || request.get(own) === undefined) return undefined;
  return isFromOwnPage(request) ? parse(cookie)[name] : undefined;
}

/** Was it sent by a page of the service itself, or by no page at all? */
function isFromOwnPage(request: Request): boolean {
  const origin = request.get('Origin');
  const isOwn = origin === undefined || (URL.canParse(origin) && new URL(origin).host === request.host);
  return isOwn && (request.get('Sec-Fetch-Site') ?? 'same-origin') === 'same-origin';
}
