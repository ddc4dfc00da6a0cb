import { equalJson, isJsonArray, isJsonObject, type Json } from '../json.js';
import { currentItem, currentKey, formerNames, renameItems, storedKeys } from './former-names.js';
import { sectionOfKind, type Manifest, type RecordDeclaration } from './manifest.js';
import { formerNamesOf } from './schema-names.js';

/** One thing that is different in the next version of a manifest. */
export interface Difference {
  /** What it is about: a key, or a section with a name. */
  readonly what: string;
  readonly is: 'new' | 'removed' | 'renamed' | 'changed';
  readonly detail: string;
  /** May what was written for the version before be refused, or find less? */
  readonly breaks: boolean;
}

/** Says what the next version of a manifest changes, in the order of the file. */
export function compareManifests(before: Manifest, next: Manifest): readonly Difference[] {
  const differences = compareSection(
    before.records,
    next.records,
    (key) => key,
    (key) => currentKey(key, next),
    (was, is) => recordDetails(was, is, next),
  );
  const named: readonly [string, 'items' | 'tunables' | 'attributes'][] = [
    ['item', 'items'],
    ['tunable', 'tunables'],
    ['attribute', 'attributes'],
  ];
  for (const [word, section] of named) {
    const names = formerNames(next[section]);
    const current = (name: string) => names.get(name) ?? name;
    differences.push(
      ...compareSection(before[section], next[section], (name) => `${word} ${name}`, current, plainDetails),
    );
  }
  if (!equalJson(before.checkpoints, next.checkpoints)) {
    differences.push({ what: 'checkpoints', is: 'changed', detail: 'another declaration', breaks: false });
  }
  if (before.title !== next.title) {
    differences.push({ what: 'title', is: 'changed', detail: `"${before.title}" → "${next.title}"`, breaks: false });
  }
  return differences;
}

type Details = { readonly detail: string; readonly breaks: boolean };

function compareSection<D extends object>(
  before: { readonly [name: string]: D },
  next: { readonly [name: string]: D },
  shown: (name: string) => string,
  current: (name: string) => string,
  detailsOf: (before: D, next: D) => readonly Details[],
): Difference[] {
  const differences: Difference[] = [];
  const met = new Set<string>();
  for (const [name, declaration] of Object.entries(before)) {
    const now = Object.hasOwn(next, name) ? name : current(name);
    const other = next[now];
    if (other === undefined) {
      differences.push({ what: shown(name), is: 'removed', detail: 'no longer declared', breaks: true });
      continue;
    }
    met.add(now);
    if (now !== name) {
      differences.push({ what: shown(name), is: 'renamed', detail: `now ${shown(now)}`, breaks: false });
    }
    for (const details of detailsOf(declaration, other))
      differences.push({ what: shown(now), is: 'changed', ...details });
  }
  for (const name of Object.keys(next)) {
    if (!met.has(name)) differences.push({ what: shown(name), is: 'new', detail: 'newly declared', breaks: false });
  }
  return differences;
}

function plainDetails(before: object, next: object): readonly Details[] {
  return membersThatDiffer(before as { [word: string]: Json }, next as { [word: string]: Json }, ['traits', 'schema']);
}

function recordDetails(before: RecordDeclaration, next: RecordDeclaration, nextManifest: Manifest): readonly Details[] {
  return plainDetails(underNamesOf(before, nextManifest), underNamesOf(next, nextManifest));
}

/** An inventory with its items under their names of now: a renamed item is no other item. */
function underNamesOf(declaration: RecordDeclaration, manifest: Manifest): RecordDeclaration {
  if (declaration.kind !== 'inventory') return declaration;
  const nameNow = (item: string) => currentItem(item, manifest);
  return {
    ...declaration,
    starting: renameItems(declaration.starting, nameNow),
    ...(declaration.accepts !== undefined && { accepts: declaration.accepts.map(nameNow) }),
  };
}

/** What is written on the way out, and no change of meaning. */
const unmentioned = new Set(['formerly', 'learned', 'kind']);

function membersThatDiffer(
  before: { readonly [word: string]: Json },
  next: { readonly [word: string]: Json },
  schemas: readonly string[],
): readonly Details[] {
  const details: Details[] = [];
  for (const word of new Set([...Object.keys(before), ...Object.keys(next)])) {
    const [was, is] = [before[word], next[word]];
    if (unmentioned.has(word) || equalJson(was, is)) continue;
    if (schemas.includes(word)) details.push(...schemaDifferences(was, is, ''));
    else if (word === 'starting' && 'schema' in before)
      details.push({ detail: `starts at ${short(is)} (was ${short(was)})`, breaks: false });
    else details.push({ detail: `${word} ${short(was)} → ${short(is)}`, breaks: narrows(word, was, is) });
  }
  return details;
}

