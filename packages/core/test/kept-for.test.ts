import { expect } from 'chai';
import fc from 'fast-check';
import {
  outdatedRevisions,
  summedLedger,
  thinningParts,
  usualTerms,
  type DatedLine,
  type DatedRevision,
} from '@vekkon/core';

const hour = 3_600_000;
const day = 24 * hour;
/** Noon, so that a few hours stay within one day. */
const now = Date.parse('2026-11-23T12:00:00Z');

const made = (...ages: readonly [age: number, session: string | null][]): DatedRevision[] =>
  ages.map(([age, session], index) => ({ revision: index + 1, at: now - age, session }));

describe('how long revisions are kept', () => {
  it('is all of the last hour, and the newest in any case', () => {
    expect(outdatedRevisions(made([3_000_000, 'a'], [2_000, 'a'], [1_000, 'a']), now, usualTerms)).to.deep.equal([]);
    expect(outdatedRevisions(made([900 * day, 'a']), now, usualTerms)).to.deep.equal([]);
  });

  it('is the last of each session after that, and whatever people did', () => {
    const revisions = made(
      [5 * hour, 'a'],
      [5 * hour, 'a'],
      [4 * hour, null],
      [4 * hour, null],
      [3 * hour, 'b'],
      [2 * hour, 'b'],
    );
    expect(outdatedRevisions(revisions, now, usualTerms)).to.deep.equal([1, 5]);
  });

  it('is one a day after 30 days, and none after a year', () => {
    const revisions = made([400 * day, 'a'], [40 * day, 'b'], [40 * day - hour, 'c'], [39 * day, 'd'], [1_000, 'e']);
    expect(outdatedRevisions(revisions, now, usualTerms)).to.deep.equal([1, 2]);
  });

  it('never takes the newest, nor one that is younger than its terms, whatever there is', () => {
    const ages = fc.array(fc.tuple(fc.integer({ min: 0, max: 500 * day }), fc.constantFrom('a', 'b', null)), {
      maxLength: 40,
    });
    fc.assert(
      fc.property(ages, (given) => {
        const revisions = made(...given.toSorted(([one], [other]) => other - one));
        const goes = new Set(outdatedRevisions(revisions, now, usualTerms));
        const stay = revisions.filter(({ revision }) => !goes.has(revision));
        expect(stay.at(-1)).to.equal(revisions.at(-1));
        for (const one of revisions) if (now - one.at <= hour) expect(goes.has(one.revision)).to.equal(false);
        // What is left needs no more to go.
        expect(outdatedRevisions(stay, now, usualTerms)).to.deep.equal([]);
      }),
    );
  });
});

describe('revisions that go in parts', () => {
  it('leave a history in which each follows the one before it after every part, and together all that is outdated goes', () => {
    const ages = fc.array(fc.tuple(fc.integer({ min: 0, max: 500 * day }), fc.constantFrom('a', 'b', null)), {
      maxLength: 60,
    });
    fc.assert(
      fc.property(ages, fc.integer({ min: 1, max: 5 }), (given, atMost) => {
        const revisions = made(...given.toSorted(([one], [other]) => other - one));
        const stored = new Map<number, number | null>(revisions.map(({ revision }) => [revision, revision - 1]));
        for (const { goes, next, follows } of thinningParts(revisions, now, usualTerms, atMost)) {
          expect(goes.length).to.be.within(1, atMost);
          for (const one of goes) stored.delete(one);
          stored.set(next, follows);
          let before: number | undefined;
          for (const [revision, from] of stored) {
            if (before !== undefined) expect(from).to.equal(before);
            before = revision;
          }
        }
        const outdated = new Set(outdatedRevisions(revisions, now, usualTerms));
        expect([...stored.keys()]).to.deep.equal(
          revisions.flatMap(({ revision }) => (outdated.has(revision) ? [] : revision)),
        );
      }),
    );
  });
});

describe('a ledger that is summed', () => {
  const line = (number: number, age: number, amount: number, key = 'currency/feather'): DatedLine => ({
    number,
    key,
    at: now - age,
    amount,
    count: 1,
  });

  it('has one line for a currency and day that lies back two years, with all that moved', () => {
    const lines = [
      line(1, 800 * day, 30),
      line(2, 800 * day - hour, -10),
      line(3, 800 * day - hour, 5, 'currency/opal'),
      line(4, 799 * day, 7),
      line(5, 10 * day, 1),
      line(6, 10 * day, 1),
    ];
    expect(summedLedger(lines, now, usualTerms)).to.deep.equal([
      { number: 2, goes: [1], amount: 20, count: 2, day: '2024-09-14' },
    ]);
    // Of many the first become one, which the rest can be summed with.
    const many = Array.from({ length: 7 }, (_, index) => line(index + 1, 800 * day, 1));
    expect(summedLedger(many, now, usualTerms, 3)).to.deep.equal([
      { number: 3, goes: [1, 2], amount: 3, count: 3, day: '2024-09-14' },
    ]);
  });
});
