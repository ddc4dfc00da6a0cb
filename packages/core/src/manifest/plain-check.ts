import { isJsonArray, isJsonObject, typeOf, type Json, type JsonObject } from '../json.js';
import type { SchemaCheck } from '../keys/check-value.js';
import { escapePointerToken } from '../keys/json-pointer.js';

type Found = ReturnType<SchemaCheck>;

/**
 * Checks the plainest of what a schema asks (JSON Schema, draft 2020-12):
 * types, enums, bounds, and which members there are, at every depth. What else
 * it asks is left to a validator, which a copy of the rules on a device need
 * not carry: the service checks it all the same.
 */
export const checkPlainly: SchemaCheck = (schema, value) => check(schema, value, '');

function check(schema: Json | undefined, value: Json, pointer: string): Found {
  if (!isJsonObject(schema)) {
    return schema === false ? { pointer, detail: `${place(pointer)} may not be there.` } : undefined;
  }
  const unfit = checkType(schema, value, pointer) ?? checkChoice(schema, value, pointer);
  if (unfit !== undefined) return unfit;
  if (typeof value === 'number') return checkNumber(schema, value, pointer);
  if (typeof value === 'string') return checkCount(schema, [...value].length, 'Length', 'characters', pointer);
  if (isJsonArray(value)) return checkItems(schema, value, pointer);
  return isJsonObject(value) ? checkMembers(schema, value, pointer) : undefined;
}

function checkType({ type }: JsonObject, value: Json, pointer: string): Found {
  if (type === undefined) return undefined;
  const asked = [type].flat() as readonly string[];
  const is = typeOf(value);
  if (asked.includes(is) || (asked.includes('integer') && Number.isInteger(value))) return undefined;
  return { pointer, detail: `${place(pointer)} must be ${asked.join(' or ')}${shown(value)}.` };
}

function checkChoice(schema: JsonObject, value: Json, pointer: string): Found {
  const text = JSON.stringify(value);
  const { enum: choices, const: only } = schema;
  if (isJsonArray(choices) && !choices.some((one) => JSON.stringify(one) === text)) {
    return { pointer, detail: `${place(pointer)} must be one of ${JSON.stringify(choices)}${shown(value)}.` };
  }
  if (only !== undefined && JSON.stringify(only) !== text) {
    return { pointer, detail: `${place(pointer)} must be ${JSON.stringify(only)}${shown(value)}.` };
  }
  return undefined;
}

function checkNumber(schema: JsonObject, value: number, pointer: string): Found {
  const bounds: readonly [word: string, sign: string, holds: (bound: number) => boolean][] = [
    ['minimum', '>=', (bound) => value >= bound],
    ['maximum', '<=', (bound) => value <= bound],
    ['exclusiveMinimum', '>', (bound) => value > bound],
    ['exclusiveMaximum', '<', (bound) => value < bound],
  ];
  for (const [word, sign, holds] of bounds) {
    const bound = schema[word];
    if (typeof bound !== 'number' || holds(bound)) continue;
    return { pointer, detail: `${place(pointer)} must be ${sign} ${bound}${shown(value)}.` };
  }
  return undefined;
}

function checkCount(schema: JsonObject, count: number, word: string, of: string, pointer: string): Found {
  const [least, most] = [schema[`min${word}`], schema[`max${word}`]];
  const wrong =
    typeof least === 'number' && count < least
      ? `at least ${least}`
      : typeof most === 'number' && count > most
        ? `at most ${most}`
        : undefined;
  return wrong === undefined
    ? undefined
    : { pointer, detail: `${place(pointer)} must have ${wrong} ${of} (it has ${count}).` };
}

function checkItems(schema: JsonObject, items: readonly Json[], pointer: string): Found {
  const unfit = checkCount(schema, items.length, 'Items', 'items', pointer);
  if (unfit !== undefined || schema['prefixItems'] !== undefined) return unfit;
  for (const [index, item] of items.entries()) {
    const found = check(schema['items'], item, `${pointer}/${index}`);
    if (found !== undefined) return found;
  }
  return undefined;
}

function checkMembers(schema: JsonObject, value: JsonObject, pointer: string): Found {
  const properties = isJsonObject(schema['properties']) ? schema['properties'] : {};
  const names = Object.keys(value);
  const unfit = checkCount(schema, names.length, 'Properties', 'members', pointer);
  if (unfit !== undefined) return unfit;
  for (const name of isJsonArray(schema['required']) ? schema['required'] : []) {
    if (typeof name === 'string' && !Object.hasOwn(value, name)) {
      return { pointer, detail: `${place(pointer)} needs "${name}".` };
    }
  }
  const isClosed = schema['additionalProperties'] === false && schema['patternProperties'] === undefined;
  for (const name of names) {
    const at = `${pointer}/${escapePointerToken(name)}`;
    if (!Object.hasOwn(properties, name)) {
      if (!isClosed) continue;
      return { pointer, detail: `${place(pointer)} has a member "${name}" that is not declared.` };
    }
    const found = check(properties[name], value[name] as Json, at);
    if (found !== undefined) return found;
  }
  return undefined;
}

function place(pointer: string): string {
  return pointer === '' ? 'The value' : `The value at ${pointer}`;
}

function shown(value: Json): string {
  const text = JSON.stringify(value);
  return text.length <= 60 ? ` (it is ${text})` : '';
}
