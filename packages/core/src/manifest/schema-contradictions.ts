import { isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import type { SchemaMistake } from './schema-cost.js';

/** Bounds that must not cross: nothing would fit. */
const bounds = [
  ['minimum', 'maximum'],
  ['minLength', 'maxLength'],
  ['minItems', 'maxItems'],
  ['minProperties', 'maxProperties'],
  ['minContains', 'maxContains'],
] as const;
/** The same where at least one of the two is not included. */
const openBounds = [
  ['exclusiveMinimum', 'exclusiveMaximum'],
  ['exclusiveMinimum', 'maximum'],
  ['minimum', 'exclusiveMaximum'],
] as const;

/** Words under which one schema stands, a list of them, or several by name. */
const single = [
  'items',
  'additionalProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'propertyNames',
  'contains',
  'not',
  'if',
  'then',
  'else',
];
const lists = ['allOf', 'anyOf', 'oneOf', 'prefixItems'];
const maps = ['properties', 'patternProperties', 'dependentSchemas', '$defs'];

/** Finds what no value can fulfil, at most twenty of them. */
export function schemaContradictions(schema: Json, path: SchemaMistake['path'] = []): readonly SchemaMistake[] {
  const mistakes: SchemaMistake[] = [];
  walk(schema, path, mistakes);
  return mistakes;
}

function walk(schema: Json | undefined, path: SchemaMistake['path'], mistakes: SchemaMistake[]): void {
  if (!isJsonObject(schema) || mistakes.length >= 20) return;
  mistakes.push(...crossed(schema, path));
  if (isJsonArray(schema['enum']) && schema['enum'].length === 0) {
    mistakes.push({ path: [...path, 'enum'], detail: 'Nothing fits an "enum" that names no value.' });
  }
  const { properties = {}, required, additionalProperties } = schema as { [word: string]: Json };
  if (isJsonArray(required) && additionalProperties === false && schema['patternProperties'] === undefined) {
    for (const name of required) {
      if (typeof name !== 'string' || Object.hasOwn(properties as JsonObject, name)) continue;
      const detail = `"${name}" is required, and no property of that name may be there: add it to "properties".`;
      mistakes.push({ path: [...path, 'required'], detail });
    }
  }
  for (const word of single) walk(schema[word], [...path, word], mistakes);
  for (const word of lists) {
    const inner = schema[word];
    if (isJsonArray(inner)) inner.forEach((one, index) => walk(one, [...path, word, index], mistakes));
  }
  for (const word of maps) {
    const inner = schema[word];
    if (!isJsonObject(inner)) continue;
    for (const [name, one] of Object.entries(inner)) walk(one, [...path, word, name], mistakes);
  }
}

function crossed(schema: JsonObject, path: SchemaMistake['path']): readonly SchemaMistake[] {
  const found: SchemaMistake[] = [];
  const check = (least: string, most: string, isCrossed: (one: number, other: number) => boolean) => {
    const [one, other] = [schema[least], schema[most]];
    if (typeof one !== 'number' || typeof other !== 'number' || !isCrossed(one, other)) return;
    found.push({
      path: [...path, least],
      detail: `${least} (${one}) and ${most} (${other}) leave nothing between them.`,
    });
  };
  for (const [least, most] of bounds) check(least, most, (one, other) => one > other);
  for (const [least, most] of openBounds) check(least, most, (one, other) => one >= other);
  return found;
}
