import type { SchemaValidateFunction } from 'ajv';
import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { isJsonObject, type Json } from '../json.js';
import type { SchemaCheck } from '../keys/check-value.js';
import { nearestName } from '../keys/names.js';
import { pointerTokens } from '../keys/json-pointer.js';
import type { Schema } from './manifest.js';
import type { SchemaMistake } from './schema-cost.js';
import { wordsOfKeyword } from './schema-words.js';

/** What a value that does not fit a schema breaks, and where. */
export interface Mismatch {
  /** JSON Pointer into the value. */
  readonly pointer: string;
  readonly detail: string;
}

const compiled = new WeakMap<object, ValidateFunction>();

function makeAjv(): Ajv2020 {
  const made = new Ajv2020({ allErrors: false, strictTypes: false, strictTuples: false, allowUnionTypes: true });
  addFormats.default(made);
  // Names that a field had before: read by the rules, not by the validator.
  made.addKeyword({ keyword: 'formerly', schemaType: 'array' });
  // Ajv compares each with each; a thousand objects would hold up the writer for half a second.
  made.removeKeyword('uniqueItems');
  made.addKeyword({ keyword: 'uniqueItems', type: 'array', schemaType: 'boolean', errors: true, validate: areUnique });
  return made;
}

/** Looks for items that are equal, whatever the order of their members. */
const areUnique: SchemaValidateFunction = (isWanted: boolean, items: readonly Json[]): boolean => {
  if (!isWanted) return true;
  const met = new Map<string, number>();
  for (const [index, item] of items.entries()) {
    const text = canonicalText(item);
    const same = met.get(text);
    if (same !== undefined) {
      const message = `must not have duplicate items (${same} and ${index} are the same)`;
      areUnique.errors = [{ keyword: 'uniqueItems', message, params: { i: index, j: same } }];
      return false;
    }
    met.set(text, index);
  }
  return true;
};

/** The same text for equal values. */
function canonicalText(value: Json): string {
  return JSON.stringify(value, (_name, inner: Json) =>
    isJsonObject(inner) ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1))) : inner,
  );
}

const ajv = makeAjv();

/** Checks a value against a schema. Each schema is compiled once, when it is first met. */
export const checkSchema: SchemaCheck = (schema, value) => {
  if (!isJsonObject(schema)) {
    return schema ? undefined : { pointer: '', detail: 'Nothing fits here: the schema is false.' };
  }
  let validate = compiled.get(schema);
  if (validate === undefined) {
    validate = compile(schema);
    compiled.set(schema, validate);
  }
  try {
    return validate(value) ? undefined : mismatchOf(validate.errors?.[0], value);
  } catch (error) {
    // The validator compares objects with what is allowed by calling their `valueOf` and `toString`, whatever stands there.
    if (error instanceof TypeError) return { pointer: '', detail: 'The value does not fit its schema.' };
    throw error;
  }
};

/** Why a schema can't be used, and where; nothing if it can. */
export function schemaMistakes(schema: Schema): readonly SchemaMistake[] {
  if (!isJsonObject(schema)) return [];
  if (ajv.validateSchema(schema) !== true) {
    const errors = (ajv.errors ?? []).filter(({ keyword }) => !wrapping.has(keyword));
    const first = new Map(errors.toReversed().map((error) => [error.instancePath, error]));
    return [...first.values()].slice(0, 10).map((error) => ({
      path: (pointerTokens(error.instancePath) ?? []).map((token) => (/^\d+$/.test(token) ? Number(token) : token)),
      detail: `"${error.instancePath.slice(1)}" ${wordsOfKeyword(error)}, as JSON Schema has it.`,
    }));
  }
  try {
    compile(schema);
    return [];
  } catch (error) {
    return [{ path: [], detail: unusableInWords(error instanceof Error ? error.message : String(error)) }];
  }
}

/** Errors that only say that there is one beneath them. */
const wrapping = new Set(['allOf', 'anyOf', 'if', '$ref', '$dynamicRef']);

function unusableInWords(message: string): string {
  const [, word] = /unknown keyword: "([^"]*)"/.exec(message) ?? [];
  if (word !== undefined) {
    const known = Object.keys(ajv.RULES.keywords);
    const nearest = nearestName(word, known);
    return `"${word}" is no keyword of JSON Schema${nearest === undefined ? ': leave it out.' : `: did you mean "${nearest}"?`}`;
  }
  const [, format] = /unknown format "([^"]*)"/.exec(message) ?? [];
  if (format !== undefined) {
    return `"${format}" is no known format: known are ${Object.keys(ajv.formats).toSorted().join(', ')}.`;
  }
  if (message.includes('call stack')) return 'This schema is too large: write fewer properties in one object.';
  return 'This can not be used as a JSON Schema (draft 2020-12): compare it with the draft word by word.';
}

/** Compiles without keeping: manifests come and go for as long as the service runs. */
function compile(schema: Schema): ValidateFunction {
  try {
    return ajv.compile(schema);
  } finally {
    ajv.removeSchema(schema);
  }
}

function mismatchOf(error: ErrorObject | undefined, value: Json): Mismatch {
  const pointer = error?.instancePath ?? '';
  const place = pointer === '' ? 'The value' : `The value at ${pointer}`;
  const held = JSON.stringify(valueUnder(value, pointer));
  const shown = held !== undefined && held.length <= 60 ? ` (it is ${held})` : '';
  if (error?.keyword === 'additionalProperties') {
    return { pointer, detail: `${place} has a member "${error.params['additionalProperty']}" that is not declared.` };
  }
  if (error?.keyword === 'enum') {
    return { pointer, detail: `${place} must be one of ${JSON.stringify(error.params['allowedValues'])}${shown}.` };
  }
  return { pointer, detail: `${place} ${error?.message ?? 'does not fit its schema'}${shown}.` };
}

function valueUnder(value: Json, pointer: string): unknown {
  let found: unknown = value;
  for (const token of pointer.split('/').slice(1)) {
    found = (found as Record<string, unknown>)[token.replaceAll('~1', '/').replaceAll('~0', '~')];
  }
  return found;
}
