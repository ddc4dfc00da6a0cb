import { z } from 'zod';
import * as devices from '../shapes/devices.js';
import * as players from '../shapes/players.js';
import * as sessions from '../shapes/sessions.js';
import { id, jsonValue, recordKey, storedRecord } from '../shapes/values.js';
import { ifMatch, ifNoneMatch, type Route } from './route.js';

const session = { session: sessions.sessionId };
const text = z.string();

/** Games without a server of their own: what a player's own device does. */
export const deviceRoutes = {
  addDevice: {
    method: 'post',
    path: '/v1/devices',
    summary: 'Makes a player for a device, once for its secret, and gives it a token; again: the same player',
    callers: ['device-key'],
    body: devices.deviceRequest,
    status: 201,
    response: devices.deviceResponse,
    problems: ['device-revoked', 'origin-not-allowed'],
  },
  me: {
    method: 'get',
    path: '/v1/me',
    summary: 'What is stored for the player whose device calls, as far as the manifest lets them see',
    callers: ['device'],
    status: 200,
    response: players.playerDetails,
    problems: ['origin-not-allowed'],
  },
  meJoin: {
    method: 'post',
    path: '/v1/me/join',
    summary: 'The player joins on their own device: opens a session and loads their records',
    callers: ['device'],
    body: sessions.joinRequest,
    status: 201,
    response: sessions.joinResponse,
    problems: [
      'player-held',
      'join-superseded',
      'manifest-not-installed',
      'manifest-version-unknown',
      'origin-not-allowed',
    ],
  },
  meReadRecord: {
    method: 'get',
    path: '/v1/me/records/{key}',
    summary: "One of the player's own values, with its revision as ETag",
    callers: ['device'],
    params: { key: recordKey },
    headers: [ifNoneMatch],
    status: 200,
    response: jsonValue,
    problems: ['key-malformed', 'key-not-declared', 'not-for-players'],
  },
  mePutRecord: {
    method: 'put',
    path: '/v1/me/records/{key}',
    summary: "Puts one of the player's own values without a session; the body is the value itself",
    callers: ['device'],
    params: { key: recordKey },
    body: jsonValue,
    headers: [ifMatch],
    status: 200,
    response: storedRecord,
    problems: [
      'key-malformed',
      'key-not-declared',
      'op-not-for-kind',
      'value-invalid',
      'precondition-needed',
      'not-for-players',
    ],
  },
  sessionStream: {
    method: 'get',
    path: '/v1/sessions/{session}/stream',
    summary: 'Server-sent events of one session: handover wanted, outside changes, save-now, session lost',
    callers: ['host', 'device'],
    params: session,
    status: 200,
    response: text,
    problems: ['session-unknown', 'session-ended'],
  },
  checkpoints: {
    method: 'get',
    path: '/v1/sessions/{session}/checkpoints',
    summary: "The player's checkpoints, the newest first",
    callers: ['host', 'device'],
    params: session,
    query: z.object({ contents: z.enum(['true', 'false']).default('false') }),
    status: 200,
    response: devices.checkpointList,
    problems: ['session-unknown'],
  },
  devices: {
    method: 'get',
    path: '/v1/players/{player}/devices',
    summary: "A player's devices",
    callers: ['viewer'],
    params: { player: id },
    status: 200,
    response: devices.deviceList,
    problems: ['player-unknown'],
  },
  revokeDevice: {
    method: 'delete',
    path: '/v1/players/{player}/devices/{device}',
    summary: "Shuts a device out: its tokens are over, and its session's next call is refused",
    callers: ['support'],
    params: { player: id, device: text },
    status: 200,
    response: z.object({ revoked: text }),
    problems: ['player-unknown', 'device-unknown'],
  },
  setOrigins: {
    method: 'put',
    path: '/v1/environment/origins',
    summary: 'From which web origins devices may call; null for any',
    callers: ['admin'],
    body: z.strictObject({ origins: z.array(devices.origin).max(100).nullable() }),
    status: 200,
    response: z.object({ origins: z.array(text).nullable() }),
    problems: [],
  },
} as const satisfies { readonly [name: string]: Route };
