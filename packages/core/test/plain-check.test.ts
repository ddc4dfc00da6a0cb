import { expect } from 'chai';
import fc from 'fast-check';
import { checkPlainly, type Json, type Schema } from '@vekkon/core';
import { checkSchema } from '@vekkon/core/schema-check';

describe('the plain check of a device', () => {
  const schemas: readonly Json[] = [
    { type: 'integer', minimum: 0, maximum: 9 },
    { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 5 },
    { type: ['string', 'null'], minLength: 1, maxLength: 3 },
    { enum: ['small', 'medium', 3] },
    { const: true },
    { type: 'array', items: { type: 'integer' }, minItems: 1, maxItems: 2 },
    {
      type: 'object',
      additionalProperties: false,
      required: ['a'],
      properties: { a: { type: 'integer' }, b: { type: 'array', items: { enum: ['x'] } } },
    },
    false,
    true,
  ];
  const leaf = fc.oneof(
    fc.integer({ min: -2, max: 11 }),
    fc.constantFrom('', 'x', 'small', 'long text', null, true, 2.5),
  );
  const value = fc.oneof(
    leaf,
    fc.array(leaf, { maxLength: 3 }),
    fc.dictionary(fc.constantFrom('a', 'b', 'c'), fc.oneof(leaf, fc.array(leaf, { maxLength: 2 }))),
  );

  it('says of types, enums, bounds and members what a validator says', () => {
    fc.assert(
      fc.property(fc.constantFrom(...schemas), value, (schema, one) => {
        const plain = checkPlainly(schema as Schema, one as Json);
        expect(plain === undefined).to.equal(checkSchema(schema as Schema, one as Json) === undefined);
      }),
      { numRuns: 2_000 },
    );
  });

  it('says where, and what was there', () => {
    const schema = { properties: { chapter: { type: 'integer', maximum: 40 } } };
    expect(checkPlainly(schema, { chapter: 41 })).to.deep.equal({
      pointer: '/chapter',
      detail: 'The value at /chapter must be <= 40 (it is 41).',
    });
    expect(checkPlainly({ type: 'integer' }, 'x')?.detail).to.equal('The value must be integer (it is "x").');
  });
});
