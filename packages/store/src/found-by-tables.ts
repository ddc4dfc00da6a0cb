import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
type WrittenOnce<T> = ColumnType<T, T, never>;

/** What the players of an environment can be found by, beside their names. */
export interface FoundByTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  /** As it is written: `currency/feather`, `progress/flight#/chapter`, `attribute/country`. */
  of: WrittenOnce<string>;
  /** Up to which player, by number, what was stored before it was declared has been taken in. */
  through: number;
  /** When all of it had been; null until then. */
  ready_at: Time | null;
  /** It is wanted no more: what was taken in goes in small steps, and then this row. */
  dropped_at: Time | null;
}

/** What a player is found by: a number or a text, or neither where nothing stands there. */
export interface FoundValueTable {
  found_by: number;
  player: number;
  value: number | null;
  text: string | null;
}
