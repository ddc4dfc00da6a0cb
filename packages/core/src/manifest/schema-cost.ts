import * as recheck from 'recheck/lib/browser.js';
import { isJsonArray, isJsonObject, type Json, type JsonObject } from '../json.js';
import { limits, serviceLimits } from '../limits.js';
import { pointerTokens, valueAt } from '../keys/json-pointer.js';

/** What a schema asks that could delay whoever checks a value against it, and where in the schema. */
export interface SchemaMistake {
  readonly path: readonly (string | number)[];
  readonly detail: string;
}

// It is a CommonJS module: some loaders see its exports, others only the whole.
const { checkSync } = 'checkSync' in recheck ? recheck : (recheck as { default: typeof recheck }).default;

/** A list or an object can't have more members than this in the bytes that a record has. */
const mostMembers = limits.recordBytes / 2;
const mostUnique = 1_000;
const mostForPattern = 1_000;
const longestPattern = 500;
/** How many unlike patterns a manifest may have, and how many that can't be told in time are tried. */
const mostPatterns = 100;
const mostIntricate = 3;
const tooIntricate = 'is too intricate to be sure of: write a simpler one.';

/** What of one manifest's patterns was looked at. */
export interface PatternsMet {
  unlike: number;
  intricate: number;
}

/** Keywords that hold one schema for each member, of the many that a value can have. */
const perMember = [
  'items',
  'additionalProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
  'propertyNames',
  'contains',
];
const single = ['not', 'if', 'then', 'else'];
const lists = ['allOf', 'anyOf', 'oneOf', 'prefixItems'];
const maps = ['properties', 'patternProperties', 'dependentSchemas'];
/** They lead somewhere that can't be told from this file. */
const leadingElsewhere = ['$id', '$anchor', '$dynamicRef', '$dynamicAnchor', '$recursiveRef', '$vocabulary'];

/**
 * Finds what would let a value delay the writer: references out of the file or
 * in a circle, patterns that backtrack, lists compared each with each, and
 * more checks for one value than `serviceLimits.schemaCost`.
 */
export function schemaCostMistakes(
  schema: Json,
  patterns: PatternsMet = { unlike: 0, intricate: 0 },
): readonly SchemaMistake[] {
  const mistakes: SchemaMistake[] = [];
  const cost = costOf(schema, [], { root: schema, times: 1, following: [], costs: new Map(), mistakes, patterns });
  if (mistakes.length === 0 && cost > serviceLimits.schemaCost) {
    mistakes.push({
      path: [],
      detail: `Checking one value could take ${cost.toExponential(0)} steps, and ${serviceLimits.schemaCost.toExponential(0)} is the most: bound the lists with maxItems and the objects with maxProperties.`,
    });
  }
  return mistakes;
}

interface Walk {
  readonly root: Json;
  /** How often this part can be met in one value. */
  readonly times: number;
  /** What was found of each reference before, by how often it can be met. */
  readonly costs: Map<string, number>;
  /** The references that led here. */
  readonly following: readonly string[];
  readonly mistakes: SchemaMistake[];
  readonly patterns: PatternsMet;
}

/** How many checks one value can take at the most. */
function costOf(schema: Json | undefined, path: SchemaMistake['path'], walk: Walk): number {
  if (!isJsonObject(schema) || walk.mistakes.length >= 20) return walk.times;
  let cost = walk.times * Math.max(Object.keys(schema).length, 1);
  checkWords(schema, path, walk);
  cost += costOfPattern(schema, path, walk);
  cost += costOfUnique(schema, path, walk);
  for (const keyword of single) cost += costUnder(keyword, schema[keyword], path, walk);
  for (const keyword of lists) {
    const inner = schema[keyword];
    if (!isJsonArray(inner)) continue;
    inner.forEach((one, index) => (cost += costOf(one, [...path, keyword, index], walk)));
  }
  for (const keyword of maps) {
    const inner = schema[keyword];
    if (!isJsonObject(inner)) continue;
    const times = keyword === 'patternProperties' ? timesMembers(schema, walk) : walk.times;
    for (const [name, one] of Object.entries(inner)) {
      if (keyword === 'patternProperties') checkPattern(name, false, [...path, keyword, name], walk);
      cost += costOf(one, [...path, keyword, name], { ...walk, times });
    }
  }
  for (const keyword of perMember) {
    cost += costUnder(keyword, schema[keyword], path, { ...walk, times: timesMembers(schema, walk) });
  }
  return cost + costOfReference(schema, path, walk);
}

function costUnder(keyword: string, inner: Json | undefined, path: SchemaMistake['path'], walk: Walk): number {
  return isJsonObject(inner) ? costOf(inner, [...path, keyword], walk) : 0;
}

function timesMembers(schema: JsonObject, { times }: Walk): number {
  const bounds = [schema['maxItems'], schema['maxProperties']].filter((one) => typeof one === 'number');
  return Math.min(times * Math.max(...(bounds.length > 0 ? bounds : [mostMembers]), 1), mostMembers);
}

