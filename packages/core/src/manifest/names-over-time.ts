import { isJsonObject, type Json, type JsonObject } from '../json.js';
import type { Manifest, RecordDeclaration, Schema } from './manifest.js';
import { formerNamesOf } from './schema-names.js';

/**
 * The next version of a manifest with every name that its declarations ever
 * had: names accumulate, so that data and builds of any age are understood.
 *
 * @returns the manifest, and what can't be: a name that meant something else before
 */
export function withNamesOverTime(
  next: Manifest,
  before: Manifest,
): { readonly manifest: Manifest; readonly conflicts: readonly string[] } {
  const conflicts: string[] = [];
  const records: { [key: string]: RecordDeclaration } = {};
  for (const kind of new Set(Object.values(next.records).map((one) => one.kind))) {
    const under = (manifest: Manifest) => ofKind(manifest, kind);
    const named = accumulate(under(next), under(before), (name) => `${kind}/${name}`, conflicts);
    for (const [name, declaration] of Object.entries(named)) records[`${kind}/${name}`] = declaration;
  }
  for (const [key, declaration] of Object.entries(records)) {
    const earlier = earlierOf(key, declaration, before);
    if (!('schema' in declaration) || earlier === undefined || !('schema' in earlier)) continue;
    records[key] = { ...declaration, schema: accumulateFields(declaration.schema, earlier.schema) as Schema };
  }
  const name = (section: string) => (one: string) => `${section} "${one}"`;
  const manifest = {
    ...next,
    // In the order of the file.
    records: Object.fromEntries(Object.keys(next.records).map((key) => [key, records[key]])) as Manifest['records'],
    items: accumulate(next.items, before.items, name('the item'), conflicts),
    tunables: accumulate(next.tunables, before.tunables, name('the tunable'), conflicts),
    attributes: accumulate(next.attributes, before.attributes, name('the attribute'), conflicts),
  };
  return { manifest, conflicts };
}

function ofKind({ records }: Manifest, kind: string): { readonly [name: string]: RecordDeclaration } {
  const found = Object.entries(records).filter(([, declaration]) => declaration.kind === kind);
  return Object.fromEntries(found.map(([key, declaration]) => [key.slice(kind.length + 1), declaration]));
}

function earlierOf(key: string, { kind, formerly = [] }: RecordDeclaration, before: Manifest) {
  const keys = [key, ...formerly.map((one) => `${kind}/${one}`)];
  return keys.map((one) => before.records[one]).find((one) => one !== undefined);
}

function accumulate<D extends { readonly formerly?: readonly string[] }>(
  next: { readonly [name: string]: D },
  before: { readonly [name: string]: D },
  shown: (name: string) => string,
  conflicts: string[],
): { readonly [name: string]: D } {
  const meantBefore = new Map<string, string>();
  for (const [name, { formerly = [] }] of Object.entries(before)) {
    for (const former of formerly) meantBefore.set(former, name);
  }
  const whole: { [name: string]: D } = {};
  for (const [name, declaration] of Object.entries(next)) {
    const formerly = new Set(declaration.formerly ?? []);
    for (const one of [name, ...formerly]) for (const older of before[one]?.formerly ?? []) formerly.add(older);
    formerly.delete(name);
    const was = meantBefore.get(name);
    if (was !== undefined && !formerly.has(was)) {
      conflicts.push(
        `${shown(name)} was a former name of ${shown(was)}: it can't be used for something else. To go back to the older name, declare "${name}" with "formerly: [${was}]", and "${was}" no longer.`,
      );
    }
    const two = [...formerly].find((former) => before[former] !== undefined && before[name] !== undefined);
    if (two !== undefined) {
      conflicts.push(`${shown(two)} and ${shown(name)} were two before: one can't be the former name of the other.`);
    }
    whole[name] = formerly.size === 0 ? declaration : { ...declaration, formerly: [...formerly] };
  }
  return whole;
}

/** A schema whose fields have every name that they had in the earlier one. */
function accumulateFields(next: Json, before: Json | undefined): Json {
  if (!isJsonObject(next) || !isJsonObject(before)) return next;
  const whole: { [word: string]: Json } = { ...next };
  const fields = next['properties'];
  const earlier = isJsonObject(before['properties']) ? before['properties'] : {};
  if (isJsonObject(fields)) {
    whole['properties'] = Object.fromEntries(
      Object.entries(fields).map(([name, field]) => [name, accumulateField(name, field, earlier, fields)]),
    );
  }
  for (const word of ['items', 'additionalProperties']) {
    const inner = next[word];
    if (inner !== undefined) whole[word] = accumulateFields(inner, before[word]);
  }
  return whole;
}

function accumulateField(name: string, field: Json, earlier: JsonObject, beside: JsonObject): Json {
  const formerly = new Set(formerNamesOf(field));
  for (const one of [name, ...formerly]) for (const older of formerNamesOf(earlier[one])) formerly.add(older);
  formerly.delete(name);
  const kept = [...formerly].filter((one) => !Object.hasOwn(beside, one));
  const before = [name, ...kept].map((one) => earlier[one]).find((one) => one !== undefined);
  const whole = accumulateFields(field, before);
  return kept.length === 0 || !isJsonObject(whole) ? whole : { ...whole, formerly: kept };
}
