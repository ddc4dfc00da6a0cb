import type { Json } from './json.js';

const longest = 60;

/** A value as far as it fits into a line. */
export function short(value: Json): string {
  const text = JSON.stringify(value);
  return text.length <= longest ? text : `${text.slice(0, longest - 1)}…`;
}
