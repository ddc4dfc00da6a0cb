import { isJsonArray, isJsonObject, type Json } from '../json.js';
import { forbiddenNames } from '../keys/names.js';
import type { SchemaMistake } from './schema-cost.js';

/** Where the rules look for fields that had other names. */
const followed = ['items', 'additionalProperties'];
const others = ['allOf', 'anyOf', 'oneOf', 'prefixItems', 'not', 'if', 'then', 'else', 'patternProperties', '$defs'];

/** Finds fields that differ only by case, and former names that could mean two fields, or that nothing would read. */
export function schemaNameMistakes(schema: Json): readonly SchemaMistake[] {
  const mistakes: SchemaMistake[] = [];
  walk(schema, [], mistakes, false);
  return mistakes;
}

function walk(schema: Json | undefined, path: SchemaMistake['path'], mistakes: SchemaMistake[], isField: boolean) {
  if (!isJsonObject(schema)) return;
  if (schema['formerly'] !== undefined && !isField) {
    mistakes.push({
      path: [...path, 'formerly'],
      detail: 'Former names of a field stand in the schema of that field, under "properties".',
    });
  }
  const properties = schema['properties'];
  if (isJsonObject(properties)) {
    checkFields(properties, [...path, 'properties'], mistakes);
    for (const [name, inner] of Object.entries(properties)) {
      walk(inner, [...path, 'properties', name], mistakes, true);
    }
  }
  for (const keyword of followed) walk(schema[keyword], [...path, keyword], mistakes, false);
  for (const keyword of others) checkNoFormer(schema[keyword], [...path, keyword], mistakes);
}

function checkFields(
  properties: { readonly [name: string]: Json },
  path: SchemaMistake['path'],
  mistakes: SchemaMistake[],
) {
  const byLower = new Map<string, string>();
  const formers = new Map<string, string>();
  for (const [name, inner] of Object.entries(properties)) {
    const same = byLower.get(name.toLowerCase());
    if (same !== undefined) {
      mistakes.push({ path: [...path, name], detail: `"${name}" and "${same}" differ only by case: rename one.` });
    }
    byLower.set(name.toLowerCase(), name);
    if (forbiddenNames.has(name)) {
      mistakes.push({ path: [...path, name], detail: `"${name}" can't be a name in a value: choose another.` });
    }
    for (const former of formerNamesOf(inner)) {
      const detail = Object.hasOwn(properties, former)
        ? `"${former}" is a field of its own: it can't be a former name of "${name}" too.`
        : formers.has(former)
          ? `"${former}" is a former name of "${formers.get(former)}" already.`
          : undefined;
      if (detail !== undefined) mistakes.push({ path: [...path, name, 'formerly'], detail });
      formers.set(former, name);
    }
  }
}

/** Deep in a choice of schemas it can't be told which field a former name means. */
function checkNoFormer(inner: Json | undefined, path: SchemaMistake['path'], mistakes: SchemaMistake[]): void {
  if (isJsonArray(inner)) return inner.forEach((one, index) => checkNoFormer(one, [...path, index], mistakes));
  if (!isJsonObject(inner)) return;
  for (const [name, one] of Object.entries(inner)) {
    if (name === 'formerly' && isJsonArray(one)) {
      mistakes.push({
        path: [...path, name],
        detail: 'Former names are followed under "properties", "items" and "additionalProperties" only.',
      });
    } else checkNoFormer(one, [...path, name], mistakes);
  }
}

/** The names that a field had before. */
export function formerNamesOf(schema: Json | undefined): readonly string[] {
  if (!isJsonObject(schema) || !isJsonArray(schema['formerly'])) return [];
  return schema['formerly'].filter((one) => typeof one === 'string');
}
