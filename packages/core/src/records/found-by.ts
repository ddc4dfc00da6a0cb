import { isId } from '../keys/names.js';
import { isJsonObject, type Json } from '../json.js';
import { escapePointerToken, pointerTokens, valueAt } from '../keys/json-pointer.js';
import { isProblem, problem, type OrProblem } from '../keys/problem.js';
import { currentKey } from '../manifest/former-names.js';
import { declarationOf } from '../manifest/declaration-of.js';
import type { Manifest } from '../manifest/manifest.js';
import { readRecord } from './read-record.js';
import type { StoredRecord } from './record.js';
import type { Rules } from './rules.js';

/** What players can be found by: something in a record, or an attribute that came with their last join. */
export type FoundBy = { readonly key: string; readonly path: readonly string[] } | { readonly attribute: string };

/** How much of a text players are found by, in characters. */
const longestText = 128;

/**
 * Reads what players are found by: `currency/feather`, `progress/flight#/chapter`
 * (a key and a JSON Pointer as the fragment of a URI, RFC 6901, 6), or
 * `attribute/country`.
 *
 * @returns `key-malformed`, `key-not-declared` or `path-not-found` where it is none
 */
export function readFoundBy(text: string, manifest: Manifest): OrProblem<FoundBy> {
  const [place = '', fragment, ...more] = text.split('#');
  const attribute = /^attribute\/(.+)$/.exec(place)?.[1];
  if (attribute !== undefined) {
    if (fragment === undefined && isId(attribute)) return fromAttribute(attribute, manifest);
    return problem('key-malformed', `"${text}" names no attribute: write it as in attribute/country.`, { key: text });
  }
  const declared = declarationOf(place, manifest);
  if (isProblem(declared)) return declared;
  const path = pointerTokens(fragment ?? '');
  if (path === undefined || more.length > 0) {
    const detail = `"#${fragment ?? ''}" is no JSON Pointer: write where in ${place} it stands, as in progress/flight#/chapter.`;
    return problem('path-not-found', detail, { key: place });
  }
  return { key: declared.key, path };
}

/** An attribute that the manifest takes from a record is found there. */
function fromAttribute(attribute: string, manifest: Manifest): FoundBy {
  const declared = Object.hasOwn(manifest.attributes, attribute) ? manifest.attributes[attribute] : undefined;
  if (declared === undefined || !('from' in declared)) return { attribute };
  return { key: currentKey(declared.from, manifest), path: pointerTokens(declared.path) ?? [] };
}

/** The one way of writing it. */
export function foundByInWords(foundBy: FoundBy): string {
  if ('attribute' in foundBy) return `attribute/${foundBy.attribute}`;
  const pointer = foundBy.path.map((token) => `/${escapePointerToken(token)}`).join('');
  return pointer === '' ? foundBy.key : `${foundBy.key}#${pointer}`;
}

/** What a player is found by there: a number or a text; null where neither stands. */
export function valueFoundBy(value: Json | undefined, path: readonly string[]): number | string | null {
  const found = value === undefined ? undefined : valueAt(value, path);
  if (typeof found === 'number') return found;
  if (typeof found === 'boolean') return String(found);
  return typeof found === 'string' ? [...found].slice(0, longestText).join('') : null;
}

const singleValues: ReadonlySet<unknown> = new Set(['integer', 'number', 'string', 'boolean']);
/**
 * What a player is found by in a record, as a game reads it: who has none has
 * what everybody begins with, but for one of a family.
 *
 * @param stored under the key of now; undefined where nothing is
 */
export function recordFoundBy(
  stored: StoredRecord | undefined,
  { key, path }: Extract<FoundBy, { readonly key: string }>,
  rules: Pick<Rules, 'manifest' | 'check'>,
): number | string | null {
  const declared = declarationOf(key, rules.manifest);
  if (isProblem(declared)) return null;
  if (declared.member !== undefined && (stored === undefined || stored.removed === true)) return null;
  return valueFoundBy(readRecord(stored, declared.declaration, rules).value, path);
}

/** How deep it is looked for what players could be found by. */
const deepest = 3;

/** What the players of a game could be found by, as it is declared: what holds a number, a text, or yes or no. */
export function findable(manifest: Manifest): readonly string[] {
  const found: string[] = [];
  for (const [key, declaration] of Object.entries(manifest.records)) {
    // Of a family each is found by its own name.
    if (declaration.family !== undefined) continue;
    if (declaration.kind === 'currency') found.push(key);
    else if (declaration.kind === 'score') found.push(`${key}#/best`);
    else if ('schema' in declaration) {
      found.push(...placesIn(declaration.schema, []).map((path) => foundByInWords({ key, path })));
    }
  }
  const declared = Object.entries(manifest.attributes).filter(([, one]) => !('from' in one));
  return [
    ...found,
    ...[...new Set(['country', 'build', ...declared.map(([name]) => name)])].map((one) => `attribute/${one}`),
  ];
}

/** Where in a schema single values stand. */
function placesIn(schema: Json | undefined, path: readonly string[]): readonly (readonly string[])[] {
  if (!isJsonObject(schema)) return [];
  const { type, properties } = schema;
  const types = Array.isArray(type) ? type : [type];
  if (types.some((one) => singleValues.has(one)) || schema['enum'] !== undefined) return [path];
  if (!isJsonObject(properties) || path.length >= deepest) return [];
  return Object.entries(properties).flatMap(([name, inner]) => placesIn(inner, [...path, name]));
}
