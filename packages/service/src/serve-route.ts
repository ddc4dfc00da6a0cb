import { checkValue, limits, shapeDetail, type Json } from '@vekkon/core';
import { Refusal, type ProblemCode, type Route } from '@vekkon/protocol';
import type { Clock, EnvironmentRow, Reader, Writer } from '@vekkon/store';
import cors from 'cors';
import type { IRouter, Request, Response } from 'express';
import type { z } from 'zod';
import type { Access, Principal } from './access.js';
import type { Disturbances } from './disturbances.js';
import type { Handovers } from './handovers.js';
import type { Logger } from './log.js';
import type { Streams } from './streams.js';

/** What every route works with. */
export interface Desk {
  readonly writer: Writer;
  readonly reader: Reader;
  readonly access: Access;
  readonly clock: Clock;
  readonly log: Logger;
  readonly streams: Streams;
  readonly handovers: Handovers;
  readonly disturbances: Disturbances;
  readonly migration: string;
  /** Does an error say that the database itself is damaged? */
  readonly isDamaged: (error: unknown) => boolean;
  /** What a person should look at, though the service goes on. */
  notes(): readonly string[];
  /** No new joins: the service is about to stop. */
  isStopping(): boolean;
}

/** An answer that is JSON text already. */
export class JsonText {
  constructor(readonly text: string) {}
}

type Shape<T> = T extends z.ZodType ? z.output<T> : undefined;
type Shapes<T> = T extends { readonly [name: string]: z.ZodType } ? { [K in keyof T]: z.output<T[K]> } : undefined;

/** One request, its shape checked and its caller admitted. */
export interface Call<R extends Route> {
  readonly params: Shapes<R['params']>;
  readonly query: Shape<R['query']>;
  readonly body: Shape<R['body']>;
  readonly principal: Principal;
  /** The environment that the call is about. */
  readonly environment: () => Promise<EnvironmentRow>;
  readonly request: Request;
  readonly response: Response;
}

/** A body nests a value this much deeper than it stands in its record. */
const envelopeDepth = 6;

/**
 * Answers a route: checks the caller, then the shapes, then calls the handler
 * and sends what it returns, or the problem that it throws. An answer that is
 * JSON text already is sent as it is; a handler that has answered by itself
 * returns undefined.
 */
export function serveRoute<R extends Route>(
  router: IRouter,
  desk: Desk,
  route: R,
  handler: (call: Call<R>) => Promise<z.output<R['response']> | JsonText | undefined>,
): void {
  if (route.callers.some((caller) => caller === 'device' || caller === 'device-key')) {
    router.all(expressPath(route.path), sharedWithPages);
  }
  router[route.method](expressPath(route.path), async (request, response) => {
    const principal = await desk.access.admit(request, route.callers);
    // Only games are disturbed: the people who look at it are not.
    const disturbed = 'environment' in principal ? principal.environment : undefined;
    if (disturbed !== undefined) await desk.disturbances.before(disturbed);
    const call = {
      params: parseParams(route, request),
      query: route.query && parse(route.query, request.query, 'the query'),
      body: route.body && parseBody(route, route.body, request),
      principal,
      environment: () => desk.access.environmentOf(request, principal),
      request,
      response,
    } as Call<R>;
    const answer = await handler(call);
    if (answer === undefined) return;
    if (disturbed !== undefined && desk.disturbances.losesResponse(disturbed)) {
      request.socket.destroy();
      return;
    }
    response.status(route.status);
    if (answer instanceof JsonText) response.type('application/json').send(answer.text);
    else response.json(answer);
  });
}

/**
 * What devices call may be called by web pages (CORS, WHATWG Fetch). The
 * browser asks before it shows a credential, so every page is told yes here;
 * which origins an environment takes is checked with the credential, and a
 * page that is refused can read why.
 */
const sharedWithPages = cors({
  origin: true,
  exposedHeaders: ['ETag', 'Retry-After', 'Vekkon-Misfit', 'X-Request-Id'],
  maxAge: 7200,
});

/** `{key}` may hold slashes, all other parameters are one segment. */
function expressPath(path: string): string {
  return path.replace('{key}', '*key').replaceAll(/\{(\w+)\}/g, ':$1');
}

function parseParams(route: Route, request: Request): object | undefined {
  if (route.params === undefined) return undefined;
  const parsed: { [name: string]: unknown } = {};
  for (const [name, shape] of Object.entries(route.params)) {
    const given = (request.params as { [name: string]: string | string[] })[name];
    const result = shape.safeParse(Array.isArray(given) ? given.join('/') : given);
    if (result.success) {
      parsed[name] = result.data;
      continue;
    }
    const detail = result.error.issues[0]?.message ?? 'is not as it must be';
    if (name === 'player') throw new Refusal('player-id-invalid', `"${given}" is not a player id: it ${detail}.`);
    if (name === 'session') throw new Refusal('session-unknown', `"${given}" ${detail}: join the player again.`);
    throw new Refusal('request-invalid', `"${given}" in the path ${detail}.`);
  }
  return parsed;
}

function parseBody(route: Route, shape: z.ZodType, request: Request): unknown {
  const text: unknown = request.body;
  const isEmpty = typeof text !== 'string' || text === '';
  // A body may be left out where all of its members may be.
  const body = isEmpty ? (request.method === 'PUT' ? undefined : {}) : parseJson(text);
  if (body === undefined) throw new Refusal('body-not-json', 'The body is empty: send the value as JSON, such as 17.');
  return route.documentedBody === undefined ? parsePart(shape, body, 'the body') : parse(shape, body, 'the body');
}

/**
 * Checks one part of a body that stands for itself, or all of one that is whole.
 *
 * @param where what to call it
 * @throws Refusal if it is not as it must be
 */
export function parsePart<Part extends z.ZodType>(shape: Part, given: unknown, where: string): z.output<Part> {
  const unfit = checkValue(given as Json, limits.jsonDepth + envelopeDepth);
  if (unfit !== undefined) throw new Refusal(unfit.code, unfit.detail, { pointer: unfit.pointer });
  return parse(shape, given, where);
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new Refusal('body-not-json', `The body is not JSON: ${(error as Error).message}.`);
  }
}

function parse<Part extends z.ZodType>(shape: Part, given: unknown, where: string): z.output<Part> {
  const result = shape.safeParse(given);
  if (result.success) return result.data;
  const issues = result.error.issues.slice(0, 20).map((issue) => ({
    pointer: issue.path.map((step) => `/${String(step).replaceAll('~', '~0').replaceAll('/', '~1')}`).join(''),
    detail: issue.message,
  }));
  const own = result.error.issues.find((issue) => issue.code === 'custom' && issue.params?.['problem'] !== undefined);
  if (own?.code === 'custom')
    throw new Refusal(own.params?.['problem'] as ProblemCode, `It has too many: ${own.message}.`);
  const [first] = issues;
  const detail = shapeDetail(first?.pointer ?? '', first?.detail ?? 'not as it must be', where);
  throw new Refusal('request-invalid', detail, { issues });
}
