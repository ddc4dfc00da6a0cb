import { isJsonObject, type Json } from '../json.js';
import { pointerTokens, valueAt } from '../keys/json-pointer.js';
import { currentKey } from '../manifest/former-names.js';
import type { AttributeType, Manifest, Schema } from '../manifest/manifest.js';
import { startingRecordValue } from '../manifest/starting-value.js';
import { readRecord } from '../records/read-record.js';
import type { Records } from '../records/record.js';
import type { Rules } from '../records/rules.js';
import type { Attributes, AttributeValue } from './tuning.js';

export type { AttributeType } from '../manifest/manifest.js';

/** What is known of everybody, without a declaration. */
const alwaysThere = {
  build: 'version',
  platform: 'string',
  country: 'string',
  player: 'string',
  name: 'string',
} as const satisfies { readonly [name: string]: AttributeType };

/** The attributes that audiences may ask for, with their types. */
export function attributeTypes(manifest: Manifest): { readonly [name: string]: AttributeType } {
  const declared = Object.entries(manifest.attributes).map(([name, one]) => {
    if ('type' in one) return [name, one.type] as const;
    const record = manifest.records[currentKey(one.from, manifest)];
    const tokens = pointerTokens(one.path) ?? [];
    if (record === undefined) return [name, 'string'] as const;
    if (record.kind === 'currency') return [name, 'number'] as const;
    const schema = 'schema' in record ? record.schema : true;
    return [name, typeIn(schema, tokens) ?? typeHeld(valueAt(startingRecordValue(record), tokens))] as const;
  });
  return { ...alwaysThere, ...Object.fromEntries(declared) };
}

function typeIn(schema: Schema | Json | undefined, [token, ...rest]: readonly string[]): AttributeType | undefined {
  if (!isJsonObject(schema)) return undefined;
  if (token !== undefined) {
    const properties = schema['properties'];
    return typeIn(isJsonObject(properties) ? properties[token] : undefined, rest);
  }
  const { type } = schema;
  if (type === 'integer' || type === 'number') return 'number';
  return type === 'string' || type === 'boolean' ? type : undefined;
}

function typeHeld(value: Json | undefined): AttributeType {
  return typeof value === 'number' || typeof value === 'boolean' ? (typeof value as 'number' | 'boolean') : 'string';
}

const keysRead = new WeakMap<Manifest, ReadonlySet<string>>();

/** The keys of the records from which attributes are read. */
export function attributeKeys(manifest: Manifest): ReadonlySet<string> {
  const known = keysRead.get(manifest);
  if (known !== undefined) return known;
  const read = Object.values(manifest.attributes).flatMap((one) => ('from' in one ? [one.from] : []));
  const keys = new Set(read.map((key) => currentKey(key, manifest)));
  keysRead.set(manifest, keys);
  return keys;
}

/**
 * What a player's records say of them.
 *
 * @param records as they are stored, or as they are read, under the keys of the manifest
 */
export function attributesFromRecords(records: Records, { manifest, check }: Pick<Rules, 'manifest' | 'check'>) {
  const found: { [name: string]: AttributeValue } = {};
  for (const [name, one] of Object.entries(manifest.attributes)) {
    if (!('from' in one)) continue;
    const key = currentKey(one.from, manifest);
    const declaration = manifest.records[key];
    if (declaration === undefined) continue;
    const { value } = readRecord(records.get(key), declaration, { manifest, ...(check !== undefined && { check }) });
    const held = valueAt(value, pointerTokens(one.path) ?? []);
    if (typeof held === 'string' || typeof held === 'number' || typeof held === 'boolean') found[name] = held;
  }
  return found satisfies Attributes;
}
