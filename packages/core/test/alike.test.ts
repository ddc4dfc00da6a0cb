import { expect } from 'chai';
import fc from 'fast-check';
import { addAlike, likenessOf, type Change, type Transaction } from '@vekkon/core';

const credit = (amount: number, reason = 'climb'): Change => ({
  op: 'credit',
  key: 'currency/feather',
  amount,
  reason,
});
const gain = (count?: number): Change => ({ op: 'gain', key: 'inventory/pack', item: 'flare', count });

describe('transactions that wait for a person', () => {
  it('are alike by reason, label, ops and keys, whatever the amounts', () => {
    const one = { label: 'gorge', changes: [credit(30), gain(2)] };
    const likeness = likenessOf('credit-limit', one);
    expect(likeness).to.equal(likenessOf('credit-limit', { label: 'gorge', changes: [credit(7, 'gust'), gain()] }));
    for (const other of [
      likenessOf('session-ended', one),
      likenessOf('credit-limit', { ...one, label: 'ridge' }),
      likenessOf('credit-limit', { changes: one.changes }),
      likenessOf('credit-limit', { ...one, changes: [gain(2), credit(30)] }),
      likenessOf('credit-limit', { ...one, changes: [credit(30)] }),
    ]) {
      expect(other).to.not.equal(likeness);
    }
  });

  it('are like no other where more than an amount is in them', () => {
    const changes: Change[] = [
      { op: 'put', key: 'progress/climbs', value: 3 },
      { op: 'increase', key: 'progress/climbs', path: '', by: 0.5 },
      { op: 'gain', key: 'inventory/pack', item: 'wing', piece: 'w-1', traits: {} },
      { op: 'submit', key: 'score/gorge-run', value: 61_000 },
    ];
    for (const change of changes) expect(likenessOf('value-invalid', { changes: [change] })).to.equal(undefined);
    expect(likenessOf('credit-limit', { once: 'a', changes: [credit(1)] })).to.equal(undefined);
  });

  it('add up, and count as many', () => {
    const both = addAlike(
      { label: 'gorge', at: '2026-11-23T12:00:00Z', changes: [credit(30), gain()] },
      {
        label: 'gorge',
        changes: [credit(12), gain(4)],
      },
    );
    expect(both).to.deep.equal({
      label: 'gorge',
      changes: [{ ...credit(42), count: 2 }, gain(5)],
    });
  });

  it('say that there were other reasons, in no more than a reason may take', () => {
    const add = (kept: Transaction, reason: string) => addAlike(kept, { changes: [credit(1, reason)] })!;
    const two = add({ changes: [credit(1, 'climb 8812')] }, 'climb 8813');
    expect(two.changes[0]).to.include({ reason: 'climb 8812 and others' });
    expect(add(two, 'climb 8814').changes[0]).to.include({ reason: 'climb 8812 and others' });
    const long = add({ changes: [credit(1, 'x'.repeat(200))] }, 'y').changes[0];
    expect(long).to.have.property('reason').with.length(200);
  });

  it('stay two where the sum would be no exact number', () => {
    const most = Number.MAX_SAFE_INTEGER;
    expect(addAlike({ changes: [credit(most)] }, { changes: [credit(1)] })).to.equal(undefined);
  });

  it('do together what they do one by one, however they are added', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 1e6 }), { minLength: 1, maxLength: 30 }), (amounts) => {
        const [first, ...others] = amounts.map((amount): Transaction => ({ changes: [credit(amount)] }));
        const all = others.reduce((kept, next) => addAlike(kept, next)!, first!);
        expect(all.changes[0]).to.include({ amount: amounts.reduce((sum, one) => sum + one, 0) });
        expect((all.changes[0] as { count?: number }).count ?? 1).to.equal(amounts.length);
      }),
    );
  });
});
