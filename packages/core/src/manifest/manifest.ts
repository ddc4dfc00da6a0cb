import type { Json, JsonObject } from '../json.js';

/** A JSON Schema (draft 2020-12). */
export type Schema = JsonObject | boolean;

export type Kind = 'progress' | 'currency' | 'inventory' | 'preference' | 'score';

/** What the player's own device may do with a record. */
export type PlayerAccess = 'none' | 'read' | 'write';

interface Declaration {
  readonly about?: string;
  /** A `run` record goes back to its starting value when the player starts over. */
  readonly lasts: 'always' | 'run';
  readonly player: PlayerAccess;
  /** What other players may see. */
  readonly others: 'none' | 'read';
  /** Set if a player may hold several, by name; `atMost` is how many. */
  readonly family?: { readonly atMost: number };
}

export interface ProgressDeclaration extends Declaration {
  readonly kind: 'progress';
  readonly schema: Schema;
  readonly starting: Json;
}

export interface PreferenceDeclaration extends Declaration {
  readonly kind: 'preference';
  readonly schema: Schema;
  readonly starting: Json;
}

/** Whole numbers; `floor` and `ceiling` are the least and the greatest balance. */
export interface CurrencyDeclaration extends Declaration {
  readonly kind: 'currency';
  readonly starting: number;
  readonly floor: number;
  readonly ceiling: number;
}

/** A board, and with it the score record that every player has for it. */
export interface ScoreDeclaration extends Declaration {
  readonly kind: 'score';
  readonly better: 'higher' | 'lower';
  readonly counts: 'best' | 'newest' | 'sum';
  readonly unit?: string;
  readonly lowest?: number;
  readonly highest?: number;
  /** `false`: a personal best without a board. */
  readonly public: boolean;
}

export type RecordDeclaration = ProgressDeclaration | PreferenceDeclaration | CurrencyDeclaration | ScoreDeclaration;

export interface TunableDeclaration {
  readonly about?: string;
  readonly schema: Schema;
  readonly starting: Json;
}

/** A manifest with its short forms written out: what the rules and the client's copy of them work on. */
export interface Manifest {
  readonly game: string;
  readonly title: string;
  /** By key without family name: `progress/flight`, `currency/feather`, `score/gorge-run`. */
  readonly records: { readonly [key: string]: RecordDeclaration };
  readonly tunables: { readonly [name: string]: TunableDeclaration };
}
