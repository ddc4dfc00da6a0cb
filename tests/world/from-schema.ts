import fc from 'fast-check';

/** As much of JSON Schema as the OpenAPI document uses. */
export interface Schema {
  readonly type?: string | readonly string[];
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly properties?: { readonly [name: string]: Schema };
  readonly required?: readonly string[];
  readonly items?: Schema;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly allOf?: readonly Schema[];
  readonly minimum?: number;
  readonly maximum?: number;
  readonly default?: unknown;
}

/** What means something here, by the name of a member or parameter; under "" what may stand anywhere. */
export type Words = { readonly [name: string]: readonly unknown[] };

/** Values that are not what anybody asked for. */
const junk = fc.oneof(
  fc.constantFrom<unknown>(
    null,
    true,
    -1,
    1e308,
    2 ** 53,
    '',
    '\u0000',
    '__proto__',
    'x'.repeat(2_000),
    [],
    {},
    '../..',
  ),
  fc.jsonValue({ maxDepth: 3 }),
  fc.string({ unit: 'binary', maxLength: 40 }),
);

/**
 * Values that fit a schema, or nearly: of every thirty parts one is something
 * else, and objects have a member too many now and then.
 *
 * @param words what means something here, such as ids of players
 * @param name  the name of the member or parameter
 */
export function fromSchema(schema: Schema, words: Words, name = '', depth = 0): fc.Arbitrary<unknown> {
  const known = words[name] ?? [];
  const fitting = known.length > 0 && name !== '' ? fc.constantFrom(...known) : fit(schema, words, depth);
  return fc.oneof({ weight: 30, arbitrary: fitting }, { weight: 1, arbitrary: junk });
}

function fit(schema: Schema, words: Words, depth: number): fc.Arbitrary<unknown> {
  if (schema.const !== undefined) return fc.constant(schema.const);
  if (schema.enum !== undefined) return fc.constantFrom(...schema.enum);
  const choices = schema.anyOf ?? schema.oneOf;
  if (choices !== undefined) return fc.oneof(...choices.map((one) => fit(one, words, depth)));
  const [first] = schema.allOf ?? [];
  if (first !== undefined) return fit(first, words, depth);
  const type = Array.isArray(schema.type) ? (schema.type[0] as string) : (schema.type as string | undefined);
  switch (type) {
    case 'object':
      return members(schema, words, depth);
    case 'array':
      return fc.array(depth > 6 ? junk : fromSchema(schema.items ?? {}, words, '', depth + 1), { maxLength: 4 });
    case 'integer':
      return fc.integer({ min: Math.max(schema.minimum ?? -5, -5), max: Math.min(schema.maximum ?? 20, 20) });
    case 'number':
      return fc.oneof(fc.integer({ min: 0, max: 100 }), fc.double({ noNaN: true }));
    case 'boolean':
      return fc.boolean();
    case 'null':
      return fc.constant(null);
    case 'string':
      return fc.constantFrom(...(words[''] ?? []));
    default:
      return fc.jsonValue({ maxDepth: 2 });
  }
}

function members({ properties = {}, required = [] }: Schema, words: Words, depth: number) {
  if (depth > 6) return junk;
  const parts = Object.fromEntries(
    Object.entries(properties).map(([name, inner]) => {
      const part = fromSchema(inner, words, name, depth + 1);
      const isNeeded = required.includes(name);
      return [name, fc.option(part, { nil: undefined, freq: isNeeded ? 20 : 2 })];
    }),
  );
  const extra = fc.option(fc.tuple(fc.constantFrom(...(words[''] as string[])), junk), { nil: undefined, freq: 1 });
  return fc.tuple(fc.record(parts), fc.integer({ min: 0, max: 9 }), extra).map(([made, chance, more]) => {
    const whole = Object.fromEntries(Object.entries(made).filter(([, value]) => value !== undefined));
    return more !== undefined && chance === 0 ? { ...whole, [more[0]]: more[1] } : whole;
  });
}
