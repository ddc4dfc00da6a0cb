import { isJsonObject, type Json } from '../json.js';

/** Applies a JSON Merge Patch (RFC 7396): objects are merged, `null` removes a member, all else replaces. */
export function mergePatch(target: Json, patch: Json): Json {
  if (!isJsonObject(patch)) return patch;
  const merged = new Map(isJsonObject(target) ? Object.entries(target) : []);
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) merged.delete(name);
    else merged.set(name, mergePatch(merged.get(name) ?? null, value));
  }
  return Object.fromEntries(merged);
}
