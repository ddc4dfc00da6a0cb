/** Why a change, a key or a value was refused. The protocol's catalogue gives each its status and title. */
export type ChangeProblemCode =
  | 'request-invalid'
  | 'too-many-changes'
  | 'body-too-large'
  | 'key-malformed'
  | 'key-not-declared'
  | 'op-not-for-kind'
  | 'value-invalid'
  | 'value-too-deep'
  | 'value-too-large'
  | 'name-forbidden'
  | 'revision-mismatch'
  | 'path-not-found'
  | 'not-a-number'
  | 'not-a-list'
  | 'number-out-of-range'
  | 'balance-too-low'
  | 'balance-too-high'
  | 'credit-limit'
  | 'score-out-of-bounds'
  | 'text-invalid'
  | 'record-misfit'
  | 'item-not-declared'
  | 'item-not-accepted'
  | 'item-form'
  | 'inventory-full'
  | 'too-few'
  | 'piece-unknown'
  | 'piece-exists'
  | 'family-full'
  | 'player-too-large'
  | 'not-for-players'
  | 'checkpoints-not-declared'
  | 'checkpoint-exists'
  | 'checkpoint-unknown'
  | 'checkpoints-full';

/** What is wrong with one change, where, and what to do about it. */
export interface ChangeProblem {
  readonly code: ChangeProblemCode;
  /** What is wrong and what to do next, for a person. */
  readonly detail: string;
  readonly key?: string;
  /** Where in the value, as a JSON Pointer (RFC 6901). */
  readonly pointer?: string;
  /** The declared name that was most likely meant. */
  readonly nearest?: string;
  /** The names of the checkpoints that there are. */
  readonly checkpoints?: readonly string[];
}

export function problem(
  code: ChangeProblemCode,
  detail: string,
  facts: Omit<ChangeProblem, 'code' | 'detail'> = {},
): { readonly problem: ChangeProblem } {
  return { problem: { code, detail, ...facts } };
}

export type OrProblem<T> = T | { readonly problem: ChangeProblem };

export function isProblem<T extends object>(result: OrProblem<T>): result is { readonly problem: ChangeProblem } {
  return 'problem' in result;
}
