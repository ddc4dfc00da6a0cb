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
