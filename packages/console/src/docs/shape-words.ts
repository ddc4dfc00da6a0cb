import type { Shape } from './document.js';

/** Bounds that every number has say nothing. */
const boundless = Number.MAX_SAFE_INTEGER;

/** What may stand there: "text, up to 200 characters", "list of up to 200: object", "null". */
export function inWords(shape: Shape): string {
  if ('const' in shape) return JSON.stringify(shape.const);
  if (shape.enum !== undefined) return shape.enum.map((one) => JSON.stringify(one)).join(' or ');
  const choices = shape.anyOf ?? shape.oneOf;
  if (choices !== undefined) return [...new Set(choices.map(inWords))].join(', or ');
  const types = typeof shape.type === 'string' ? [shape.type] : (shape.type ?? []);
  if (types.length === 0) return shape.allOf === undefined ? 'any JSON' : 'object';
  return types.map((type) => ofType(type, shape)).join(', or ');
}

function ofType(type: string, shape: Shape): string {
  const { items, format, additionalProperties, minLength, maxLength } = shape;
  switch (type) {
    case 'array': {
      const count = range(shape.minItems, shape.maxItems);
      return `list${count && ` of ${count}`}${items === undefined ? '' : `: ${inWords(items)}`}`;
    }
    case 'object':
      return typeof additionalProperties === 'object' ? `object by name: ${inWords(additionalProperties)}` : 'object';
    case 'string': {
      const length = range(minLength === 0 ? undefined : minLength, maxLength);
      return `text${format === undefined ? '' : ` (${format})`}${length && `, ${length} characters`}`;
    }
    case 'integer':
    case 'number': {
      const bounds = range(shape.minimum, shape.maximum);
      return `${type === 'integer' ? 'whole number' : 'number'}${bounds && `, ${bounds}`}`;
    }
    default:
      return type === 'boolean' ? 'true or false' : type;
  }
}

/** "up to 200", "at least 1", "1 to 5"; empty where there are no bounds. */
function range(least: number | undefined, most: number | undefined): string {
  const from = least === undefined || least <= -boundless ? undefined : least;
  const to = most === undefined || most >= boundless ? undefined : most;
  if (from === undefined) return to === undefined ? '' : `up to ${to}`;
  return to === undefined ? `at least ${from}` : from === to ? String(from) : `${from} to ${to}`;
}

/** A part of a shape that has parts of its own, and what leads to it. */
export interface Inner {
  readonly title: string;
  readonly shape: Shape;
}

/** The objects in a shape, through lists, maps and choices. */
export function innerOf(shape: Shape): readonly Inner[] {
  if (shape.properties !== undefined) return [{ title: '', shape }];
  if (shape.items !== undefined) return innerOf(shape.items);
  if (typeof shape.additionalProperties === 'object') return innerOf(shape.additionalProperties);
  return [...(shape.oneOf ?? []), ...(shape.anyOf ?? []), ...(shape.allOf ?? [])].flatMap((one) =>
    innerOf(one).map((inner) => ({ ...inner, title: inner.title === '' ? titleOf(inner.shape) : inner.title })),
  );
}

/** What tells one choice from the others: the values that are always the same. */
function titleOf({ properties = {} }: Shape): string {
  const fixed = Object.entries(properties).filter(([, one]) => 'const' in one);
  return fixed.map(([name, one]) => `${name}: ${JSON.stringify(one.const)}`).join(', ');
}
