import * as activity from '../shapes/activity.js';
import * as overview from '../shapes/overview.js';
import { z } from 'zod';
import type { Route } from './route.js';

/** What operators watch. */
export const watchRoutes = {
  activity: {
    method: 'get',
    path: '/v1/activity',
    summary: 'What happened in the environment, the newest first',
    callers: ['viewer'],
    query: activity.activityQuery,
    status: 200,
    response: activity.activityList,
    problems: [],
  },
  overview: {
    method: 'get',
    path: '/v1/overview',
    summary: 'How the game goes: who is in, how often it saves and how fast, what is refused, what is due',
    callers: ['viewer'],
    status: 200,
    response: overview.overview,
    problems: [],
  },
  operatorStream: {
    method: 'get',
    path: '/v1/operator/stream',
    summary: 'Server-sent events for operators: lines of the activity, a player, gifts, the overview',
    callers: ['viewer'],
    query: overview.operatorStreamQuery,
    status: 200,
    response: z.string(),
    media: 'text/event-stream',
    problems: ['too-many-requests'],
  },
} as const satisfies { readonly [name: string]: Route };