/** Bounds that let less through than before, and what may no longer be done. */
function narrows(word: string, was: Json | undefined, is: Json | undefined): boolean {
  if (word === 'family' && isJsonObject(was) && isJsonObject(is)) return Number(is['atMost']) < Number(was['atMost']);
  if (word === 'family') return true;
  if (['ceiling', 'capacity', 'highest', 'stack', 'maximum', 'maxLength', 'maxItems'].includes(word)) {
    return is !== undefined && (was === undefined || Number(is) < Number(was));
  }
  if (['floor', 'lowest', 'minimum', 'minLength', 'minItems'].includes(word)) {
    return is !== undefined && (was === undefined || Number(is) > Number(was));
  }
  if (word === 'accepts' && isJsonArray(is)) return !isJsonArray(was) || was.some((one) => !is.includes(one));
  return ['creditLimit', 'unique', 'better', 'counts'].includes(word) && is !== undefined;
}

/** What a schema asks otherwise, at every depth. */
function schemaDifferences(was: Json | undefined, is: Json | undefined, place: string): readonly Details[] {
  if (!isJsonObject(was) || !isJsonObject(is)) {
    return equalJson(was, is) ? [] : [{ detail: `${place || 'the schema'} is another`, breaks: true }];
  }
  const details: Details[] = [];
  const fields = (schema: Json | undefined) => (isJsonObject(schema) ? schema : {});
  const [wasFields, isFields] = [fields(was['properties']), fields(is['properties'])];
  const met = new Set<string>();
  for (const [name, field] of Object.entries(wasFields)) {
    const now = Object.hasOwn(isFields, name)
      ? name
      : Object.keys(isFields).find((one) => formerNamesOf(isFields[one]).includes(name));
    if (now === undefined) {
      details.push({ detail: `${place}/${name} is no longer declared`, breaks: true });
      continue;
    }
    met.add(now);
    if (now !== name) details.push({ detail: `${place}/${name} is now ${place}/${now}`, breaks: false });
    details.push(...schemaDifferences(field, isFields[now], `${place}/${now}`));
  }
  for (const name of Object.keys(isFields)) {
    if (!met.has(name)) details.push({ detail: `${place}/${name} is new`, breaks: false });
  }
  for (const word of new Set([...Object.keys(was), ...Object.keys(is)])) {
    if (['properties', 'formerly', 'default', 'description', 'title'].includes(word) || equalJson(was[word], is[word]))
      continue;
    if (word === 'items') {
      details.push(...schemaDifferences(was[word], is[word], `${place}/items`));
      continue;
    }
    const isLooser = is[word] === undefined || (word === 'additionalProperties' && is[word] !== false);
    const isBound = /^(min|max)/.test(word);
    const isWider =
      word === 'enum' &&
      isJsonArray(is[word]) &&
      isJsonArray(was[word]) &&
      was[word].every((one) => (is[word] as readonly Json[]).includes(one));
    const breaks = isBound ? narrows(word, was[word], is[word]) : !isLooser && !isWider;
    details.push({
      detail: `${place === '' ? '' : `${place} `}${word} ${short(was[word])} → ${short(is[word])}`,
      breaks,
    });
  }
  return details;
}

function short(value: Json | undefined): string {
  if (value === undefined) return 'none';
  const text = JSON.stringify(value);
  return text.length <= 60 ? text : `${text.slice(0, 57)}…`;
}

/** The keys, families without their members, under which a stored value may no longer fit: what is declared otherwise. */
export function keysToCheck(before: Manifest, next: Manifest): ReadonlySet<string> {
  const keys = new Set<string>();
  const areItemsSame = equalJson(before.items, next.items);
  for (const [key, declaration] of Object.entries(before.records)) {
    const now = next.records[currentKey(key, next)];
    const isSame = equalJson(declaration, now) && (declaration.kind !== 'inventory' || areItemsSame);
    // What was not written since a name changed still lies under the one before.
    if (!isSame) for (const one of storedKeys(key, before)) keys.add(one);
  }
  return keys;
}

/** The section and the name under which a file declares what has this key. */
export function placeInFile(key: string): readonly [section: string, name: string] {
  const [kind = 'progress', name = ''] = key.split('/');
  return [sectionOfKind[kind as keyof typeof sectionOfKind], name];
}
