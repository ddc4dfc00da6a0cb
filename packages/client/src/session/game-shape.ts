import type { Json } from '@vekkon/core';

/**
 * What a game declares, as types: `vekkon manifest types` writes one from a
 * manifest, and the client's classes take it as a type argument.
 *
 * @example
 * const host = new VekkonHost<HighfellGliders>({ url, hostKey, host: 'ridge-eu-3' });
 */
export interface GameShape {
  /** What each progress record holds, by its name; one of a family as `glider/NAME`. */
  readonly progress: object;
  readonly preferences: object;
  readonly currencies: string;
  readonly inventories: string;
  /** The items that come in stacks. */
  readonly stacks: string;
  /** The traits of each unique item, by its name. */
  readonly pieces: object;
  /** Boards; one of a family as `valley/NAME`. */
  readonly boards: string;
  readonly tunables: object;
}

/** A game of which nothing is known to the compiler: every name is taken, and every value is JSON. */
export interface AnyGame extends GameShape {
  readonly progress: { readonly [name: string]: Json };
  readonly preferences: { readonly [name: string]: Json };
  readonly currencies: string;
  readonly inventories: string;
  readonly stacks: string;
  readonly pieces: { readonly [name: string]: { readonly [trait: string]: Json } };
  readonly boards: string;
  readonly tunables: { readonly [name: string]: Json };
}

type Named<Values, Kind extends string> = {
  readonly [Name in keyof Values & string as `${Kind}/${Name}`]: Values[Name];
};

/** What can be put, by its name or its whole key. What names no kind is of progress. */
export type Valued<Game extends GameShape> = Game['progress'] &
  Named<Game['progress'], 'progress'> &
  Named<Game['preferences'], 'preference'>;

export type NameIn<Values> = keyof Values & string;

/** Some of the members of an object, at every depth. */
export type Part<Value> = Value extends readonly unknown[]
  ? Value
  : Value extends object
    ? { readonly [Name in keyof Value]?: Part<Value[Name]> | null }
    : Value;

/** What an inventory holds. */
export interface Contents<Game extends GameShape> {
  readonly stacks: { readonly [Item in Game['stacks']]?: number };
  readonly pieces: {
    readonly [piece: string]: {
      readonly [Item in NameIn<Game['pieces']>]: { readonly item: Item; readonly traits: Game['pieces'][Item] };
    }[NameIn<Game['pieces']>];
  };
}
