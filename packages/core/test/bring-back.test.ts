import { expect } from 'chai';
import { bringBackValue, isProblem, takeAllAway, type Json, type Records } from '@vekkon/core';
import { highfell, newPilot } from './highfell.js';

const wing = { item: 'wing', traits: { maker: 'Orrin & Daughters', lift: 1.2, mended: 0 } };
const held: Records = new Map([
  ...newPilot(),
  ['progress/flight', { revision: 4, value: { chapter: 2, charted: [], metres: 0 } }],
  ['currency/feather', { revision: 7, value: 90 }],
  ['inventory/hangar', { revision: 2, value: { stacks: {}, pieces: { 'wing-1': wing } } }],
]);

function bring(key: string, value: Json, records = held) {
  return bringBackValue(records, { key, value }, highfell);
}

describe('bringing back from the trash', () => {
  it('makes a new revision, and puts what stood there into the trash', () => {
    const back = bring('progress/flight', { chapter: 9, charted: [], metres: 0 });
    if (isProblem(back)) return expect.fail(back.problem.detail);
    expect(back.record).to.deep.equal({ revision: 5, value: { chapter: 9, charted: [], metres: 0 } });
    expect(back.trash.map(({ key, by, record }) => [key, by, record.revision])).to.deep.equal([
      ['progress/flight', 'brought-back', 4],
    ]);
    return undefined;
  });

  it('moves a currency by a ledger line, from what is there or from nothing', () => {
    const from = (records: Records) => {
      const back = bring('currency/feather', 310, records);
      return isProblem(back) ? back.problem.code : back.ledger.map(({ op, amount, balance }) => [op, amount, balance]);
    };
    expect(from(held)).to.deep.equal([['restore', 220, 310]]);
    expect(from(new Map([...held, ...takeAllAway(held).changed]))).to.deep.equal([['restore', 310, 310]]);
  });

  it('finds the record under the name of now', () => {
    const back = bring('progress/craft/heron', { span: 12 });
    expect(isProblem(back) ? back.problem.code : back.key).to.equal('progress/glider/heron');
  });

  const six = ['a', 'b', 'c', 'd', 'e', 'f'].map(
    (one) => [`progress/glider/${one}`, { revision: 1, value: {} }] as const,
  );
  const refusals: readonly [why: string, key: string, value: Json, code: string, records?: Records][] = [
    ['what is not declared any more', 'progress/forgotten', 1, 'key-not-declared'],
    ['what does not fit any more', 'progress/flight', { chapter: 99 }, 'record-misfit'],
    ['one more than a family may hold', 'progress/glider/g', {}, 'family-full', new Map([...held, ...six])],
    [
      'a piece that lies elsewhere by now',
      'inventory/pack',
      { stacks: {}, pieces: { 'wing-1': wing } },
      'piece-exists',
    ],
    ['more than there is room for', 'inventory/pack', { stacks: { flare: 500 }, pieces: {} }, 'inventory-full'],
  ];
  for (const [why, key, value, code, records] of refusals) {
    it(`is refused for ${why}`, () => expect(bring(key, value, records)).to.have.nested.property('problem.code', code));
  }

  it('takes a piece back into the inventory that it lies in', () => {
    const back = bring('inventory/hangar', { stacks: {}, pieces: { 'wing-1': wing } });
    expect(isProblem(back)).to.equal(false);
  });
});

describe('taking all away', () => {
  it('leaves nothing, all of it in the trash, each balance at 0 by its ledger', () => {
    const { changed, ledger, trash } = takeAllAway(held);
    expect([...changed.values()].every(({ removed }) => removed === true)).to.equal(true);
    expect(trash).to.have.length(held.size);
    expect(ledger.map(({ key, amount, balance }) => [key, amount, balance])).to.deep.equal([
      ['currency/feather', -90, 0],
      ['currency/opal', -2, 0],
    ]);
    expect(takeAllAway(changed).trash).to.deep.equal([]);
  });
});
