import { z } from 'zod';
import * as terms from '../shapes/terms.js';
import * as transfer from '../shapes/transfer.js';
import type { Route } from './route.js';

/** Players that go elsewhere, or come from there. */
export const transferRoutes = {
  terms: {
    method: 'get',
    path: '/v1/environment/terms',
    summary: 'How long what was is kept, and how much went',
    callers: ['viewer'],
    status: 200,
    response: terms.termsResponse,
    problems: [],
  },
  setTerms: {
    method: 'put',
    path: '/v1/environment/terms',
    summary: 'Sets how long what was is kept',
    callers: ['admin'],
    body: terms.terms,
    status: 200,
    response: terms.termsResponse,
    problems: [],
  },
  exportPlayers: {
    method: 'get',
    path: '/v1/export',
    summary: 'Every player of the environment with their records, one JSON document a line, in the order of ids',
    callers: ['admin'],
    query: transfer.exportQuery,
    status: 200,
    response: z.string(),
    media: 'application/x-ndjson',
    problems: ['player-unknown', 'manifest-not-installed'],
  },
  importPlayers: {
    method: 'post',
    path: '/v1/import',
    summary: 'Takes players in, up to 200 at a time, each whole or not at all; the same twice is the same as once',
    callers: ['admin'],
    body: transfer.importRequest,
    status: 200,
    response: transfer.importResponse,
    problems: ['manifest-not-installed'],
  },
} as const satisfies { readonly [name: string]: Route };
