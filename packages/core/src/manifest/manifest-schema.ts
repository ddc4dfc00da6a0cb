import { limits } from '../limits.js';
import { creditPeriods } from './manifest.js';

const name = { type: 'string', pattern: '^[a-z][a-z0-9-]{0,62}$' };
const about = { type: 'string', maxLength: 2000 };
const formerly = {
  description: 'Names it had before: what was stored or is sent under them means this one.',
  type: 'array',
  items: name,
  uniqueItems: true,
  maxItems: 100,
};
const valueSchema = { description: 'A JSON Schema (draft 2020-12).', type: ['object', 'boolean'] };
const family = {
  description: 'A player may hold several, by name.',
  type: 'object',
  properties: { atMost: { type: 'integer', minimum: 1, maximum: 1000 } },
  required: ['atMost'],
  additionalProperties: false,
};
const common = {
  about,
  formerly,
  lasts: { enum: ['always', 'run'] },
  player: { description: "What the player's own device may do.", enum: ['none', 'read', 'write'] },
  others: { description: 'What other players may see.', enum: ['none', 'read'] },
  together: {
    description: "Where a device's player becomes one of an account that has something already, and wants both.",
    enum: ['higher', 'sum', 'union', 'account', 'device'],
  },
};
const bareValue = { type: ['null', 'boolean', 'number', 'string', 'array'] };
const bareStarting = { ...bareValue, description: 'In place of a schema: its type and starting value.' };
const wholeNumber = {
  type: 'integer',
  minimum: Number.MIN_SAFE_INTEGER,
  maximum: Number.MAX_SAFE_INTEGER,
};
const aboveNothing = { ...wholeNumber, minimum: 1 };

const rewardChanges = { type: 'array', minItems: 1, maxItems: 20, items: { type: 'object' } };
const reward = {
  description: 'What a season gives, to ranks from and up to, or to the first part of the field in percent.',
  type: 'object',
  properties: {
    ranks: { type: 'array', items: aboveNothing, minItems: 2, maxItems: 2 },
    share: { type: 'number', exclusiveMinimum: 0, maximum: 100 },
    changes: rewardChanges,
  },
  required: ['changes'],
  minProperties: 2,
  maxProperties: 2,
  additionalProperties: false,
};

/** How many names one section may declare. */
export const mostOfASection = 1000;

function namedBy(declaration: object, maxProperties = mostOfASection): object {
  return { type: 'object', propertyNames: name, additionalProperties: declaration, maxProperties };
}

function form(properties: object, required: readonly string[] = []): object {
  return { type: 'object', properties, required, additionalProperties: false };
}

function record(properties: object, required: readonly string[] = []): object {
  return form({ ...common, ...properties }, required);
}

/** A bare value stands for a schema with its type and starting value. */
function orBareValue(declaration: object, bare: object = bareValue): object {
  return { if: { type: 'object' }, then: declaration, else: bare };
}

const stack = form({ about, formerly, stack: { ...aboveNothing, maximum: 1_000_000_000 } }, ['stack']);
const unique = form({ about, formerly, unique: { const: true }, traits: valueSchema }, ['unique']);

/** The shape of a manifest file, as a JSON Schema (draft 2020-12) that editors understand too. */
export const manifestSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Manifest of a game',
  type: 'object',
  properties: {
    manifest: { const: 1 },
    game: name,
    title: { type: 'string', minLength: 1, maxLength: limits.idCharacters },
    progress: namedBy(orBareValue(record({ family, schema: valueSchema, starting: bareStarting }))),
    currencies: namedBy(
      orBareValue(
        record({
          starting: wholeNumber,
          floor: wholeNumber,
          ceiling: wholeNumber,
          creditLimit: form({ atMost: aboveNothing, per: { enum: Object.keys(creditPeriods) } }, ['atMost', 'per']),
        }),
        wholeNumber,
      ),
    ),
    items: namedBy({ if: { type: 'object', required: ['unique'] }, then: unique, else: stack }),
    inventories: namedBy(
      record({
        capacity: { ...aboveNothing, maximum: limits.inventoryPlaces },
        accepts: { type: 'array', items: name, uniqueItems: true, maxItems: 1000 },
        starting: {
          type: 'array',
          maxItems: limits.inventoryPlaces,
          items: form({ item: name, count: aboveNothing, piece: { type: 'string' }, traits: { type: 'object' } }, [
            'item',
          ]),
        },
      }),
    ),
    preferences: namedBy(orBareValue(record({ schema: valueSchema, starting: bareStarting }))),
    boards: namedBy(
      record(
        {
          family,
          better: { enum: ['higher', 'lower'] },
          counts: { enum: ['best', 'newest', 'sum'] },
          unit: { type: 'string', maxLength: 40 },
          lowest: { type: 'number' },
          highest: { type: 'number' },
          doubtful: { ...form({ above: { type: 'number' }, below: { type: 'number' } }), minProperties: 1 },
          season: {
            description: 'none, daily, weekly, monthly, or a cron expression in UTC.',
            type: 'string',
            maxLength: 100,
          },
          grace: { description: 'Seconds.', type: 'integer', minimum: 0, maximum: 86_400 },
          rewards: { type: 'array', minItems: 1, maxItems: 100, items: reward },
          entries: { type: 'integer', minimum: 1, maximum: 100 },
          public: { type: 'boolean' },
        },
        ['better', 'counts'],
      ),
    ),
    checkpoints: form(
      {
        atMost: { type: 'integer', minimum: 1, maximum: 100 },
        by: { enum: ['player', 'host'] },
        records: { type: 'array', items: { type: 'string' }, minItems: 1, maxItems: 1000, uniqueItems: true },
      },
      ['atMost', 'records'],
    ),
    attributes: namedBy({
      if: { type: 'object', required: ['type'] },
      then: form({ about, formerly, type: { enum: ['string', 'number', 'boolean', 'version'] } }, ['type']),
      else: form({ about, formerly, from: { type: 'string' }, path: { type: 'string' } }, ['from']),
    }),
    tunables: namedBy(orBareValue(form({ about, formerly, schema: valueSchema }, ['schema']))),
  },
  required: ['manifest', 'game'],
  additionalProperties: false,
} as const;
