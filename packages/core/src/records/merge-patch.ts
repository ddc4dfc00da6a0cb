import { isJsonObject, type Json } from '../json.js';

/** Applies a JSON Merge Patch (RFC 7396): objects are merged, `null` removes a member, all else replaces. */
export function mergePatch(target: Json, patch: Json): Json {
  if (!isJsonObject(patch)) return patch;
  const merged: { [name: string]: Json } = isJsonObject(target) ? { ...target } : {};
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) delete merged[name];
    else merged[name] = mergePatch(Object.hasOwn(merged, name) ? (merged[name] ?? null) : null, value);
  }
  return merged;
}
