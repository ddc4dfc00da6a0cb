import fc from 'fast-check';
import { expect } from 'chai';
import { checkTransactionShape, utf8Bytes, wrongInScore, type ScoreValue, type Transaction } from '@vekkon/core';

const shapeOf = (transaction: unknown) => checkTransactionShape(transaction as Transaction);
const onlyChange = (change: unknown) => shapeOf({ changes: [change] });

describe('the shape of a transaction', () => {
  const right: readonly unknown[] = [
    { op: 'put', key: 'progress/climbs', value: null },
    { op: 'put', key: 'progress/climbs', value: 17, ifRevision: 0 },
    { op: 'increase', key: 'progress/climbs', by: 1 },
    { op: 'credit', key: 'currency/feather', amount: 1, reason: 'r'.repeat(200), count: 2 },
    { op: 'gain', key: 'inventory/pack', item: 'wing', piece: 'w-1', traits: {} },
    { op: 'submit', key: 'score/gorge-run', value: -0.5, note: '' },
    { op: 'checkpoint', name: 'camp', summary: 'At the gorge', instead: undefined },
    { op: 'start-over' },
  ];
  for (const change of right) {
    it(`takes ${JSON.stringify(change)}`.slice(0, 90), () => expect(onlyChange(change)).to.equal(undefined));
  }

  const wrong: readonly (readonly [change: unknown, pointer: string])[] = [
    [{ op: 'put', key: 'progress/climbs' }, '/changes/0/value'],
    [{ op: 'put', key: '', value: 1 }, '/changes/0/key'],
    [{ op: 'put', key: 'k'.repeat(301), value: 1 }, '/changes/0/key'],
    [{ op: 'put', key: 'progress/climbs', value: 1, ifRevision: -1 }, '/changes/0/ifRevision'],
    [{ op: 'increase', key: 'progress/climbs', by: '1' }, '/changes/0/by'],
    [{ op: 'increase', key: 'progress/climbs', by: Infinity }, '/changes/0/by'],
    [{ op: 'outdo', key: 'progress/climbs', value: 1, better: 'more' }, '/changes/0/better'],
    [{ op: 'credit', key: 'currency/feather', amount: 0, reason: 'x' }, '/changes/0/amount'],
    [{ op: 'credit', key: 'currency/feather', amount: 2 ** 53, reason: 'x' }, '/changes/0/amount'],
    [{ op: 'credit', key: 'currency/feather', amount: 1, reason: 'r'.repeat(201) }, '/changes/0/reason'],
    [{ op: 'alter', key: 'inventory/pack', piece: 'a/b', traits: {} }, '/changes/0/piece'],
    [{ op: 'alter', key: 'inventory/pack', piece: 'w-1', traits: [] }, '/changes/0/traits'],
    [{ op: 'checkpoint', name: 'camp', summary: 'two\nlines' }, '/changes/0/summary'],
    [{ op: 'restore', name: '..' }, '/changes/0/name'],
    [{ op: 'fly' }, '/changes/0/op'],
    [{ op: 'toString' }, '/changes/0/op'],
    [null, '/changes/0'],
  ];
  for (const [change, pointer] of wrong) {
    it(`refuses ${JSON.stringify(change)}`.slice(0, 90), () => {
      expect(onlyChange(change)).to.include({ code: 'request-invalid', pointer, change: 0 });
    });
  }

  it('says which change it was, and what is wrong, in one sentence', () => {
    const { changes } = {
      changes: [{ op: 'start-over' }, { op: 'credit', key: 'currency/feather', amount: 1, reason: '' }],
    };
    expect(shapeOf({ changes })).to.deep.equal({
      code: 'request-invalid',
      detail: 'In the transaction at /changes/1/reason: must be text of 1 to 200 characters.',
      pointer: '/changes/1/reason',
      change: 1,
      key: 'currency/feather',
    });
  });

  it('has no members that are not known, and changes', () => {
    expect(shapeOf({ changes: [] })?.pointer).to.equal('/changes');
    expect(shapeOf({})?.pointer).to.equal('/changes');
    expect(shapeOf({ changes: [{ op: 'start-over' }], at: 'noon' })?.pointer).to.equal('/at');
    expect(shapeOf({ changes: [{ op: 'start-over' }], labl: 'x' })?.detail).to.contain('"labl"');
    expect(shapeOf({ changes: [{ op: 'start-over' }], label: 'a\0' })?.code).to.equal('text-invalid');
  });

  it('is JSON, and not endless', () => {
    const endless: { inner?: unknown } = {};
    endless.inner = endless;
    for (const value of [endless, new Map(), () => 1, 1n, Symbol('x'), [undefined], new Date(0)]) {
      expect(onlyChange({ op: 'put', key: 'progress/climbs', value })?.code, String(value)).to.equal('request-invalid');
    }
  });
});

describe('bytes of UTF-8', () => {
  it('are what a text takes when it is written', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        // Halves of surrogate pairs can't be stored: they are refused before anybody counts.
        fc.pre(text.isWellFormed());
        expect(utf8Bytes(text)).to.equal(Buffer.byteLength(text));
      }),
    );
  });
});

describe('a score record', () => {
  const sound: ScoreValue = { latest: 7, best: 5, sum: 12, count: 2, bestAt: '', latestAt: '' };
  const cases: readonly (readonly [ScoreValue, RegExp | undefined])[] = [
    [sound, undefined],
    [{ ...sound, latest: null, best: null, sum: 0, count: 0 }, undefined],
    [{ ...sound, count: -1 }, /can't be how many/],
    [{ ...sound, count: 1.5 }, /can't be how many/],
    [{ ...sound, count: 0 }, /has no result/],
    [{ ...sound, best: null }, /lacks one/],
    [{ ...sound, count: 1 }, /one result, and holds several/],
    [{ ...sound, entries: [1, 2, 3].map((value) => ({ value, at: '' })) }, /lists 3 results, and has 2/],
  ];
  for (const [value, wrong] of cases) {
    it(`${wrong === undefined ? 'is sound' : 'is not sound'}: ${JSON.stringify(value)}`.slice(0, 100), () => {
      if (wrong === undefined) expect(wrongInScore(value)).to.equal(undefined);
      else expect(wrongInScore(value)).to.match(wrong);
    });
  }
});
