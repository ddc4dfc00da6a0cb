import { isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import { declaredPart } from '../keys/record-key.js';
import { escapePointerToken, pointerTokens } from '../keys/json-pointer.js';
import type { InventoryValue, Manifest, RecordDeclaration, Schema } from './manifest.js';
import { formerNamesOf } from './schema-names.js';

/**
 * What was stored or is sent under a former name means the thing that has
 * another name now. Stored data is read through this, and not touched until
 * it is next written.
 */

interface Former {
  /** `progress/craft` → `progress/glider`. */
  readonly keys: ReadonlyMap<string, string>;
  readonly items: ReadonlyMap<string, string>;
}

const formerOf = new WeakMap<Manifest, Former>();
const hasFormerFields = new WeakMap<object, boolean>();

function former(manifest: Manifest): Former {
  let known = formerOf.get(manifest);
  if (known === undefined) {
    known = { keys: formerKeys(manifest), items: formerNames(manifest.items) };
    formerOf.set(manifest, known);
  }
  return known;
}

function formerKeys({ records }: Manifest): ReadonlyMap<string, string> {
  const keys = new Map<string, string>();
  for (const [key, { kind, formerly = [] }] of Object.entries(records)) {
    for (const name of formerly) keys.set(`${kind}/${name}`, key);
  }
  return keys;
}

/** Former names of what a section declares, each with the name it has now. */
export function formerNames(declared: {
  readonly [name: string]: { readonly formerly?: readonly string[] };
}): ReadonlyMap<string, string> {
  const names = new Map<string, string>();
  for (const [name, { formerly = [] }] of Object.entries(declared)) {
    for (const one of formerly) names.set(one, name);
  }
  return names;
}

/** The key under the names that the manifest declares now. */
export function currentKey(key: string, manifest: Manifest): string {
  const { keys } = former(manifest);
  if (keys.size === 0) return key;
  const declared = declaredPart(key);
  const current = keys.get(declared);
  return current === undefined ? key : `${current}${key.slice(declared.length)}`;
}

/** Every key under which a record may be stored, the current one first. */
export function storedKeys(key: string, manifest: Manifest): readonly string[] {
  const [kind, name, ...rest] = key.split('/');
  const formerly = manifest.records[`${kind}/${name}`]?.formerly ?? [];
  return [key, ...formerly.map((one) => [kind, one, ...rest].join('/'))];
}

/** The name of an item now. */
export function currentItem(name: string, manifest: Manifest): string {
  return former(manifest).items.get(name) ?? name;
}

/** A record's value under the names that the manifest declares now; the value itself if it needs no other. */
export function currentValue(value: Json, declaration: RecordDeclaration, manifest: Manifest): Json {
  if (declaration.kind === 'inventory') return currentInventory(value as InventoryValue, manifest);
  if (declaration.kind === 'progress' || declaration.kind === 'preference') {
    return renameFields(value, declaration.schema);
  }
  return value;
}

function currentInventory(value: InventoryValue, manifest: Manifest): InventoryValue {
  const { items } = former(manifest);
  const isRenamed = items.size > 0 && itemsIn(value).some((item) => items.has(item));
  const renamed = isRenamed ? renameItems(value, (item) => items.get(item) ?? item) : value;
  const pieces = Object.entries(renamed.pieces).map(([id, { item, traits }]) => {
    const declared = manifest.items[item];
    const schema = declared !== undefined && 'unique' in declared ? declared.traits : true;
    return [id, { item, traits: renameFields(traits, schema) as JsonObject }] as const;
  });
  const isSame = pieces.every(([id, { traits }]) => renamed.pieces[id]?.traits === traits);
  return isSame ? renamed : { stacks: renamed.stacks, pieces: Object.fromEntries(pieces) };
}

function itemsIn({ stacks, pieces }: InventoryValue): readonly string[] {
  return [...Object.keys(stacks), ...Object.values(pieces).map(({ item }) => item)];
}

/** An inventory with other names for its items. Two stacks that come under one name are one. */
export function renameItems({ stacks, pieces }: InventoryValue, rename: (item: string) => string): InventoryValue {
  const renamed: { [item: string]: number } = {};
  for (const [item, count] of Object.entries(stacks)) renamed[rename(item)] = (renamed[rename(item)] ?? 0) + count;
  return {
    stacks: renamed,
    pieces: Object.fromEntries(
      Object.entries(pieces).map(([id, { item, traits }]) => [id, { item: rename(item), traits }]),
    ),
  };
}

/** A value with its fields under the names that the schema gives them now. */
export function renameFields(value: Json, schema: Schema | Json | undefined): Json {
  if (!isJsonObject(schema) || !namesFormerFields(schema)) return value;
  if (isJsonArray(value)) {
    const renamed = value.map((one) => renameFields(one, schema['items']));
    return renamed.some((one, index) => one !== value[index]) ? renamed : value;
  }
  if (!isJsonObject(value)) return value;
  const properties = isJsonObject(schema['properties']) ? schema['properties'] : {};
  const current = currentFields(properties);
  const renamed: { [name: string]: Json } = {};
  let isSame = true;
  for (const [name, held] of Object.entries(value)) {
    const now = Object.hasOwn(properties, name) ? name : (current.get(name) ?? name);
    // Where both names are there, the one of now holds.
    if (now !== name && Object.hasOwn(value, now)) {
      isSame = false;
      continue;
    }
    const inner = renameFields(held, fieldSchema(schema, properties, now));
    isSame &&= now === name && inner === held;
    renamed[now] = inner;
  }
  return isSame ? value : renamed;
}

function fieldSchema(schema: JsonObject, properties: JsonObject, name: string): Json | undefined {
  return Object.hasOwn(properties, name) ? properties[name] : schema['additionalProperties'];
}

function currentFields(properties: JsonObject): ReadonlyMap<string, string> {
  const names = new Map<string, string>();
  for (const [name, inner] of Object.entries(properties)) {
    for (const one of formerNamesOf(inner)) names.set(one, name);
  }
  return names;
}

/** A JSON Pointer with its fields under the names that the schema gives them now. */
export function renamePointer(pointer: string, schema: Schema): string {
  const tokens = pointerTokens(pointer);
  if (tokens === undefined || !isJsonObject(schema) || !namesFormerFields(schema)) return pointer;
  let inside: Json | undefined = schema;
  return tokens
    .map((token) => {
      if (!isJsonObject(inside)) return `/${escapePointerToken(token)}`;
      const properties: JsonObject = isJsonObject(inside['properties']) ? inside['properties'] : {};
      const isIndex = inside['items'] !== undefined && /^\d+$/.test(token);
      const now: string = Object.hasOwn(properties, token) ? token : (currentFields(properties).get(token) ?? token);
      inside = isIndex ? inside['items'] : fieldSchema(inside, properties, now);
      return `/${escapePointerToken(now)}`;
    })
    .join('');
}

/** Does any field of a schema have a former name? */
function namesFormerFields(schema: JsonObject): boolean {
  const known = hasFormerFields.get(schema);
  if (known !== undefined) return known;
  const properties = isJsonObject(schema['properties']) ? Object.values(schema['properties']) : [];
  const inner = [...properties, schema['items'], schema['additionalProperties']].filter(isJsonObject);
  const found = properties.some((one) => formerNamesOf(one).length > 0) || inner.some(namesFormerFields);
  hasFormerFields.set(schema, found);
  return found;
}