function checkWords(schema: JsonObject, path: SchemaMistake['path'], { mistakes }: Walk): void {
  for (const word of leadingElsewhere) {
    if (schema[word] !== undefined) {
      mistakes.push({
        path: [...path, word],
        detail: `"${word}" can't be used here: refer to a place in this schema with "$ref": "#/$defs/…".`,
      });
    }
  }
}

function costOfReference(schema: JsonObject, path: SchemaMistake['path'], walk: Walk): number {
  const reference = schema['$ref'];
  if (typeof reference !== 'string') return 0;
  const at = [...path, '$ref'];
  const decoded = decodedFragment(reference);
  if (decoded === null) {
    walk.mistakes.push({
      path: at,
      detail: `"${reference}" is not percent-encoded as it must be (RFC 3986): write "%25" for a "%".`,
    });
    return 0;
  }
  const tokens = decoded === undefined ? undefined : pointerTokens(decoded);
  if (tokens === undefined) {
    walk.mistakes.push({
      path: at,
      detail: `"${reference}" leads out of this schema, and nothing is fetched: write it out under "$defs", and refer to "#/$defs/…".`,
    });
    return 0;
  }
  const target = valueAt(walk.root, tokens);
  if (target === undefined) {
    walk.mistakes.push({ path: at, detail: `"${reference}" leads nowhere in this schema.` });
    return 0;
  }
  if (walk.following.includes(reference)) {
    walk.mistakes.push({
      path: at,
      detail: `"${reference}" leads back to itself: a value could be checked without end. Write out as many levels as you need.`,
    });
    return 0;
  }
  const name = `${reference} ${walk.times}`;
  const before = walk.costs.get(name);
  const cost = before ?? costOf(target, path, { ...walk, following: [...walk.following, reference] });
  walk.costs.set(name, cost);
  return cost;
}

/** What stands behind the "#" of a reference; undefined if there is none, null if it can't be decoded. */
function decodedFragment(reference: string): string | undefined | null {
  if (!reference.startsWith('#')) return undefined;
  try {
    return decodeURIComponent(reference.slice(1));
  } catch {
    return null;
  }
}

function costOfUnique(schema: JsonObject, path: SchemaMistake['path'], { times, mistakes }: Walk): number {
  if (schema['uniqueItems'] !== true) return 0;
  const most = schema['maxItems'];
  if (typeof most !== 'number' || most > mostUnique) {
    mistakes.push({
      path: [...path, 'uniqueItems'],
      detail: `uniqueItems compares each with each: give it a maxItems of at most ${mostUnique}.`,
    });
    return 0;
  }
  return (times * most * most) / 2;
}

function costOfPattern(schema: JsonObject, path: SchemaMistake['path'], walk: Walk): number {
  const pattern = schema['pattern'];
  if (typeof pattern !== 'string') return 0;
  const longest = schema['maxLength'];
  const isShort = typeof longest === 'number' && longest <= mostForPattern;
  checkPattern(pattern, isShort, [...path, 'pattern'], walk);
  return walk.times * (isShort ? longest : 0);
}

const known = new Map<string, string | undefined>();

/** Refuses a pattern that can take much longer than the text that it is tried on. */
function checkPattern(
  pattern: string,
  isShort: boolean,
  path: SchemaMistake['path'],
  { mistakes, patterns }: Walk,
): void {
  const name = `${isShort} ${pattern}`;
  if (!known.has(name)) {
    if (patterns.unlike >= mostPatterns) {
      mistakes.push({
        path,
        detail: `A manifest may have ${mostPatterns} unlike patterns at the most: this is one more.`,
      });
      return;
    }
    if (patterns.intricate >= mostIntricate) {
      mistakes.push({ path, detail: 'This pattern was not looked at: write those before it more simply first.' });
      return;
    }
  }
  patterns.unlike++;
  if (!known.has(name)) {
    if (known.size > 2_000) known.clear();
    const found = patternMistake(pattern, isShort);
    if (found?.endsWith(tooIntricate) === true) {
      // Not kept: on a machine that has more time it may be told.
      patterns.intricate++;
      mistakes.push({ path, detail: found });
      return;
    }
    known.set(name, found);
  }
  const detail = known.get(name);
  if (detail !== undefined) mistakes.push({ path, detail });
}

function patternMistake(pattern: string, isShort: boolean): string | undefined {
  if (pattern.length > longestPattern) return `A pattern takes at most ${longestPattern} characters.`;
  // The automaton's verdict is exact and always the same; the other checkers try strings by chance.
  const found = checkSync(pattern, 'u', { checker: 'automaton', timeout: 1_000 });
  if (found.status === 'safe') return undefined;
  if (found.status === 'unknown') {
    if (found.error.kind === 'invalid') return `The pattern "${pattern}" is not a regular expression.`;
    return `The pattern "${pattern}" ${tooIntricate}`;
  }
  const isQuadratic = found.complexity.type === 'polynomial' && found.complexity.degree === 2;
  if (isQuadratic && isShort) return undefined;
  if (isQuadratic) {
    return `The pattern "${pattern}" takes the square of the text's length: give it a maxLength of at most ${mostForPattern}, or anchor it with "^".`;
  }
  return `The pattern "${pattern}" can take ${found.complexity.type} time, for instance on ${found.attack.pattern}: write it so that each text can be matched in one way only.`;
}
