import fc from 'fast-check';
import { expect } from 'chai';
import { checkTransactionShape, checkValue, type Json, type Transaction } from '@vekkon/core';
import { transaction as shape } from '../src/shapes/changes.js';

const key = 'progress/climbs';
/** One change of each op that both sides take. */
const right: readonly { readonly [name: string]: unknown }[] = [
  { op: 'put', key, value: 1, ifRevision: 4 },
  { op: 'merge', key, value: {} },
  { op: 'remove', key, ifRevision: 0 },
  { op: 'increase', key, path: '/charted', by: 2 },
  { op: 'outdo', key, path: '', value: 1, better: 'lower' },
  { op: 'collect', key, value: 'x' },
  { op: 'discard', key, value: 'x' },
  { op: 'credit', key, amount: 3, reason: 'climb', count: 1 },
  { op: 'debit', key, amount: 3, reason: 'wing' },
  { op: 'gain', key, item: 'wing', count: 1, piece: 'w-1', traits: {} },
  { op: 'lose', key, item: 'wing', count: 1 },
  { op: 'alter', key, piece: 'w-1', traits: {} },
  { op: 'submit', key, value: 7, name: 'Maren', note: '' },
  { op: 'start-over' },
  { op: 'reset', key },
  { op: 'checkpoint', name: 'camp', summary: 's', instead: 'i' },
  { op: 'restore', name: 'camp' },
  { op: 'fly' },
];
const names = [...new Set(right.flatMap((one) => Object.keys(one)))];

/** Values that stand on the edge of what a member takes, and beyond it. */
const odd = fc.oneof(
  fc.constantFrom<unknown>(undefined, null, '', 'x', 'a/b', '..', 'two\nlines', 0, 1, -1, 0.5, 2 ** 53, true, [], {}),
  fc
    .constantFrom(0, 62, 63, 64, 128, 129, 200, 201, 300, 301, 1000, 1001, 1024, 1025)
    .map((length) => 'n'.repeat(length)),
  fc.constantFrom(
    'higher',
    '2026-11-23T12:00:00Z',
    '2026-11-23T12:00:00.5+01:00',
    '2026-11-23',
    '2026-13-45T99:00:00Z',
  ),
);
/** A right change, of which now and then a member is another, or one too many. */
const change = fc
  .tuple(
    fc.constantFrom(...right),
    fc.option(fc.tuple(fc.constantFrom(...names), odd), { nil: undefined, freq: 2 }),
    fc.boolean(),
  )
  .map(([one, other, isOwn]) => {
    if (other === undefined) return one;
    const [name, value] = other;
    const own = Object.keys(one)[name.length % Object.keys(one).length] ?? 'op';
    return { ...one, [isOwn ? own : name]: value };
  });

const nowAndThen = fc.option(odd, { nil: undefined, freq: 1 });
const made = fc
  .tuple(fc.array(change, { maxLength: 3 }), fc.constantFrom('label', 'once', 'at', 'keep', 'more'), nowAndThen)
  .map(([changes, name, value]) => ({ changes, ...(value !== undefined && { [name]: value }) }));

describe('a transaction that a client checks and the service checks again', () => {
  it('is taken by both or by neither, and refused in the same words', () => {
    let [taken, refused] = [0, 0];
    fc.assert(
      fc.property(made, (given) => {
        // What goes over the wire: members that are undefined do not.
        const sent = JSON.parse(JSON.stringify(given)) as Json;
        const here = checkTransactionShape(sent as unknown as Transaction);
        const value = checkValue(sent);
        const there = shape.safeParse(sent);
        if (value !== undefined) {
          expect(here).to.not.equal(undefined);
          return;
        }
        expect(here === undefined, JSON.stringify(here ?? there.error?.issues)).to.equal(there.success);
        if (here === undefined) {
          taken++;
          return;
        }
        refused++;
        const words = there.error?.issues.map(
          ({ path, message }) =>
            `In the transaction at ${path.map((step) => `/${String(step)}`).join('')}: ${message}.`,
        );
        const whole = there.error?.issues.map(({ message }) => `In the transaction: ${message}.`);
        expect([...(words ?? []), ...(whole ?? [])]).to.include(here.detail);
      }),
      { numRuns: 4_000 },
    );
    // Neither side may be what all of them are.
    expect(Math.min(taken, refused)).to.be.greaterThan(200);
  });
});
