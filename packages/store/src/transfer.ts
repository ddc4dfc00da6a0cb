import type { ImportProblem, Json } from '@vekkon/core';
import type { Kysely } from 'kysely';
import { digestOf } from './digest.js';
import { keptQuery } from './kept-query.js';
import type { Tables } from './tables.js';

/** A player who comes from elsewhere; times in milliseconds since 1970, UTC. */
export interface ImportLine {
  readonly player: string;
  readonly name: string | null;
  readonly createdAt: number | null;
  readonly firstJoinedAt: number | null;
  readonly lastJoinedAt: number | null;
  readonly lastLeftAt: number | null;
  readonly records: { readonly [key: string]: Json };
}

/** What became of one line. */
export interface ImportOutcome {
  readonly outcome: 'new' | 'updated' | 'same' | 'kept' | 'refused';
  readonly problem?: ImportProblem;
}

/** What stays of an erased player: it tells who they were only to who knows the id. */
export function tombstoneOf(environment: number, player: string): string {
  return digestOf(`${environment} ${player}`);
}

const tombstone = keptQuery((db, environment: number, player: string) =>
  db.selectFrom('tombstones').select('erased_at').where('environment', '=', environment).where('player', '=', player),
);

/** Was a player with this id erased? */
export async function isErased(db: Kysely<Tables>, environment: number, player: string): Promise<boolean> {
  return (await tombstone(db, environment, tombstoneOf(environment, player))).length > 0;
}
