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
