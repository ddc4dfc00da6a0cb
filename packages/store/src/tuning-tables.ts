import type { ColumnType } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
/** JSON, stored as text. */
type JsonText = string;
type WrittenOnce<T> = ColumnType<T, T, never>;

/** A publication of all tunables. */
export interface EditionTable {
  environment: WrittenOnce<number>;
  number: WrittenOnce<number>;
  /** What it says of each tunable. */
  content: WrittenOnce<JsonText>;
  /** In words, what it changed in the one before. */
  differences: WrittenOnce<JsonText>;
  note: WrittenOnce<string>;
  at: WrittenOnce<Time>;
  by: WrittenOnce<string>;
  /** The earlier edition that it is again. */
  reissue_of: WrittenOnce<number | null>;
}

/** The next edition of an environment in the making. */
export interface DraftTable {
  environment: WrittenOnce<number>;
  revision: number;
  /** What is edited, by tunable. */
  edits: JsonText;
  /** Up to when windows that opened or closed stand in the activity. */
  edges_until: Time;
}

/** What made each revision of a draft. */
export interface DraftChangeTable {
  environment: WrittenOnce<number>;
  revision: WrittenOnce<number>;
  tunable: WrittenOnce<string>;
  words: WrittenOnce<string>;
  by: WrittenOnce<string>;
  at: WrittenOnce<Time>;
}

/** Players who get the draft. */
export interface TesterTable {
  environment: WrittenOnce<number>;
  player: WrittenOnce<string>;
}

/** Who was given which value of a trial. */
export interface TrialPlayerTable {
  environment: WrittenOnce<number>;
  /** The id of the adjustment. */
  trial: WrittenOnce<string>;
  player: WrittenOnce<number>;
  /** Which of its values, from 0. */
  value: WrittenOnce<number>;
  since: WrittenOnce<Time>;
}

/** When a build last asked for a tunable. */
export interface TunableAskedTable {
  environment: WrittenOnce<number>;
  tunable: WrittenOnce<string>;
  /** Empty where it does not say. */
  build: WrittenOnce<string>;
  at: Time;
}
