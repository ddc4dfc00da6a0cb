import { expect } from 'chai';
import type { Change, Transaction } from '@vekkon/core';
import { highfell } from '../../core/test/highfell.js';
import { LocalRecords } from '../src/session/local-records.js';

const now = '2026-11-23T12:00:00.000Z';
const loaded = { 'progress/climbs': { revision: 3, value: 10 }, 'currency/feather': { revision: 1, value: 40 } };
const climb = (by = 1): Transaction => ({ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by }] });
const named = (label: string, changes: readonly Change[] = climb().changes): Transaction => ({ label, changes });

describe("the game's copy of the records", () => {
  it('shows what is done at once, and keeps it until it is acknowledged', () => {
    const copy = new LocalRecords(loaded, highfell);
    copy.do(climb(5), now);
    expect([copy.read('progress/climbs')?.value, copy.pending]).to.deep.equal([15, 1]);
    expect(copy.takeForSave()).to.deep.equal([climb(5)]);
    expect(copy.pending).to.equal(1);
    copy.takeIn({ 'progress/climbs': { revision: 4, value: 15 } }, [true]);
    expect([copy.read('progress/climbs')?.value, copy.pending]).to.deep.equal([15, 0]);
  });

  it('applies what waits again, on top of what comes in', () => {
    const copy = new LocalRecords(loaded, highfell);
    copy.do(climb(1), now);
    copy.takeForSave();
    copy.do(climb(2), now);
    const changed = copy.takeIn({ 'progress/climbs': { revision: 9, value: 100 } });
    expect([...changed]).to.deep.equal(['progress/climbs']);
    expect(copy.read('progress/climbs')?.value).to.equal(103);
  });

  it('leaves out revisions older than it has', () => {
    const copy = new LocalRecords(loaded, highfell);
    expect(copy.takeIn({ 'progress/climbs': { revision: 2, value: 1 } }).size).to.equal(0);
    expect(copy.read('progress/climbs')?.value).to.equal(10);
  });

  it('does not show what can not be applied any more', () => {
    const copy = new LocalRecords(loaded, highfell);
    copy.do({ changes: [{ op: 'debit', key: 'currency/feather', amount: 40, reason: 'wing' }] }, now);
    expect(copy.read('currency/feather')?.value).to.equal(0);
    copy.takeIn({ 'currency/feather': { revision: 2, value: 10 } });
    expect([copy.read('currency/feather')?.value, copy.pending]).to.deep.equal([10, 1]);
  });

  it('keeps nothing of what is refused or changes nothing', () => {
    const copy = new LocalRecords(loaded, highfell);
    expect(copy.do({ changes: [{ op: 'put', key: 'progress/climbs', value: 10 }] }, now)).to.have.property(
      'applied',
      true,
    );
    expect(copy.do({ changes: [{ op: 'put', key: 'progress/climbs', value: 'ten' }] }, now)).to.have.property(
      'applied',
      false,
    );
    expect(copy.pending).to.equal(0);
  });

  it('takes no more than a save holds: transactions, changes, bytes', () => {
    const many = new LocalRecords(loaded, highfell);
    for (let index = 0; index < 250; index++) many.do(named(`climb ${index}`), now);
    expect([many.takeForSave().length, many.waiting.length]).to.deep.equal([200, 50]);

    const wide = new LocalRecords(loaded, highfell);
    const changes = Array.from({ length: 400 }, () => climb().changes).flat();
    for (let index = 0; index < 5; index++) wide.do(named(`climb ${index}`, changes), now);
    expect([wide.takeForSave().length, wide.waiting.length]).to.deep.equal([2, 3]);

    const heavy = new LocalRecords(loaded, highfell);
    for (let index = 0; index < 5; index++) {
      const notes = Array.from({ length: 100 }, () => String(index).repeat(200));
      const put = { op: 'put' as const, key: 'progress/logbook', value: { flights: index, highest: null, notes } };
      heavy.do(
        named(
          `line ${index}`,
          Array.from({ length: 20 }, () => put),
        ),
        now,
      );
    }
    expect(heavy.takeForSave().length).to.equal(1);
    expect(heavy.waiting.length).to.equal(4);
  });

  it('reads starting values of what was never stored', () => {
    const copy = new LocalRecords({}, highfell);
    expect(copy.read('preference/subtitle-size')?.value).to.equal('medium');
    expect(copy.read('progress/nothing')).to.equal(undefined);
  });
});
