import type { Json, JsonObject } from '../json.js';
import type { RecordChange } from '../records/change.js';

/** A JSON Schema (draft 2020-12). */
export type Schema = JsonObject | boolean;

export type Kind = 'progress' | 'currency' | 'inventory' | 'preference' | 'score';

/** What the player's own device may do with a record. */
export type PlayerAccess = 'none' | 'read' | 'write';

/** Numbers the greater, or summed; lists by what stands in either; or one side's alone. */
export type Together = 'higher' | 'sum' | 'union' | 'account' | 'device';

/** What can be renamed: the names it had before, which data and older builds may still use. */
interface Renamed {
  readonly formerly?: readonly string[];
}

interface Declaration extends Renamed {
  readonly about?: string;
  /** A `run` record goes back to its starting value when the player starts over. */
  readonly lasts: 'always' | 'run';
  readonly player: PlayerAccess;
  /** What other players may see. */
  readonly others: 'none' | 'read';
  /** How it is put together where a player signs in to an account that has something already, and wants both. */
  readonly together?: Together;
  /** Set if a player may hold several, by name; `atMost` is how many. */
  readonly family?: { readonly atMost: number };
  /** Declared by the service from its first value, not by a programmer. */
  readonly learned?: true;
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

export const creditPeriods = { minute: 60_000, hour: 3_600_000, day: 86_400_000, week: 604_800_000 } as const;

/** Whole numbers; `floor` and `ceiling` are the least and the greatest balance. */
export interface CurrencyDeclaration extends Declaration {
  readonly kind: 'currency';
  readonly starting: number;
  readonly floor: number;
  readonly ceiling: number;
  /** How much may be credited within any stretch of that length. */
  readonly creditLimit?: { readonly atMost: number; readonly per: keyof typeof creditPeriods };
}

/** What an inventory holds: how many of each item that comes in stacks, and unique pieces by their ids. */
export type InventoryValue = {
  readonly stacks: { readonly [item: string]: number };
  readonly pieces: { readonly [piece: string]: Piece };
};
export type Piece = { readonly item: string; readonly traits: JsonObject };

export interface InventoryDeclaration extends Declaration {
  readonly kind: 'inventory';
  /** How many places it has: every stack takes one, and so does every piece. Without it there is room for all. */
  readonly capacity?: number;
  /** The items that it takes; all that are declared if left out. */
  readonly accepts?: readonly string[];
  readonly starting: InventoryValue;
}

/** A board, and with it the score record that every player has for it. */
export interface ScoreDeclaration extends Declaration {
  readonly kind: 'score';
  readonly better: 'higher' | 'lower';
  readonly counts: 'best' | 'newest' | 'sum';
  readonly unit?: string;
  readonly lowest?: number;
  readonly highest?: number;
  /** Results beyond these are kept, and shown on no board until an operator accepts them. */
  readonly doubtful?: { readonly above?: number; readonly below?: number };
  /** `none`, `daily`, `weekly`, `monthly`, or a cron expression in UTC. */
  readonly season: string;
  /** How long after its turn a season takes results that were made before it, in seconds; 120 if left out. */
  readonly grace?: number;
  /** What a season gives when it closes: the first line that fits a place. */
  readonly rewards?: readonly Reward[];
  /** How many of a player's best results are kept, each with the name typed at the finish. */
  readonly entries?: number;
  /** `false`: a personal best without a board. */
  readonly public: boolean;
}

/** What a season gives, to ranks from and up to, or to the first part of the field in percent. */
export type Reward = { readonly changes: readonly RecordChange[] } & (
  { readonly ranks: readonly [number, number] } | { readonly share: number }
);

export type RecordDeclaration =
  ProgressDeclaration | PreferenceDeclaration | CurrencyDeclaration | InventoryDeclaration | ScoreDeclaration;

/** An item that comes in stacks. */
export interface StackDeclaration extends Renamed {
  readonly about?: string;
  /** How many one stack holds. */
  readonly stack: number;
  readonly learned?: true;
}

/** An item of which each piece is one of its own, with an id and traits. */
export interface PieceDeclaration extends Renamed {
  readonly about?: string;
  readonly unique: true;
  readonly traits: Schema;
  /** The traits of a piece of which none are said. */
  readonly starting: JsonObject;
  readonly learned?: true;
}

export type ItemDeclaration = StackDeclaration | PieceDeclaration;

export interface TunableDeclaration extends Renamed {
  readonly about?: string;
  readonly schema: Schema;
  readonly starting: Json;
}

/** What is known of a player when audiences are matched: read from a record, or sent at join. */
export type AttributeDeclaration = Renamed & { readonly about?: string } & (
    | {
        readonly from: string;
        /** JSON Pointer (RFC 6901) into the record's value. */
        readonly path: string;
      }
    | { readonly type: AttributeType }
  );

/** How an attribute's values compare: numbers by size, versions as semantic versions. */
export type AttributeType = 'string' | 'number' | 'boolean' | 'version';

/** What "save here" copies. */
export interface CheckpointsDeclaration {
  readonly atMost: number;
  /** Who may make them: the player's own device too, or hosts only. */
  readonly by: 'player' | 'host';
  /** Keys; that of a family stands for all its members. */
  readonly records: readonly string[];
}

/** A manifest with its short forms written out: what the rules and the client's copy of them work on. */
export interface Manifest {
  readonly game: string;
  readonly title: string;
  /** By key without family name: `progress/flight`, `currency/feather`, `score/gorge-run`. */
  readonly records: { readonly [key: string]: RecordDeclaration };
  readonly items: { readonly [name: string]: ItemDeclaration };
  readonly tunables: { readonly [name: string]: TunableDeclaration };
  readonly attributes: { readonly [name: string]: AttributeDeclaration };
  readonly checkpoints?: CheckpointsDeclaration;
  /** In the part that a player's own device is told: marks of the keys that it may not see, which do not tell the names. */
  readonly notForPlayers?: readonly string[];
}

export function isUnique(item: ItemDeclaration): item is PieceDeclaration {
  return 'unique' in item;
}

/** The section of a manifest file in which each kind of record is declared. */
export const sectionOfKind = {
  progress: 'progress',
  currency: 'currencies',
  inventory: 'inventories',
  preference: 'preferences',
  score: 'boards',
} as const satisfies { readonly [kind in Kind]: string };
