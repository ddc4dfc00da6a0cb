import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import type { Json } from '../json.js';
import type { SchemaCheck } from '../records/progress-changes.js';
import type { Manifest, Schema } from './manifest.js';

/** What a value that does not fit a schema breaks, and where. */
export interface Mismatch {
  /** JSON Pointer into the value. */
  readonly pointer: string;
  readonly detail: string;
}

function makeAjv(): Ajv2020 {
  const ajv = new Ajv2020({ allErrors: false, strictTypes: false, strictTuples: false, allowUnionTypes: true });
  addFormats.default(ajv);
  return ajv;
}

/** Compiles the schemas of a manifest into the check that the rules are handed. */
export function schemaChecks(manifest: Manifest): SchemaCheck {
  const ajv = makeAjv();
  const validators = new Map<string, ValidateFunction>();
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.kind === 'progress' || declaration.kind === 'preference') {
      validators.set(key, ajv.compile(declaration.schema));
    }
  }
  return (declaredKey, value) => {
    const validate = validators.get(declaredKey);
    if (validate === undefined || validate(value)) return undefined;
    return mismatchOf(validate.errors?.[0], value);
  };
}

/**
 * Checks one value against one schema.
 *
 * @returns what does not fit; `unusable` if the schema itself is wrong
 */
export function checkAgainst(schema: Schema, value: Json | undefined): { unusable?: string; mismatch?: Mismatch } {
  let validate: ValidateFunction;
  try {
    validate = makeAjv().compile(schema);
  } catch (error) {
    return { unusable: error instanceof Error ? error.message : String(error) };
  }
  if (value === undefined || validate(value)) return {};
  return { mismatch: mismatchOf(validate.errors?.[0], value) };
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
