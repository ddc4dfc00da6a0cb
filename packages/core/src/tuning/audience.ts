import { compareVersions, validate } from 'compare-versions';
import type { AttributeType } from './attributes.js';
import type { AttributeTest, Attributes, AttributeValue, Audience } from './tuning.js';

/** The tests that compare two values, in the order in which they are said. */
const comparisons = {
  is: (order: number) => order === 0,
  isNot: (order: number) => order !== 0,
  atLeast: (order: number) => order >= 0,
  atMost: (order: number) => order <= 0,
  above: (order: number) => order > 0,
  below: (order: number) => order < 0,
} as const;

export const comparisonNames = Object.keys(comparisons) as readonly (keyof typeof comparisons)[];

/**
 * Is somebody of an audience? What is not known of them meets no test but
 * `isMissing`.
 *
 * @param types how the values of each attribute compare
 */
export function isOfAudience(
  audience: Audience,
  known: Attributes,
  types: { readonly [name: string]: AttributeType },
): boolean {
  if ('all' in audience) return audience.all.every((one) => isOfAudience(one, known, types));
  if ('any' in audience) return audience.any.some((one) => isOfAudience(one, known, types));
  if ('not' in audience) return !isOfAudience(audience.not, known, types);
  return meets(audience, known, types);
}

function meets(test: AttributeTest, known: Attributes, types: { readonly [name: string]: AttributeType }): boolean {
  const { attribute, isMissing } = test;
  const value = Object.hasOwn(known, attribute) ? known[attribute] : undefined;
  if (value === undefined) return isMissing === true;
  if (isMissing === true) return false;
  const type = types[attribute];
  for (const name of comparisonNames) {
    const other = test[name];
    if (other === undefined) continue;
    const order = compare(value, other, type);
    if (order === undefined || !comparisons[name](order)) return false;
  }
  return test.isOneOf === undefined || test.isOneOf.some((one) => compare(value, one, type) === 0);
}

/** @returns below 0, 0 or above; undefined where the two don't compare */
function compare(one: AttributeValue, other: AttributeValue, type: AttributeType | undefined): number | undefined {
  if (type === 'version' && typeof one === 'string' && typeof other === 'string') {
    if (one === other) return 0;
    return validate(one) && validate(other) ? compareVersions(one, other) : undefined;
  }
  if (typeof one !== typeof other) return undefined;
  return one === other ? 0 : one < other ? -1 : 1;
}

const inWords = {
  is: '',
  isNot: 'other than ',
  atLeast: 'at least ',
  atMost: 'at most ',
  above: 'above ',
  below: 'below ',
} as const;

/** Whom an audience takes, in words: `in Portugal or Ireland, with chapter at least 5`. */
export function audienceInWords(audience: Audience): string {
  if ('all' in audience) return audience.all.map(audienceInWords).join(', ') || 'all';
  if ('any' in audience) return audience.any.map(audienceInWords).join(', or ') || 'nobody';
  if ('not' in audience) return `not (${audienceInWords(audience.not)})`;
  return testInWords(audience);
}

function testInWords(test: AttributeTest): string {
  const { attribute } = test;
  const parts: string[] = [];
  if (test.isMissing === true) parts.push(`with ${attribute} not known`);
  if (test.isMissing === false) parts.push(`with ${attribute} known`);
  if (attribute === 'country' && test.isOneOf !== undefined) parts.push(`in ${orList(test.isOneOf.map(countryName))}`);
  else if (test.isOneOf !== undefined) parts.push(`with ${attribute} ${orList(test.isOneOf.map(quoted))}`);
  for (const name of comparisonNames) {
    const other = test[name];
    if (other === undefined) continue;
    if (attribute === 'country' && name === 'is') parts.push(`in ${countryName(other)}`);
    else if (attribute === 'country' && name === 'isNot') parts.push(`outside ${countryName(other)}`);
    else if (attribute === 'player' && name === 'is') parts.push(`with the id ${String(other)}`);
    else parts.push(`with ${attribute} ${inWords[name]}${quoted(other)}`);
  }
  return parts.join(', ');
}

function quoted(value: AttributeValue): string {
  return typeof value === 'string' && !validate(value) ? `"${value}"` : String(value);
}

const countries = new Intl.DisplayNames('en', { type: 'region', fallback: 'code' });

function countryName(code: AttributeValue): string {
  return typeof code === 'string' && /^[A-Z]{2}$/.test(code) ? (countries.of(code) ?? code) : String(code);
}

function orList(names: readonly string[]): string {
  return names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} or ${names.at(-1)}`;
}

/**
 * Why somebody is not of an audience, by the first test that fails.
 *
 * @returns undefined if they are of it
 */
export function whyNotOfAudience(
  audience: Audience,
  known: Attributes,
  types: { readonly [name: string]: AttributeType },
): string | undefined {
  if (isOfAudience(audience, known, types)) return undefined;
  if ('all' in audience) {
    for (const one of audience.all) {
      const why = whyNotOfAudience(one, known, types);
      if (why !== undefined) return why;
    }
  }
  if ('any' in audience) {
    return audience.any.map((one) => whyNotOfAudience(one, known, types)).join('; and ') || 'it is for nobody';
  }
  if ('not' in audience) return `it is not for players ${audienceInWords(audience.not)}`;
  const { attribute } = audience as AttributeTest;
  const value = Object.hasOwn(known, attribute) ? known[attribute] : undefined;
  const is = value === undefined ? 'not known' : quoted(value);
  return `${attribute} is ${is}, and it is for players ${audienceInWords(audience)}`;
}
