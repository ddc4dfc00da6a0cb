import { z } from 'zod';
import * as devices from '../shapes/devices.js';
import * as manifests from '../shapes/manifests.js';
import { id } from '../shapes/values.js';
import type { Route } from './route.js';

const player = { player: id };
const text = z.string();

/** What support looks at, and puts right. */
export const repairRoutes = {
  ledger: {
    method: 'get',
    path: '/v1/players/{player}/ledger',
    summary: "Every movement of a player's currencies, the newest first",
    callers: ['host', 'viewer'],
    params: player,
    query: z.object({
      currency: z.string().max(300).optional(),
      count: z.coerce.number().int().min(1).max(500).default(50),
      before: z.coerce.number().int().min(1).optional(),
    }),
    status: 200,
    response: manifests.ledgerPage,
    problems: ['player-unknown', 'key-not-declared'],
  },
  trash: {
    method: 'get',
    path: '/v1/players/{player}/trash',
    summary: 'What was removed from a player and waits until its time is up, the newest first',
    callers: ['viewer'],
    params: player,
    status: 200,
    response: manifests.trashList,
    problems: ['player-unknown'],
  },
  bringBack: {
    method: 'post',
    path: '/v1/players/{player}/trash/{trashed}/bring-back',
    summary: 'Brings back what was removed, as a new revision',
    callers: ['support'],
    params: { player: id, trashed: z.coerce.number().int().min(1) },
    status: 200,
    response: z.object({ broughtBack: text.meta({ description: 'The key.' }) }),
    problems: ['trash-unknown', 'key-not-declared', 'record-misfit', 'family-full', 'piece-exists', 'inventory-full'],
  },
  playerCheckpoints: {
    method: 'get',
    path: '/v1/players/{player}/checkpoints',
    summary: "A player's checkpoints, the newest first, with those that were given up",
    callers: ['viewer'],
    params: player,
    status: 200,
    response: devices.copyList,
    problems: ['player-unknown'],
  },
  restoreCheckpoint: {
    method: 'post',
    path: '/v1/players/{player}/checkpoints/{checkpoint}/restore',
    summary: 'Brings back what a checkpoint holds, with what came from outside since',
    callers: ['support'],
    params: { player: id, checkpoint: z.coerce.number().int().min(1) },
    status: 200,
    response: z.object({ restored: z.array(text).meta({ description: 'The keys that hold something else now.' }) }),
    problems: ['player-unknown', 'checkpoint-unknown'],
  },
  makeNew: {
    method: 'post',
    path: '/v1/players/{player}/make-new',
    summary: 'Makes a player new again: what they had goes to the trash, and a checkpoint keeps a copy',
    callers: ['support'],
    params: player,
    status: 200,
    response: z.object({ checkpoint: text, records: z.int() }),
    problems: ['player-unknown', 'player-in-session'],
  },
  makeAllNew: {
    method: 'post',
    path: '/v1/players/make-new',
    summary: 'Makes every player of the environment new; never in a live one',
    callers: ['admin'],
    status: 200,
    response: z.object({ made: z.int(), inSession: z.int().meta({ description: 'Left as they are.' }) }),
    problems: ['environment-is-live'],
  },
} as const satisfies { readonly [name: string]: Route };
