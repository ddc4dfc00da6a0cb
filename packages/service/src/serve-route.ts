import { checkValue, limits, shapeDetail, type Json } from '@vekkon/core';
import { Refusal, routes, scopeOf, type Overview, type ProblemCode, type Route } from '@vekkon/protocol';
import type { Clock, EnvironmentRow, LongReads, Reader, Writer } from '@vekkon/store';
import cors from 'cors';
import type { Request, Response } from 'express';
import { z } from 'zod';
import { isOnDevice, type Access, type Principal } from './access.js';
import { JsonPieces, JsonText, sendJson, sendPieces } from './answers.js';
import type { Accounts } from './accounts/accounts.js';
import type { BoardStreams } from './board-streams.js';
import type { Boards } from './boards.js';
import type { AccountLimits } from './limits/account-limits.js';
import type { CallLimits, CallSort } from './limits/call-limits.js';
import type { Limits } from './limits/limits.js';
import type { SignInLimits } from './limits/sign-in-limits.js';
import { addressOf, pass } from './limits/counted.js';
import type { Disturbances } from './disturbances.js';
import type { Environments } from './environments.js';
import type { Gifts } from './gifts.js';
import type { Handovers } from './handovers.js';
import type { Logger } from './log.js';
import type { ManifestDesk } from './manifest-desk.js';
import type { OperatorStreams } from './operator-streams.js';
import type { Measured, OverviewCounts } from './overview.js';
import type { PlayerSearch } from './player-search.js';
import { readBody } from './request-body.js';
import type { RouteTable } from './route-table.js';
import type { SessionTunings } from './session-tunings.js';
import type { Streams } from './streams.js';
import type { TakingIn } from './taking-in.js';
import type { Tending } from './tending.js';
import type { TuningNoted } from './tuning-noted.js';
import type { TuningStreams } from './tuning-streams.js';
import type { Tunings } from './tunings.js';
import type { Turns } from './turns.js';

/** What every route works with. */
export interface Desk {
  readonly writer: Writer;
  readonly reader: Reader;
  readonly longReads: LongReads;
  readonly table: RouteTable;
  readonly access: Access;
  readonly environments: Environments;
  readonly clock: Clock;
  readonly log: Logger;
  readonly streams: Streams;
  readonly handovers: Handovers;
  readonly manifests: ManifestDesk;
  readonly limits: CallLimits;
  /** How much one caller may ask for in each environment. */
  readonly limitNumbers: Limits;
  readonly signInLimits: SignInLimits;
  readonly accountLimits: AccountLimits;
  readonly gifts: Gifts;
  readonly playerSearch: PlayerSearch;
  readonly accounts: Accounts;
  readonly takingIn: TakingIn;
  readonly overview: OverviewCounts;
  readonly operatorStreams: OperatorStreams;
  /** How full the disk is, in bytes. */
  disk(): Promise<Overview['disk']>;
  readonly boards: Boards;
  readonly boardStreams: BoardStreams;
  readonly seasons: Tending;
  readonly tunings: Tunings;
  readonly sessionTunings: SessionTunings;
  readonly tuningStreams: TuningStreams;
  readonly tuningNoted: TuningNoted;
  /** For what reads much in this thread. */
  readonly turns: Turns;
  /** For what keeps the reading thread busy. */
  readonly longTurns: Turns;
  readonly disturbances: Disturbances;
  readonly migration: string;
  /** Does an error say that the database itself is damaged? */
  readonly isDamaged: (error: unknown) => boolean;
  /** What a person should look at, though the service goes on. */
  notes(): readonly string[];
  /** No new joins: the service is about to stop. */
  isStopping(): boolean;
  /** Counts a call that has arrived whole. @returns what to call when it has been answered */
  answering(): () => void;
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
  readonly environment: () => EnvironmentRow;
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
  desk: Desk,
  route: R,
  handler: (call: Call<R>) => Promise<z.output<R['response']> | JsonText | JsonPieces | undefined>,
): void {
  const isForPages = route.callers.some((caller) => caller === 'device' || caller === 'device-key');
  if (isForPages) desk.table.add('OPTIONS', route.path, shareWithPages);
  const needed = { callers: route.callers, scope: scopeOf(route), about: route.about };
  desk.table.add(route.method, route.path, async (request, response) => {
    if (isForPages && request.headers.origin !== undefined) await shareWithPages(request, response);
    const principal = await desk.access.admit(request, needed, () => desk.limits.meet(request, response));
    const leave = await desk.limits.enter(request, response, principal, sortOf(route));
    try {
      await readBody(request, response, route, principal);
      const sent = typeof request.body === 'string' ? request.body.length : 0;
      desk.limits.countBytes(principal, sent);
      if (isOnDevice(principal) && sent > largeBody) {
        checkMembersOf(request.body as string);
        // What takes long to read is read in turns, so that several at once do not add up.
        await desk.turns.take(callerOf(principal, request), async () => undefined);
      }
      const leaveLine = await desk.limits.stand(principal, sortOf(route));
      try {
        await answerCall(principal, request, response);
      } finally {
        leaveLine();
      }
    } finally {
      leave();
    }
  });

  async function answerCall(principal: Principal, request: Request, response: Response): Promise<void> {
    const answered = desk.answering();
    const since = performance.now();
    const place = 'environment' in principal ? principal.environment : undefined;
    try {
      await handled();
      const what = measured.get(route);
      if (what !== undefined && place !== undefined) desk.overview.measured(place, what, performance.now() - since);
    } catch (error) {
      // Of games only: what people do wrong stands elsewhere.
      if (place !== undefined && error instanceof Refusal) desk.overview.refused(place, error.code);
      throw error;
    }

    async function handled(): Promise<void> {
      // Whoever has hung up meanwhile hears nothing, and holds up no stop.
      if (response.destroyed) answered();
      else response.once('close', answered);
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
      const answer = await (readsMuch.has(route)
        ? desk.turns.take(callerOf(principal, request), async () => asText(await handler(call)))
        : handler(call));
      if (answer === undefined) return;
      if (disturbed !== undefined && desk.disturbances.losesResponse(disturbed)) {
        request.socket.destroy();
        return;
      }
      if (answer instanceof JsonPieces) await sendPieces(response, route.status, answer);
      else sendJson(response, route.status, answer instanceof JsonText ? answer.text : JSON.stringify(answer));
    }
  }
}

