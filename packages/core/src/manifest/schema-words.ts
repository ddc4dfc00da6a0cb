import type { ErrorObject } from 'ajv/dist/2020.js';

const types: { readonly [name: string]: string } = {
  object: 'an object',
  array: 'a list',
  string: 'text',
  number: 'a number',
  integer: 'a whole number',
  boolean: 'true or false',
  null: 'null',
};

/** What a keyword of JSON Schema asks of a value that does not fit it: "must be a whole number". */
export function wordsOfKeyword({ keyword, params, schema, message }: ErrorObject): string {
  const limit = String(params['limit']);
  const one = params['limit'] === 1;
  switch (keyword) {
    case 'type': {
      const asked = [params['type'] as string | string[]].flat();
      return `must be ${asked.map((name) => types[name] ?? name).join(' or ')}`;
    }
    case 'enum':
      return `must be one of ${(params['allowedValues'] as unknown[]).map((value) => String(value)).join(', ')}`;
    case 'const':
      return `must be ${JSON.stringify(params['allowedValue'])}`;
    case 'required':
      return `needs "${params['missingProperty']}"`;
    case 'minimum':
      return `must be at least ${limit}`;
    case 'maximum':
      return `must be at most ${limit}`;
    case 'exclusiveMinimum':
      return `must be above ${limit}`;
    case 'exclusiveMaximum':
      return `must be below ${limit}`;
    case 'minLength':
      return `must have at least ${limit} ${one ? 'character' : 'characters'}`;
    case 'maxLength':
      return `must have at most ${limit} ${one ? 'character' : 'characters'}`;
    case 'minItems':
      return `must hold at least ${limit}`;
    case 'maxItems':
      return `must hold at most ${limit}`;
    case 'minProperties':
      return `must have at least ${limit} ${one ? 'member' : 'members'}`;
    case 'maxProperties':
      return `must have at most ${limit} ${one ? 'member' : 'members'}`;
    case 'uniqueItems':
      return 'must not hold the same twice';
    case 'pattern':
      return `must match ${String(params['pattern'])}`;
    case 'format':
      return `must be a ${String(params['format'])}`;
    case 'false schema':
    case 'not':
      return 'must not be there';
    case 'anyOf':
    case 'oneOf':
      return schema === undefined ? 'fits none of what may stand here' : 'must be one of what may stand here';
    default:
      return message ?? 'is not as it must be';
  }
}
