import { limits } from '../limits.js';

const name = { type: 'string', pattern: '^[a-z][a-z0-9-]{0,62}$' };
const about = { type: 'string', maxLength: 2000 };
const valueSchema = { type: ['object', 'boolean'] };
const family = {
  type: 'object',
  properties: { atMost: { type: 'integer', minimum: 1, maximum: 1000 } },
  required: ['atMost'],
  additionalProperties: false,
};
const common = {
  about,
  lasts: { enum: ['always', 'run'] },
  player: { enum: ['none', 'read', 'write'] },
  others: { enum: ['none', 'read'] },
};
const bareValue = { type: ['null', 'boolean', 'number', 'string', 'array'] };
const wholeNumber = {
  type: 'integer',
  minimum: Number.MIN_SAFE_INTEGER,
  maximum: Number.MAX_SAFE_INTEGER,
};

function namedBy(declaration: object): object {
  return { type: 'object', propertyNames: name, additionalProperties: declaration, maxProperties: 1000 };
}

function longForm(properties: object, required: readonly string[] = []): object {
  return { type: 'object', properties: { ...common, ...properties }, required, additionalProperties: false };
}

/** A bare value stands for a schema with its type and starting value. */
function orBareValue(declaration: object): object {
  return { if: { type: 'object' }, then: declaration, else: bareValue };
}

/** The shape of a manifest file, as a JSON Schema (draft 2020-12) that editors understand too. */
export const manifestSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Manifest of a game',
  type: 'object',
  properties: {
    manifest: { const: 1 },
    game: name,
    title: { type: 'string', minLength: 1, maxLength: limits.idCharacters },
    progress: namedBy(orBareValue(longForm({ family, schema: valueSchema }, ['schema']))),
    currencies: namedBy({
      if: { type: 'object' },
      then: longForm({ starting: wholeNumber, floor: wholeNumber, ceiling: wholeNumber }),
      else: wholeNumber,
    }),
    preferences: namedBy(orBareValue(longForm({ schema: valueSchema }, ['schema']))),
    boards: namedBy(
      longForm(
        {
          family,
          better: { enum: ['higher', 'lower'] },
          counts: { enum: ['best', 'newest', 'sum'] },
          unit: { type: 'string', maxLength: 40 },
          lowest: { type: 'number' },
          highest: { type: 'number' },
          public: { type: 'boolean' },
        },
        ['better', 'counts'],
      ),
    ),
    tunables: namedBy(
      orBareValue({
        type: 'object',
        properties: { about, schema: valueSchema },
        required: ['schema'],
        additionalProperties: false,
      }),
    ),
  },
  required: ['manifest', 'game'],
  additionalProperties: false,
} as const;
