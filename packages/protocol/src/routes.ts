import { z } from 'zod';
import type { ProblemCode } from './problems.js';
import * as operators from './shapes/operators.js';
import * as players from './shapes/players.js';
import * as sessions from './shapes/sessions.js';
import { id, jsonValue, recordKey, storedRecord } from './shapes/values.js';

/** Who may call: a game server, an operator with at least this role, or anybody. */
export type Caller = 'anybody' | 'host' | operators.Role;

export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** As in OpenAPI: parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly callers: readonly Caller[];
  readonly params?: { readonly [name: string]: z.ZodType };
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType;
  readonly status: number;
  readonly response: z.ZodType;
  /** Problems of its own, beside those that every route may answer with. */
  readonly problems: readonly ProblemCode[];
}

const player = { player: id };
const session = { session: sessions.sessionId };
const playerRecord = { player: id, key: recordKey };
const saveProblems = ['session-unknown', 'session-ended', 'save-out-of-order', 'save-differs'] as const;
const text = z.string();

/** Every call of the service: what it takes, what it answers, who may make it. */
export const routes = {
  health: {
    method: 'get',
    path: '/health',
    summary: 'Is the process up?',
    callers: ['anybody'],
    status: 200,
    response: z.object({ status: text }),
    problems: [],
  },
  ready: {
    method: 'get',
    path: '/ready',
    summary: 'Is the store open and migrated?',
    callers: ['anybody'],
    status: 200,
    response: z.object({ status: text, migration: text }),
    problems: ['service-stopping', 'store-not-writable'],
  },
  problems: {
    method: 'get',
    path: '/problems',
    summary: 'Every problem code with its meaning',
    callers: ['anybody'],
    status: 200,
    response: z.object({
      problems: z.array(z.object({ code: text, status: z.int(), title: text, advice: text })),
    }),
    problems: [],
  },
  join: {
    method: 'post',
    path: '/v1/players/{player}/join',
    summary: 'A player joins a host: opens a session and loads their records',
    callers: ['host'],
    params: player,
    body: sessions.joinRequest,
    status: 201,
    response: sessions.joinResponse,
    problems: ['player-id-invalid', 'player-held', 'host-replaced', 'manifest-not-installed'],
  },
  save: {
    method: 'post',
    path: '/v1/sessions/{session}/saves',
    summary: 'Applies a numbered batch of transactions, once',
    callers: ['host'],
    params: session,
    body: sessions.saveRequest,
    status: 200,
    response: sessions.saveResponse,
    problems: saveProblems,
  },
  leave: {
    method: 'post',
    path: '/v1/sessions/{session}/leave',
    summary: 'A last save and the end of the session, in one commit',
    callers: ['host'],
    params: session,
    body: sessions.leaveRequest,
    status: 200,
    response: sessions.leaveResponse,
    problems: saveProblems,
  },
  players: {
    method: 'get',
    path: '/v1/players',
    summary: 'Players, those who joined last first',
    callers: ['host', 'viewer'],
    query: z.object({
      search: z.string().max(128).optional().meta({ description: 'A part of the id or of the name.' }),
      count: z.coerce.number().int().min(1).max(200).default(50),
      after: z.string().max(400).optional(),
    }),
    status: 200,
    response: players.playerList,
    problems: [],
  },
  player: {
    method: 'get',
    path: '/v1/players/{player}',
    summary: 'What is stored for a player',
    callers: ['host', 'viewer'],
    params: player,
    status: 200,
    response: players.playerDetails,
    problems: ['player-id-invalid', 'player-unknown'],
  },
  playerSessions: {
    method: 'get',
    path: '/v1/players/{player}/sessions',
    summary: "A player's newest sessions, the newest first",
    callers: ['host', 'viewer'],
    params: player,
    query: z.object({ count: z.coerce.number().int().min(1).max(200).default(20) }),
    status: 200,
    response: players.sessionList,
    problems: ['player-id-invalid', 'player-unknown'],
  },
  session: {
    method: 'get',
    path: '/v1/sessions/{session}',
    summary: 'A session, with what was loaded at join and what was stored at leave',
    callers: ['host', 'viewer'],
    params: session,
    status: 200,
    response: players.sessionDetails,
    problems: ['session-unknown'],
  },
  readRecord: {
    method: 'get',
    path: '/v1/players/{player}/records/{key}',
    summary: 'One value, with its revision as ETag',
    callers: ['host', 'viewer'],
    params: playerRecord,
    status: 200,
    response: jsonValue,
    problems: ['player-unknown', 'key-malformed', 'key-not-declared'],
  },
  putRecord: {
    method: 'put',
    path: '/v1/players/{player}/records/{key}',
    summary: 'Puts one value without a session; the body is the value itself',
    callers: ['host'],
    params: playerRecord,
    body: jsonValue,
    status: 200,
    response: storedRecord,
    problems: ['key-malformed', 'key-not-declared', 'op-not-for-kind', 'value-invalid', 'precondition-needed'],
  },
  manifest: {
    method: 'get',
    path: '/v1/manifest',
    summary: 'The installed manifest, with an ETag',
    callers: ['host', 'viewer'],
    status: 200,
    response: operators.manifestResponse,
    problems: ['manifest-not-installed'],
  },
  signIn: {
    method: 'post',
    path: '/v1/sign-in',
    summary: 'An operator signs in',
    callers: ['anybody'],
    body: operators.signInRequest,
    status: 200,
    response: operators.signInResponse,
    problems: ['sign-in-refused', 'too-many-requests'],
  },
  signOut: {
    method: 'post',
    path: '/v1/sign-out',
    summary: 'The token that is sent is over',
    callers: ['viewer'],
    status: 200,
    response: z.object({}),
    problems: [],
  },
  firstAdmin: {
    method: 'post',
    path: '/v1/operators/first',
    summary: 'Makes the first admin, with the link that the first start printed',
    callers: ['anybody'],
    body: operators.firstAdminRequest,
    status: 201,
    response: operators.signInResponse,
    problems: ['invitation-invalid', 'too-many-requests'],
  },
  operator: {
    method: 'get',
    path: '/v1/operator',
    summary: 'Who is signed in, and the environments there are',
    callers: ['viewer'],
    status: 200,
    response: operators.operatorResponse,
    problems: [],
  },
  keys: {
    method: 'get',
    path: '/v1/keys',
    summary: "An environment's keys, without their secrets",
    callers: ['admin'],
    status: 200,
    response: operators.keyList,
    problems: [],
  },
  createKey: {
    method: 'post',
    path: '/v1/keys',
    summary: 'Makes a host key or a device key',
    callers: ['admin'],
    body: operators.createKeyRequest,
    status: 201,
    response: operators.createKeyResponse,
    problems: [],
  },
  revokeKey: {
    method: 'delete',
    path: '/v1/keys/{keyId}',
    summary: 'A key is over from now on',
    callers: ['admin'],
    params: { keyId: text },
    status: 200,
    response: operators.keySummary,
    problems: ['key-unknown'],
  },
  createEnvironment: {
    method: 'post',
    path: '/v1/environments',
    summary: 'Makes an environment, and its game if it is the first, from a manifest',
    callers: ['admin'],
    body: operators.createEnvironmentRequest,
    status: 201,
    response: operators.createEnvironmentResponse,
    problems: ['manifest-invalid', 'environment-exists'],
  },
} as const satisfies { readonly [name: string]: Route };

export type RouteName = keyof typeof routes;
