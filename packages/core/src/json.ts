/** A JSON value (RFC 8259), as it is stored and sent. */
export type Json = null | boolean | number | string | readonly Json[] | JsonObject;

export interface JsonObject {
  readonly [name: string]: Json;
}

export function isJsonObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

export function isJsonArray(value: unknown): value is readonly Json[] {
  return Array.isArray(value);
}

/** The type of a value, as JSON Schema names it. */
export function typeOf(value: Json): 'null' | 'array' | 'object' | 'boolean' | 'number' | 'string' {
  if (value === null) return 'null';
  if (isJsonArray(value)) return 'array';
  if (typeof value === 'number' || typeof value === 'boolean' || typeof value === 'string') {
    return typeof value as 'number' | 'boolean' | 'string';
  }
  return 'object';
}

/**
 * Are two JSON values the same, whatever the order of their members?
 *
 * Asks nothing of the values themselves: a member may be named `valueOf` or
 * `toString`, as what every object has is.
 */
export function equalJson(one: unknown, other: unknown): boolean {
  if (one === other) return true;
  if (typeof one !== 'object' || typeof other !== 'object' || one === null || other === null) return false;
  if (Array.isArray(one) || Array.isArray(other)) {
    if (!Array.isArray(one) || !Array.isArray(other) || one.length !== other.length) return false;
    return one.every((item, index) => equalJson(item, other[index]));
  }
  const [mine, theirs] = [one as { readonly [name: string]: unknown }, other as { readonly [name: string]: unknown }];
  const names = Object.keys(mine);
  if (names.length !== Object.keys(theirs).length) return false;
  return names.every((name) => Object.hasOwn(theirs, name) && equalJson(mine[name], theirs[name]));
}
