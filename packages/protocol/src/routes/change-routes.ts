import * as players from '../shapes/players.js';
import { id } from '../shapes/values.js';
import { idempotencyKey, type Route } from './route.js';

/** Players' records from outside a session: changed, and many read at once. */
export const changeRoutes = {
  meChanges: {
    method: 'post',
    path: '/v1/me/changes',
    summary: "Transactions of the player's own device outside a session, once; needs an Idempotency-Key",
    callers: ['device'],
    body: players.changesRequest,
    headers: [idempotencyKey],
    status: 200,
    response: players.changesResponse,
    problems: ['idempotency-key-missing', 'idempotency-key-reused', 'precondition-needed', 'manifest-not-installed'],
  },
  changes: {
    method: 'post',
    path: '/v1/players/{player}/changes',
    summary: 'Transactions from outside a session, such as a purchase, a gift or a repair; needs an Idempotency-Key',
    callers: ['host', 'support'],
    params: { player: id },
    body: players.changesRequest,
    headers: [idempotencyKey],
    status: 200,
    response: players.changesResponse,
    problems: ['idempotency-key-missing', 'idempotency-key-reused', 'precondition-needed', 'manifest-not-installed'],
  },
  readPlayers: {
    method: 'post',
    path: '/v1/players/read',
    summary: 'Up to 200 players, with chosen keys',
    callers: ['host', 'viewer'],
    body: players.readRequest,
    status: 200,
    response: players.readResponse,
    problems: ['key-malformed', 'key-not-declared'],
  },
} as const satisfies { readonly [name: string]: Route };
