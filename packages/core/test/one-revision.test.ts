import { expect } from 'chai';
import { isToldByNewer, type WrittenRevision } from '@vekkon/core';

describe('two revisions of one record in one commit', () => {
  const plain: WrittenRevision = {
    key: 'progress/flight',
    removed: false,
    at: Date.parse('2026-11-26T14:05:00Z'),
    session: 'ses_1',
    by: 'ridge-eu-1',
    label: null,
  };

  it('are told by the newer where neither says anything of its own', () => {
    expect(isToldByNewer(plain, plain)).to.equal(true);
  });

  const ownWords: readonly [string, Partial<WrittenRevision>][] = [
    ['a transaction’s name', { label: 'a storm' }],
    ['a removal', { removed: true }],
    ['another moment', { at: plain.at + 1 }],
    ['another session', { session: null }],
    ['another hand', { by: 'maren@highfell.example' }],
  ];
  for (const [what, own] of ownWords) {
    it(`both stand where one of them has ${what}`, () => {
      expect(isToldByNewer({ ...plain, ...own }, plain)).to.equal(false);
      expect(isToldByNewer(plain, { ...plain, ...own })).to.equal(false);
    });
  }

  it('both stand for a board: each is a result', () => {
    const result = { ...plain, key: 'score/gorge-run' };
    expect(isToldByNewer(result, result)).to.equal(false);
  });
});
