import { isJsonObject, type Json } from '../json.js';
import type { RecordDeclaration, Schema } from './manifest.js';

/**
 * The value that a schema gives to somebody who has none: its `default`, or
 * an object made of its properties' starting values.
 *
 * @returns undefined if the schema names no such value
 */
export function startingValueOf(schema: Schema): Json | undefined {
  if (!isJsonObject(schema)) return undefined;
  if (schema['default'] !== undefined) return fillIn(schema['default'], schema);
  if (schema['type'] === 'object' || schema['properties'] !== undefined) return fillIn({}, schema);
  return undefined;
}

/** The value with what it lacks filled in from the defaults of the schema's properties, at every depth. */
export function fillIn(value: Json, schema: Schema): Json {
  if (!isJsonObject(value) || !isJsonObject(schema) || !isJsonObject(schema['properties'])) return value;
  let filled: { [name: string]: Json } | undefined;
  for (const [name, inner] of Object.entries(schema['properties'])) {
    if (!isJsonObject(inner)) continue;
    const held = Object.hasOwn(value, name) ? value[name] : undefined;
    const wanted = held === undefined ? startingValueOfField(inner) : fillIn(held, inner);
    if (wanted === undefined || wanted === held) continue;
    filled ??= { ...value };
    filled[name] = wanted;
  }
  return filled ?? value;
}

/** A field without a default of its own stays absent, unless fields inside it have one. */
function startingValueOfField(schema: Schema): Json | undefined {
  const starting = startingValueOf(schema);
  const isEmptyObject = isJsonObject(starting) && Object.keys(starting).length === 0;
  return isEmptyObject && isJsonObject(schema) && schema['default'] === undefined ? undefined : starting;
}

/** What a record of a new player holds. A score that nobody has set yet counts nothing. */
export function startingRecordValue(declaration: RecordDeclaration): Json {
  if (declaration.kind !== 'score') return declaration.starting;
  const none = { latest: null, best: null, sum: 0, count: 0, bestAt: null, latestAt: null };
  return declaration.entries === undefined ? none : { ...none, entries: [] };
}