/** What the overview shows the time of. */
const measured: ReadonlyMap<Route, Measured> = new Map<Route, Measured>([
  [routes.join, 'join'],
  [routes.meJoin, 'join'],
  [routes.save, 'save'],
  [routes.leave, 'save'],
]);

/** What reads whole players, or many rows: done in turns. */
const readsMuch: ReadonlySet<Route> = new Set<Route>([
  routes.player,
  routes.me,
  routes.checkpoints,
  routes.playerCheckpoints,
  routes.trash,
  routes.ledger,
  routes.unsettled,
  routes.among,
]);

/** What goes on until its reader leaves. */
const streams: ReadonlySet<Route> = new Set<Route>([
  routes.hostStream,
  routes.sessionStream,
  routes.tuningStream,
  routes.boardStream,
  routes.operatorStream,
]);

/** What waits until somebody else has done something. */
const waits: ReadonlySet<Route> = new Set<Route>([routes.join, routes.meJoin]);

function sortOf(route: Route): CallSort {
  if (streams.has(route)) return 'stream';
  return waits.has(route) ? 'waits' : 'short';
}

/** What is large is written out in its turn too. */
function asText(answer: unknown): JsonText | JsonPieces | undefined {
  if (answer === undefined) return undefined;
  if (answer instanceof JsonText || answer instanceof JsonPieces) return answer;
  return new JsonText(JSON.stringify(answer));
}

/** Whose turn it is: each device, each key, each operator has its own. */
function callerOf(principal: Principal, request: Request): string {
  if (principal.sort === 'device') return principal.device;
  if (principal.sort === 'operator') return principal.operator.email;
  return principal.sort === 'anybody' ? addressOf(request) : principal.hint;
}

/**
 * What devices call may be called by web pages (CORS, WHATWG Fetch). The
 * browser asks before it shows a credential, so every page is told yes here;
 * which origins an environment takes is checked with the credential, and a
 * page that is refused can read why.
 */
const sharedWithPages = cors({
  origin: true,
  exposedHeaders: ['ETag', 'RateLimit', 'RateLimit-Policy', 'Retry-After', 'Vekkon-Misfit', 'X-Request-Id'],
  maxAge: 7200,
});

async function shareWithPages(request: Request, response: Response): Promise<void> {
  await pass(sharedWithPages, request, response);
}

