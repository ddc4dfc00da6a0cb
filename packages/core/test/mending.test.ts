import { expect } from 'chai';
import fc from 'fast-check';
import {
  applyTransaction,
  differenceInWords,
  equalJson,
  mendingChanges,
  valueDifferences,
  type Change,
  type Json,
  type Records,
  type StoredRecord,
} from '@vekkon/core';
import { checkSchema } from '@vekkon/core/schema-check';
import { highfell, newPilot, noon } from './highfell.js';

const words = (was: Json | undefined, is: Json | undefined) => valueDifferences(was, is).map(differenceInWords);

describe('what is different between two values', () => {
  it('is said member by member, and of lists what was added and taken out', () => {
    const was = { chapter: 3, charted: ['gull-ridge', 'fog-saddle'], wind: { from: 'north', knots: 4 } };
    const is = { chapter: 4, charted: ['gull-ridge', 'east-gate'], wind: { from: 'north' }, camp: true };
    expect(words(was, is)).to.deep.equal([
      'chapter: 3 → 4',
      'charted: − "fog-saddle"',
      'charted: + "east-gate"',
      'wind · knots: 4 → nothing',
      'camp: nothing → true',
    ]);
  });

  it('is one thing where there was nothing, where nothing is left, and where it is of another sort', () => {
    expect([words(undefined, 4), words(4, undefined), words([1], { a: 1 })]).to.deep.equal([
      ['nothing → 4'],
      ['4 → nothing'],
      ['[1] → {"a":1}'],
    ]);
  });

  it('is told of a list in another order, of lists of objects by their places, and of names with a slash', () => {
    expect(words([1, 2], [2, 1])).to.deep.equal(['[1,2] → [2,1]']);
    expect(words([{ n: 1 }, { n: 2 }], [{ n: 1 }, { n: 3 }])).to.deep.equal(['1 · n: 2 → 3']);
    expect(words({ 'a/b': 1 }, { 'a/b': 2 })).to.deep.equal(['a/b: 1 → 2']);
  });

  it('is nothing of equal values, and something of all others', () => {
    const value = fc.jsonValue({ maxDepth: 3 }) as fc.Arbitrary<Json>;
    fc.assert(
      fc.property(value, value, (one, other) => {
        expect(valueDifferences(one, structuredClone(one))).to.deep.equal([]);
        const isSame = JSON.stringify(one) === JSON.stringify(other);
        if (!isSame && JSON.stringify(sorted(one)) !== JSON.stringify(sorted(other))) {
          expect(valueDifferences(one, other)).to.not.deep.equal([]);
        }
      }),
      { numRuns: 500 },
    );
  });
});

describe('two JSON values', () => {
  it('are the same by what they hold, also where a member is named as what every object has', () => {
    for (const name of ['valueOf', 'toString', 'hasOwnProperty', '__proto__']) {
      const made = () => JSON.parse(`{"${name}": 1, "list": [{"${name}": null}]}`) as Json;
      expect([equalJson(made(), made()), equalJson(made(), { list: [] }), equalJson(made(), {})]).to.deep.equal([
        true,
        false,
        false,
      ]);
    }
    const isIn = checkSchema({ enum: [{ valueOf: 1 }, { a: 1 }] }, { valueOf: 2 });
    expect(isIn).to.have.property('detail', 'The value does not fit its schema.');
  });

  it('are the same exactly where they are written alike', () => {
    const value = fc.jsonValue({ maxDepth: 3 }) as fc.Arbitrary<Json>;
    fc.assert(
      fc.property(value, value, (one, other) => {
        expect(equalJson(one, JSON.parse(JSON.stringify(one)))).to.equal(true);
        const isAlike = JSON.stringify(sorted(one)) === JSON.stringify(sorted(other));
        expect(equalJson(one, other)).to.equal(isAlike);
      }),
      { numRuns: 1_000 },
    );
  });
});

describe('what a person writes into a record', () => {
  /** The record after the changes that a person's value leads to. */
  function mended(key: string, is: Json | undefined, records: Records = newPilot()): StoredRecord | undefined {
    const changes = mendingChanges(key, records.get(key), is, 'by hand');
    if ('problem' in changes) throw new Error(changes.problem.detail);
    const applied = applyTransaction(records, { changes: changes as readonly Change[] }, highfell, noon);
    if (!applied.applied) throw new Error(applied.problem.detail);
    return applied.changed.get(key);
  }

  it('replaces a value under the revision that was read, or removes it', () => {
    const records = newPilot();
    const { revision = 0 } = records.get('progress/climbs') ?? {};
    expect(mendingChanges('progress/climbs', records.get('progress/climbs'), 7, '')).to.deep.equal([
      { op: 'put', key: 'progress/climbs', value: 7, ifRevision: revision },
    ]);
    expect(mended('progress/climbs', 7)?.value).to.equal(7);
    expect(mendingChanges('progress/climbs', { revision: 3, value: 7 }, undefined, '')).to.deep.equal([
      { op: 'remove', key: 'progress/climbs', ifRevision: 3 },
    ]);
    expect(mendingChanges('progress/climbs', { revision: 3, value: 7 }, 7, '')).to.deep.equal([]);
  });

  it('moves a balance by the difference, with its reason', () => {
    const held = { revision: 3, value: 310 };
    expect(mendingChanges('currency/feather', held, 340, 'lost in a storm')).to.deep.equal([
      { op: 'credit', key: 'currency/feather', amount: 30, reason: 'lost in a storm' },
    ]);
    expect(mendingChanges('currency/feather', held, 300, 'twice')).to.deep.equal([
      { op: 'debit', key: 'currency/feather', amount: 10, reason: 'twice' },
    ]);
    expect(mendingChanges('currency/feather', held, 1.5, '')).to.have.nested.property('problem.code', 'value-invalid');
  });

  it('takes items out before it puts items in, and alters pieces that stay', () => {
    const held = {
      revision: 2,
      value: {
        stacks: { flare: 2, 'silk-patch': 1 },
        pieces: { 'w-1': { item: 'wing', traits: { hue: 'red', wear: 3 } }, 'w-2': { item: 'wing', traits: {} } },
      },
    };
    const is = { stacks: { flare: 5 }, pieces: { 'w-1': { item: 'wing', traits: { hue: 'blue' } } } };
    expect(mendingChanges('inventory/pack', held, is, '')).to.deep.equal([
      { op: 'lose', key: 'inventory/pack', item: 'silk-patch', count: 1 },
      { op: 'lose', key: 'inventory/pack', item: 'wing', piece: 'w-2' },
      { op: 'gain', key: 'inventory/pack', item: 'flare', count: 3 },
      { op: 'alter', key: 'inventory/pack', piece: 'w-1', traits: { hue: 'blue', wear: null } },
    ]);
    expect(mendingChanges('inventory/pack', held, { stacks: {} }, '')).to.have.nested.property(
      'problem.code',
      'value-invalid',
    );
  });

  it('is not for scores', () => {
    expect(mendingChanges('score/gorge-run', undefined, {}, '')).to.have.nested.property(
      'problem.code',
      'op-not-for-kind',
    );
  });
});

/** With members in one order, since two objects with the same members are equal. */
function sorted(value: Json): Json {
  if (Array.isArray(value)) return (value as readonly Json[]).map(sorted);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value as { readonly [name: string]: Json })
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, inner]) => [name, sorted(inner)]),
  );
}
