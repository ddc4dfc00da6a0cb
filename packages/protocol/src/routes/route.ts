import type { z } from 'zod';
import type { ProblemCode } from '../problems.js';
import type { Role } from '../shapes/operators.js';

/**
 * Who may call: a game server, a player's own device with its token, a game
 * on a device that has only its device key, an operator with at least this
 * role, or anybody.
 */
export type Caller = 'anybody' | 'host' | 'device' | 'device-key' | Role;

export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** As in OpenAPI: parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly callers: readonly Caller[];
  readonly params?: { readonly [name: string]: z.ZodType };
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType;
  /** The body as the document shows it, where its parts are checked by themselves. */
  readonly documentedBody?: z.ZodType;
  readonly status: number;
  readonly response: z.ZodType;
  /** Problems of its own, beside those that every route may answer with. */
  readonly problems: readonly ProblemCode[];
}
