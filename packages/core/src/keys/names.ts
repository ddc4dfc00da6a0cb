import { distance } from 'fastest-levenshtein';
import { limits } from '../limits.js';

const declaredName = /^[a-z][a-z0-9-]{0,62}$/;
// Control characters (C0, DEL, C1) would break logs and terminals; "/" separates the parts of a key.
// eslint-disable-next-line no-control-regex
const unfitForId = /[\u0000-\u001f\u007f-\u009f/]|\p{Surrogate}/u;

/** Names that would reach into JavaScript's own objects; refused at every depth. */
export const forbiddenNames: ReadonlySet<string> = new Set(['__proto__', 'constructor', 'prototype']);

/** Is this a name that a manifest may declare? */
export function isDeclaredName(text: string): boolean {
  return declaredName.test(text) && !forbiddenNames.has(text);
}

/**
 * Is this a player id or the name of one of a family: 1 to 128 characters of
 * any script in NFC, without control characters or "/", and not "." or ".."?
 */
export function isId(text: string): boolean {
  return (
    text.length > 0 &&
    [...text].length <= limits.idCharacters &&
    !unfitForId.test(text) &&
    text !== '.' &&
    text !== '..' &&
    !forbiddenNames.has(text) &&
    text.normalize('NFC') === text
  );
}

/** A text in which capitals and ways of writing the same letters make no difference (Unicode NFKC, in lower case). */
export function foldedText(text: string): string {
  return text.normalize('NFKC').toLowerCase();
}

/** How a player is found: the name, and behind it, on a line of its own, the id. */
export function folded(id: string, name: string | null): string {
  return `${foldedText(name ?? '')}\n${foldedText(id)}`;
}

/** Nobody means a name with a text longer than this, and among so many others it is told soon enough. */
const longestWord = 300;
const mostLookedAt = 500;

/**
 * The candidate that was most likely meant, or undefined if none is near.
 *
 * Near is at most two edits (Levenshtein), or a third of the word if that is more.
 */
export function nearestName(word: string, candidates: Iterable<string>): string | undefined {
  let nearest: string | undefined;
  if (word.length > longestWord) return undefined;
  let least = Math.max(2, Math.floor(word.length / 3)) + 1;
  let looked = 0;
  for (const candidate of candidates) {
    // Words of other lengths are that many edits away at least, and need no closer look.
    if (Math.abs(candidate.length - word.length) >= least) continue;
    if (++looked > mostLookedAt) break;
    const edits = distance(word, candidate);
    if (edits < least) {
      least = edits;
      nearest = candidate;
    }
  }
  return nearest;
}
