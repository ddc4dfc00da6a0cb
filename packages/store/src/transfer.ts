import type { Json } from '@vekkon/core';
import { digestOf } from './digest.js';

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

/** What becomes of players who are there already, and have something else. */
export type Existing = 'refuse' | 'keep' | 'update';

export interface ImportProblem {
  readonly code: string;
  readonly detail: string;
  readonly key?: string | undefined;
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
