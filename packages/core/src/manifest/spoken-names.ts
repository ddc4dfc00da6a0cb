import { declaredPart } from '../keys/record-key.js';
import { equalJson, isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import type { SchemaCheck } from '../keys/check-value.js';
import type { Records, StoredRecord } from '../records/record.js';
import { formerNames, renameItems, storedKeys } from './former-names.js';
import type { InventoryValue, Manifest, RecordDeclaration, Schema } from './manifest.js';
import { formerNamesOf } from './schema-names.js';
import { startingRecordValue } from './starting-value.js';

/**
 * A session speaks the manifest version that it joined with: what it is sent
 * stands under the names of that version, and holds what that version knows.
 */

/** The key that an older version has for a record; undefined if it does not know the record. */
export function spokenKey(key: string, newest: Manifest, spoken: Manifest): string | undefined {
  return storedKeys(key, newest).find((one) => Object.hasOwn(spoken.records, declaredPart(one)));
}

/** The name that an older version has for an item; undefined if it does not know it. */
function spokenItem(item: string, newest: Manifest, spoken: Manifest): string | undefined {
  const names = [item, ...(newest.items[item]?.formerly ?? [])];
  return names.find((one) => Object.hasOwn(spoken.items, one));
}

/**
 * Records as an older version reads them: under its names, without what it
 * does not declare. A value that its own manifest does not allow reads as its
 * starting value, marked as a misfit.
 */
export function spokenRecords(records: Records, newest: Manifest, spoken: Manifest, check?: SchemaCheck): Records {
  const said = new Map<string, StoredRecord>();
  for (const [key, record] of records) {
    const theirKey = spokenKey(key, newest, spoken);
    const declared = declaredPart(key);
    const now = newest.records[declared];
    const theirs = theirKey === undefined ? undefined : spoken.records[declaredPart(theirKey)];
    if (theirKey === undefined || theirs === undefined || now === undefined) continue;
    said.set(theirKey, record.removed === true ? record : spokenRecord(record, now, theirs, newest, spoken, check));
  }
  return said;
}

function spokenRecord(
  record: StoredRecord,
  now: RecordDeclaration,
  theirs: RecordDeclaration,
  newest: Manifest,
  spoken: Manifest,
  check: SchemaCheck | undefined,
): StoredRecord {
  if (equalJson(now, theirs) && now.kind !== 'inventory') return record;
  if (record.misfit === true) return { ...record, value: startingRecordValue(theirs) };
  if (theirs.kind === 'inventory') {
    return { ...record, value: spokenInventory(record.value as InventoryValue, newest, spoken) };
  }
  if (theirs.kind === 'currency' || theirs.kind === 'score') return record;
  const nowSchema = now.kind === 'progress' || now.kind === 'preference' ? now.schema : true;
  const value = spokenValue(record.value, nowSchema, theirs.schema);
  if (check?.(theirs.schema, value) !== undefined) {
    return { ...record, value: startingRecordValue(theirs), misfit: true };
  }
  return { ...record, value };
}

function spokenInventory(value: InventoryValue, newest: Manifest, spoken: Manifest): InventoryValue {
  const known: InventoryValue = {
    stacks: Object.fromEntries(
      Object.entries(value.stacks).filter(([item]) => spokenItem(item, newest, spoken) !== undefined),
    ),
    pieces: Object.fromEntries(
      Object.entries(value.pieces).filter(([, { item }]) => spokenItem(item, newest, spoken) !== undefined),
    ),
  };
  const renamed = renameItems(known, (item) => spokenItem(item, newest, spoken) ?? item);
  const pieces = Object.entries(renamed.pieces).map(([id, { item, traits }]) => {
    const now = newest.items[value.pieces[id]?.item ?? item];
    const theirs = spoken.items[item];
    const [nowTraits, theirTraits] = [now, theirs].map((one) =>
      one !== undefined && 'unique' in one ? one.traits : true,
    );
    return [id, { item, traits: spokenValue(traits, nowTraits, theirTraits) as JsonObject }] as const;
  });
  return { stacks: renamed.stacks, pieces: Object.fromEntries(pieces) };
}

/** A value under the field names of an older schema, without the fields that only the newer one declares. */
function spokenValue(value: Json, now: Schema | Json | undefined, theirs: Schema | Json | undefined): Json {
  if (!isJsonObject(now) || !isJsonObject(theirs) || equalJson(now, theirs)) return value;
  if (isJsonArray(value)) return value.map((one) => spokenValue(one, now['items'], theirs['items']));
  if (!isJsonObject(value)) return value;
  const said: { [name: string]: Json } = {};
  for (const [name, held] of Object.entries(value)) {
    const inNow = propertyOf(now, name);
    const theirName = inNow === undefined ? name : spokenField(name, inNow, theirs);
    if (theirName === undefined) continue;
    said[theirName] = spokenValue(held, inNow ?? now['additionalProperties'], propertyOf(theirs, theirName));
  }
  return said;
}

function propertyOf(schema: JsonObject, name: string): Json | undefined {
  const properties = schema['properties'];
  return isJsonObject(properties) && Object.hasOwn(properties, name) ? properties[name] : undefined;
}

function spokenField(name: string, inNow: Json, theirs: JsonObject): string | undefined {
  return [name, ...formerNamesOf(inNow)].find((one) => propertyOf(theirs, one) !== undefined);
}

/**
 * What a `put` of an older version leads to: it replaces only the fields that
 * its version declares, and leaves those that came later as they are.
 *
 * @param sent what was sent, under the names of now
 * @param held what is stored, under the names of now
 */
export function keepUnspoken(
  sent: Json,
  held: Json,
  now: Schema | Json | undefined,
  theirs: Schema | Json | undefined,
): Json {
  if (!isJsonObject(sent) || !isJsonObject(held) || !isJsonObject(now) || !isJsonObject(theirs)) return sent;
  const properties = isJsonObject(now['properties']) ? now['properties'] : {};
  const whole: { [name: string]: Json } = { ...sent };
  for (const [name, inNow] of Object.entries(properties)) {
    const kept = Object.hasOwn(held, name) ? held[name] : undefined;
    if (kept === undefined) continue;
    const theirName = spokenField(name, inNow, theirs);
    const given = Object.hasOwn(sent, name) ? sent[name] : undefined;
    if (theirName === undefined) whole[name] = given ?? kept;
    else if (given !== undefined) whole[name] = keepUnspoken(given, kept, inNow, propertyOf(theirs, theirName));
  }
  return whole;
}

/** The declaration that an older version has of a record. */
export function spokenDeclaration(key: string, newest: Manifest, spoken: Manifest): RecordDeclaration | undefined {
  const theirKey = spokenKey(key, newest, spoken);
  return theirKey === undefined ? undefined : spoken.records[declaredPart(theirKey)];
}

/**
 * The values of the tunables that an older version knows, under its names. A
 * value that its own schema does not allow is its own starting value.
 *
 * @param values what somebody gets, under the names of now; of some tunables, or of all
 */
export function spokenTunables(
  values: { readonly [name: string]: Json },
  newest: Manifest,
  spoken: Manifest,
  check?: SchemaCheck,
): { readonly [name: string]: Json } {
  if (newest === spoken) return values;
  const now = formerNames(newest.tunables);
  const said: { [name: string]: Json } = {};
  for (const [name, { schema, starting }] of Object.entries(spoken.tunables)) {
    const current = Object.hasOwn(newest.tunables, name) ? name : now.get(name);
    if (current === undefined) {
      said[name] = starting;
      continue;
    }
    const value = values[current];
    if (value === undefined) continue;
    const isSame = equalJson(newest.tunables[current]?.schema, schema);
    said[name] = isSame || check?.(schema, value) === undefined ? value : starting;
  }
  return said;
}
