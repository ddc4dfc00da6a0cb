import { isJsonArray, isJsonObject } from '../json.js';
import { comparisonNames } from './audience.js';
import { tuningLimits } from './tuning.js';

const groups = ['all', 'any', 'not'] as const;
const tests: readonly string[] = [...comparisonNames, 'isOneOf', 'isMissing'];
const longestText = 200;

/**
 * What is wrong with the shape of an audience, before it is known what it
 * asks for.
 *
 * @returns undefined if it has the shape of one
 */
export function audienceShapeMistake(given: unknown, depth = 1): string | undefined {
  if (!isJsonObject(given))
    return 'is an object: { "attribute": "country", "is": "PT" }, or "all", "any" or "not" of such';
  if (depth > tuningLimits.audienceDepth) return `nests at most ${tuningLimits.audienceDepth} deep`;
  const members = Object.keys(given);
  const group = groups.find((one) => one in given);
  if (group !== undefined) {
    if (members.length > 1) return `has "${group}" and nothing beside it`;
    if (group === 'not') return audienceShapeMistake(given[group], depth + 1);
    const parts = given[group];
    if (!isJsonArray(parts) || parts.length > tuningLimits.audienceTests) {
      return `has under "${group}" a list of up to ${tuningLimits.audienceTests} tests`;
    }
    for (const part of parts) {
      const mistake = audienceShapeMistake(part, depth + 1);
      if (mistake !== undefined) return mistake;
    }
    return undefined;
  }
  if (typeof given['attribute'] !== 'string') return 'names an "attribute", or has "all", "any" or "not"';
  const unknown = members.find((one) => one !== 'attribute' && !tests.includes(one));
  if (unknown !== undefined) return `knows no test "${unknown.slice(0, 60)}": write one of ${tests.join(', ')}`;
  for (const test of tests) {
    const value = given[test];
    if (value === undefined) continue;
    if (test === 'isMissing') {
      if (typeof value !== 'boolean') return 'takes true or false for "isMissing"';
    } else if (test === 'isOneOf') {
      if (!isJsonArray(value) || value.length === 0 || value.length > 500 || !value.every(isPlain)) {
        return 'takes for "isOneOf" a list of 1 to 500 texts, numbers or booleans';
      }
    } else if (!isPlain(value)) return `takes a text, a number or a boolean for "${test}"`;
  }
  return undefined;
}

function isPlain(value: unknown): boolean {
  if (typeof value === 'string') return value.length <= longestText;
  return typeof value === 'boolean' || (typeof value === 'number' && Number.isFinite(value));
}
