import { expect } from 'chai';
import fc from 'fast-check';
import { applyTransaction, foldTransactions, type Change, type Records, type Transaction } from '@vekkon/core';
import { highfell, newPilot, noon } from './highfell.js';

const credit = (amount: number, reason = 'tap'): Transaction => ({
  changes: [{ op: 'credit', key: 'currency/feather', amount, reason }],
});
const climb = (by: number): Transaction => ({ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by }] });
const put = (value: number): Transaction => ({ changes: [{ op: 'put', key: 'progress/climbs', value }] });

describe('changes that wait', () => {
  it('become one where they are neighbours on one key, whatever stands between on others', () => {
    const taps = Array.from({ length: 100 }, () => [credit(1), climb(1)]).flat();
    expect(foldTransactions(taps)).to.deep.equal([
      { changes: [{ op: 'credit', key: 'currency/feather', amount: 100, reason: 'tap', count: 100 }] },
      { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 100 }] },
    ]);
  });

  it('are neighbours under a former name too: what was removed in between is not put before', () => {
    const wings = (key: string, span: number): Transaction => ({ changes: [{ op: 'put', key, value: { span } }] });
    const [former, now] = ['progress/craft/swift', 'progress/glider/swift'];
    const removed: Transaction = { changes: [{ op: 'remove', key: now }] };
    const keyNow = (key: string) => key.replace('craft', 'glider');
    const apart = [wings(former, 1), removed, wings(former, 2)];
    expect(foldTransactions(apart, keyNow)).to.deep.equal(apart);
    expect(foldTransactions([wings(former, 1), wings(now, 2)], keyNow)).to.deep.equal([wings(now, 2)]);
  });

  it('keep the last put', () => {
    expect(foldTransactions([put(1), put(2), put(3)])).to.deep.equal([put(3)]);
  });

  it('stay apart for another reason, a fraction, a debit in between, or a put in between', () => {
    const debit: Transaction = { changes: [{ op: 'debit', key: 'currency/feather', amount: 1, reason: 'tap' }] };
    for (const apart of [
      [credit(1), credit(1, 'climb')],
      [climb(0.5), climb(0.25)],
      [credit(5), debit, credit(5)],
      [climb(1), put(4), climb(1)],
    ]) {
      expect(foldTransactions(apart)).to.deep.equal(apart);
    }
  });

  it('are not folded out of, into, or across a transaction that is named or guarded', () => {
    const named: Transaction = { label: 'gorge', changes: credit(1).changes };
    const once: Transaction = { once: 'token', changes: credit(1).changes };
    const guarded: Transaction = { changes: [{ op: 'put', key: 'progress/climbs', value: 1, ifRevision: 1 }] };
    for (const apart of [
      [credit(1), named, credit(1)],
      [credit(1), once, credit(1)],
      [put(1), guarded, put(1)],
    ]) {
      expect(foldTransactions(apart)).to.deep.equal(apart);
    }
  });

  it('lead to the same values folded as one by one', () => {
    const anyChange = fc.oneof<fc.Arbitrary<Change>[]>(
      fc.record({
        op: fc.constant('increase'),
        key: fc.constant('progress/climbs'),
        path: fc.constant(''),
        by: fc.integer({ min: -5, max: 9 }),
      }),
      fc.record({ op: fc.constant('put'), key: fc.constant('progress/climbs'), value: fc.integer({ min: 0, max: 9 }) }),
      fc.record({
        op: fc.constantFrom('credit', 'debit'),
        key: fc.constant('currency/feather'),
        amount: fc.integer({ min: 1, max: 30 }),
        reason: fc.constantFrom('tap', 'climb'),
      }),
      fc.record({
        op: fc.constant('merge'),
        key: fc.constant('progress/flight'),
        value: fc.record({ chapter: fc.integer({ min: 1, max: 40 }) }),
      }),
      fc.record({
        op: fc.constant('collect'),
        key: fc.constant('progress/flight'),
        path: fc.constant('/charted'),
        value: fc.constantFrom('gull-ridge', 'salt-col'),
      }),
    );
    const anyTransaction = fc.record(
      { changes: fc.array(anyChange, { minLength: 1, maxLength: 2 }), label: fc.constant('named') },
      { requiredKeys: ['changes'] },
    );
    fc.assert(
      fc.property(fc.array(anyTransaction, { maxLength: 30 }), (transactions) => {
        // Only what applied is waiting: what the rules refuse here is never sent.
        const [oneByOne, applied] = applyAll(transactions);
        const [folded, stillApplied] = applyAll(foldTransactions(applied));
        expect(valuesOf(folded)).to.deep.equal(valuesOf(oneByOne));
        expect(stillApplied).to.deep.equal(foldTransactions(applied));
      }),
      { numRuns: 1_000 },
    );
  });
});

function applyAll(transactions: readonly Transaction[]): readonly [Records, readonly Transaction[]] {
  let records = newPilot();
  const applied: Transaction[] = [];
  for (const transaction of transactions) {
    const outcome = applyTransaction(records, transaction, highfell, noon);
    if (!outcome.applied) continue;
    records = new Map([...records, ...outcome.changed]);
    applied.push(transaction);
  }
  return [records, applied];
}

function valuesOf(records: Records): unknown {
  return [...records].map(([key, { value }]) => [key, value]).sort();
}
