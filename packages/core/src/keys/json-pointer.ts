import { isJsonArray, isJsonObject, type Json } from '../json.js';

/** JSON Pointer (RFC 6901), read and written without changing the value it is applied to. */

export function escapePointerToken(token: string): string {
  return token.replaceAll('~', '~0').replaceAll('/', '~1');
}

/** The tokens of a pointer; undefined if it is not one. */
export function pointerTokens(pointer: string): readonly string[] | undefined {
  if (pointer === '') return [];
  if (!pointer.startsWith('/') || /~(?![01])/.test(pointer)) return undefined;
  return pointer
    .slice(1)
    .split('/')
    .map((token) => token.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** What stands at a pointer; undefined if it leads nowhere. */
export function valueAt(value: Json, tokens: readonly string[]): Json | undefined {
  let found: Json | undefined = value;
  for (const token of tokens) {
    if (isJsonArray(found)) found = found[arrayIndex(token) ?? -1];
    else if (isJsonObject(found)) found = Object.hasOwn(found, token) ? found[token] : undefined;
    else return undefined;
  }
  return found;
}

/**
 * A copy of the value with something else at a pointer. The last token may
 * name a new member of an object; all before it must exist.
 *
 * @returns undefined if the pointer leads nowhere
 */
export function withValueAt(value: Json, tokens: readonly string[], wanted: Json): Json | undefined {
  const [token, ...rest] = tokens;
  if (token === undefined) return wanted;
  if (isJsonArray(value)) {
    const index = arrayIndex(token);
    if (index === undefined || index >= value.length) return undefined;
    const inner = withValueAt(value[index] as Json, rest, wanted);
    return inner === undefined ? undefined : value.with(index, inner);
  }
  if (!isJsonObject(value)) return undefined;
  const held = Object.hasOwn(value, token) ? value[token] : undefined;
  if (held === undefined && rest.length > 0) return undefined;
  const inner = withValueAt(held ?? null, rest, wanted);
  return inner === undefined ? undefined : { ...value, [token]: inner };
}

function arrayIndex(token: string): number | undefined {
  return /^(0|[1-9][0-9]*)$/.test(token) ? Number(token) : undefined;
}
