import { z } from 'zod';
import * as gifts from '../shapes/gifts.js';
import type { Route } from './route.js';

const params = { gift: z.coerce.number().int().min(1) };
const problems = ['gift-unknown', 'gift-not-so'] as const;

/** The same for many players at once. */
export const giftRoutes = {
  giftLook: {
    method: 'post',
    path: '/v1/gifts/look',
    summary: 'What a gift would do, some hundred players at a time; nothing is changed',
    callers: ['support'],
    body: gifts.giftLookRequest,
    status: 200,
    response: gifts.giftLookResponse,
    problems: ['op-not-for-kind', 'manifest-not-installed'],
  },
  createGift: {
    method: 'post',
    path: '/v1/gifts',
    summary: 'Gives many players the same changes, or what they had at a moment: each once, in small steps',
    callers: ['support'],
    body: gifts.giftRequest,
    status: 201,
    response: gifts.gift,
    problems: ['op-not-for-kind', 'manifest-not-installed'],
  },
  gifts: {
    method: 'get',
    path: '/v1/gifts',
    summary: "An environment's gifts, the newest first",
    callers: ['viewer'],
    query: gifts.giftListQuery,
    status: 200,
    response: gifts.giftList,
    problems: [],
  },
  gift: {
    method: 'get',
    path: '/v1/gifts/{gift}',
    summary: 'How far a gift has come',
    callers: ['viewer'],
    params,
    status: 200,
    response: gifts.gift,
    problems: ['gift-unknown'],
  },
  giftPlayers: {
    method: 'get',
    path: '/v1/gifts/{gift}/players',
    summary: 'What became of those who should get a gift',
    callers: ['viewer'],
    params,
    query: gifts.giftPlayersQuery,
    status: 200,
    response: gifts.giftPlayers,
    problems: ['gift-unknown'],
  },
  stopGift: {
    method: 'post',
    path: '/v1/gifts/{gift}/stop',
    summary: 'Stops a gift: who has it keeps it',
    callers: ['support'],
    params,
    status: 200,
    response: gifts.gift,
    problems,
  },
  resumeGift: {
    method: 'post',
    path: '/v1/gifts/{gift}/resume',
    summary: 'Goes on with a gift that was stopped',
    callers: ['support'],
    params,
    status: 200,
    response: gifts.gift,
    problems,
  },
  takeBackGift: {
    method: 'post',
    path: '/v1/gifts/{gift}/take-back',
    summary: 'Takes a gift back from everybody who got it, within a day',
    callers: ['support'],
    params,
    status: 200,
    response: gifts.gift,
    problems: [...problems, 'gift-too-old'],
  },
} as const satisfies { readonly [name: string]: Route };
