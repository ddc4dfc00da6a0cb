import type { z } from 'zod';
import type { ProblemCode } from '../problems.js';
import type { Role, Scope } from '../roles-and-scopes.js';

/**
 * Who may call: a game server, a player's own device with its token, a game
 * on a device that has only its device key, an operator with at least this
 * role, or anybody.
 */
export type Caller = 'anybody' | 'host' | 'device' | 'device-key' | Role;

/** A header that a call takes. */
export interface Header {
  readonly name: string;
  readonly description: string;
  readonly isNeeded?: true;
}

/** The ETag of the record that was read: nothing else is replaced unseen. */
export const ifMatch: Header = {
  name: 'If-Match',
  description:
    'The ETag of the record that you read, such as "8", with its quotes: another revision is 412. Needed while the player is in a session.',
};
/** The ETag that is known already. */
export const ifNoneMatch: Header = {
  name: 'If-None-Match',
  description: 'The ETag that you have: the same is answered 304, without a body.',
};
/** The same for every try of one call. */
export const idempotencyKey: Header = {
  name: 'Idempotency-Key',
  description:
    'A token of your own, the same for every try of one call: it is applied once, and answered alike for 7 days.',
  isNeeded: true,
};

export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** As in OpenAPI: parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly callers: readonly Caller[];
  /** An environment, if left out; or the service as a whole, or whoever calls: roles for single environments count for nothing there. */
  readonly about?: 'service' | 'caller';
  readonly params?: { readonly [name: string]: z.ZodType };
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType;
  /** Headers that mean something here, beside those that every call may carry. */
  readonly headers?: readonly Header[];
  /** The body as the document shows it, where its parts are checked by themselves. */
  readonly documentedBody?: z.ZodType;
  readonly status: number;
  readonly response: z.ZodType;
  /** What the answer is, where it is not JSON. */
  readonly media?: 'text/event-stream' | 'application/x-ndjson';
  /** Problems of its own, beside those that every route may answer with. */
  readonly problems: readonly ProblemCode[];
}

/** Calls that only read, though they are sent with a body. */
const readingPosts: ReadonlySet<string> = new Set(['/v1/players/read', '/v1/manifest/diff', '/v1/manifest/check']);

/** Calls with which a device becomes known, stays known, or says good-bye: any device key will do. */
const ofBeingKnown: ReadonlySet<string> = new Set(['/v1/devices', '/v1/account/refresh', '/v1/account/sign-out']);

/** What a key must be good for to make a call; null where any will do. */
export function scopeOf({ method, path }: Pick<Route, 'method' | 'path'>): Scope | null {
  if (ofBeingKnown.has(path)) return null;
  if (path.startsWith('/v1/boards') || path.includes('standing')) return 'boards';
  if (path.startsWith('/v1/tuning')) return 'tuning';
  return method === 'get' || readingPosts.has(path) ? 'read' : 'write';
}
