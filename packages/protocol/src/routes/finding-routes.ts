import * as players from '../shapes/players.js';
import { sessionId } from '../shapes/sessions.js';
import type { Route } from './route.js';

/** What players are found by, and what their sessions saved. */
export const findingRoutes = {
  foundBy: {
    method: 'get',
    path: '/v1/environment/found-by',
    summary: 'What players can be found by, beside their names and ids',
    callers: ['viewer'],
    status: 200,
    response: players.foundByResponse,
    problems: [],
  },
  setFoundBy: {
    method: 'put',
    path: '/v1/environment/found-by',
    summary: 'Sets what players can be found by; what is stored already is taken in meanwhile',
    callers: ['support'],
    body: players.foundByRequest,
    status: 200,
    response: players.foundByResponse,
    problems: ['key-malformed', 'key-not-declared', 'path-not-found'],
  },
  sessionSaves: {
    method: 'get',
    path: '/v1/sessions/{session}/saves',
    summary: 'The saves of a session that changed something, the newest first, and what went wrong meanwhile',
    callers: ['host', 'viewer'],
    params: { session: sessionId },
    query: players.sessionSavesQuery,
    status: 200,
    response: players.sessionSaves,
    problems: ['session-unknown'],
  },
} as const satisfies { readonly [name: string]: Route };
