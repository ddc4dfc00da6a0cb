/**
 * How long the worst values take that a manifest may let through: each beside
 * reading the same text as JSON, in the same run.
 *
 * Run it with: npm run bench:schemas
 */
import type { Json, Schema } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { checkSchema } from '@vekkon/core/schema-check';

interface Case {
  readonly what: string;
  readonly schema: Schema;
  readonly value: Json;
}

const repeats = 20;
const letters = 'abcdefgh';

const cases: readonly Case[] = [
  {
    what: 'a thousand objects compared each with each',
    schema: { type: 'array', uniqueItems: true, maxItems: 1_000, items: { type: 'object' }, default: [] },
    value: Array.from({ length: 1_000 }, (_, index) => ({ a: { b: [1, 2, 3, { c: index }] } })),
  },
  {
    what: 'a quadratic pattern on a thousand letters',
    schema: { type: 'string', pattern: 'a*b$', maxLength: 1_000, default: 'b' },
    value: 'a'.repeat(1_000),
  },
  {
    what: 'ten choices for each of thirty thousand numbers',
    schema: {
      type: 'array',
      maxItems: 30_000,
      items: {
        anyOf: Array.from({ length: 10 }, (_, index) => ({ const: index - 10 })).concat({ type: 'number' } as never),
      },
      default: [],
    } as Schema,
    value: Array.from({ length: 30_000 }, (_, index) => index),
  },
  {
    what: 'patterns on each of two thousand texts',
    schema: {
      type: 'array',
      maxItems: 2_000,
      items: { type: 'string', pattern: '^[a-h]{0,120}$', maxLength: 120 },
      default: [],
    },
    value: Array.from({ length: 2_000 }, (_, index) => letters.repeat(15).slice(index % 8)),
  },
];

for (const { what, schema, value } of cases) {
  const manifest = JSON.stringify({ manifest: 1, game: 'highfell-gliders', progress: { flight: { schema } } });
  const read = readManifestFile(manifest);
  if ('mistakes' in read) throw new Error(`${what} does not pass: ${read.mistakes[0]?.detail}`);
  const text = JSON.stringify(value);
  checkSchema(schema, value);
  const checking = millisecondsOf(() => checkSchema(schema, value));
  const parsing = millisecondsOf(() => JSON.parse(text));
  const ratio = (checking / parsing).toFixed(1);
  console.log(
    `${what} (${Math.round(text.length / 1024)} KiB): ${checking.toFixed(2)} ms, ${ratio} times reading it as JSON`,
  );
}

/** The median of some runs. */
function millisecondsOf(work: () => unknown): number {
  const taken = Array.from({ length: repeats }, () => {
    const start = performance.now();
    work();
    return performance.now() - start;
  });
  return taken.sort((a, b) => a - b)[repeats / 2] ?? 0;
}