function parseParams(route: Route, request: Request): object | undefined {
  if (route.params === undefined) return undefined;
  const parsed: { [name: string]: unknown } = {};
  for (const [name, shape] of Object.entries(route.params)) {
    const given = (request.params as { [name: string]: string })[name];
    const result = shape.safeParse(given);
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
  if (route.documentedBody === undefined) return parsePart(shape, body, 'the body');
  // Its parts are looked at one by one: only its own members here.
  checkMembers(body, 'the body', 1);
  return parse(shape, body, 'the body');
}

/**
 * Checks one part of a body that stands for itself, or all of one that is whole.
 *
 * @param where what to call it
 * @throws Refusal if it is not as it must be
 */
export function parsePart<Part extends z.ZodType>(shape: Part, given: unknown, where: string): z.output<Part> {
  if (shape instanceof z.ZodObject) checkMembers(given, where);
  const unfit = checkValue(given as Json, limits.jsonDepth + envelopeDepth);
  if (unfit !== undefined) {
    throw new Refusal(unfit.code, shortened(unfit.detail), { pointer: shortened(unfit.pointer ?? '') });
  }
  return parse(shape, given, where);
}

/** Members under which anything may stand. */
const freeForm: ReadonlySet<string> = new Set(['value', 'traits', 'attributes']);
const mostMembers = 50;

/** Refuses what has many more members than anything here may have, before each of them is looked at. */
function checkMembers(given: unknown, where: string, levels = 8): void {
  if (typeof given !== 'object' || given === null || levels === 0) return;
  if (Array.isArray(given)) {
    for (const one of given) checkMembers(one, where, levels - 1);
    return;
  }
  const names = Object.keys(given);
  if (names.length > mostMembers) {
    const [first, second] = names;
    const some = `"${shortened(first ?? '')}", "${shortened(second ?? '')}", and ${names.length - 2} more`;
    throw new Refusal(
      'request-invalid',
      `In ${where}: an object has ${names.length} members (${some}), and none has so many here.`,
    );
  }
  for (const name of names) {
    if (!freeForm.has(name)) checkMembers((given as { [name: string]: unknown })[name], where, levels - 1);
  }
}

/** What is larger than most that a game on a device has to say, in characters. */
const largeBody = 64 * 1024;
/** As many members take some 20 milliseconds to read, which nobody else waits longer for. */
const mostMembersSent = 25_000;

/** Refuses what would take long to read because of how much it is made of, before it is read. */
function checkMembersOf(text: string): void {
  let members = 0;
  for (let at = text.indexOf('":'); at >= 0; at = text.indexOf('":', at + 2)) {
    if (++members > mostMembersSent) {
      const detail = `A body from a device may have ${mostMembersSent.toLocaleString('en')} members, of all objects in it together: send several smaller ones.`;
      throw new Refusal('body-too-large', detail);
    }
  }
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
  const issues = result.error.issues.slice(0, mostIssues).map((issue) => ({
    pointer: shortened(
      issue.path.map((step) => `/${String(step).replaceAll('~', '~0').replaceAll('/', '~1')}`).join(''),
    ),
    detail: shortened(messageOf(issue)),
  }));
  const own = result.error.issues.find((issue) => issue.code === 'custom' && issue.params?.['problem'] !== undefined);
  if (own?.code === 'custom')
    throw new Refusal(own.params?.['problem'] as ProblemCode, `It has too many: ${own.message}.`);
  const [first] = issues;
  const detail = shapeDetail(first?.pointer ?? '', first?.detail ?? 'not as it must be', where);
  throw new Refusal('request-invalid', detail, { issues });
}

/** Enough to see what is wrong; whoever sends much wrong gets little back. */
const mostIssues = 10;
const longestText = 300;

function shortened(text: string): string {
  return text.length <= longestText ? text : `${text.slice(0, longestText - 1)}…`;
}

function messageOf(issue: z.core.$ZodIssue): string {
  if (issue.code !== 'unrecognized_keys') return issue.message;
  const [first, second] = issue.keys;
  const one = issue.keys.length === 1;
  const named = second === undefined ? `"${first}"` : `"${first}", "${second}"`;
  const more = issue.keys.length > 2 ? `, and ${issue.keys.length - 2} more` : '';
  return `has ${one ? 'a member that is' : 'members that are'} not known: ${named}${more}`;
}
