import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
/** JSON, stored as text. */
type JsonText = string;
type WrittenOnce<T> = ColumnType<T, T, never>;

/** Gathering: those who get it are still being written down. */
export type GiftState = 'gathering' | 'giving' | 'stopped' | 'given' | 'taking-back' | 'taken-back';

/** The same for many players at once. */
export interface GiftTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  content: WrittenOnce<JsonText>;
  /** Who was asked for, as it was asked. */
  audience: WrittenOnce<JsonText>;
  label: WrittenOnce<string>;
  state: GiftState;
  /** For everybody: the last player that there was, by number; 0 where they are written down one by one. */
  until: Time;
  /** How far it has come: the last player's number, or place. */
  after: number;
  /** How many shall get it; of everybody as many as there were, or where counting stopped. */
  asked: number;
  given: number;
  refused: number;
  taken_back: number;
  /** How many keep it, since it can't be taken back. */
  kept: number;
  at: WrittenOnce<Time>;
  by: WrittenOnce<string>;
  ended_at: Time | null;
}

/** What became of one player. */
export interface GiftPlayerTable {
  gift: WrittenOnce<number>;
  /** The player's number, or the place in the list. */
  place: WrittenOnce<number>;
  player: number | null;
  id: WrittenOnce<string>;
  state: 'waiting' | 'given' | 'refused' | 'taken-back' | 'kept';
  /** Why it was refused, or is kept. */
  problem: JsonText | null;
  /** The changes that take it back. */
  back: JsonText | null;
}
