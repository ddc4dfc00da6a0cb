import type { Kind } from '../manifest/manifest.js';
import { isDeclaredName, isId } from './names.js';

/** Every kind of record: what a key starts with. */
export const kinds: readonly Kind[] = ['progress', 'currency', 'inventory', 'preference', 'score'];

export interface RecordKey {
  readonly kind: Kind;
  /** `kind/name`, under which the manifest declares the record. */
  readonly declared: string;
  /** The name of this one among its family. */
  readonly member?: string;
}

/** `kind/name`, under which a manifest declares what is stored under a key. */
export function declaredPart(key: string): string {
  const end = key.indexOf('/', key.indexOf('/') + 1);
  return end < 0 ? key : key.slice(0, end);
}

/** Takes `progress/glider/heron` apart; undefined if it can't be a key. */
export function parseRecordKey(key: string): RecordKey | undefined {
  const [kind, name, ...rest] = key.split('/');
  if (name === undefined || rest.length > 1 || !isDeclaredName(name)) return undefined;
  if (!(kinds as readonly (string | undefined)[]).includes(kind)) return undefined;
  const [member] = rest;
  const parsed = { kind: kind as Kind, declared: `${kind}/${name}` };
  if (member === undefined) return parsed;
  return isId(member) ? { ...parsed, member } : undefined;
}

/**
 * A mark by which a key is known again without being told: FNV-1a, 32 bits
 * (Fowler, Noll and Vo), over its UTF-16 units, in hexadecimal.
 */
export function markOf(key: string): string {
  let hash = 0x811c9dc5;
  for (let index = 0; index < key.length; index++) {
    hash = Math.imul(hash ^ key.charCodeAt(index), 0x01000193);
  }
  return (hash >>> 0).toString(16).padStart(8, '0');
}
