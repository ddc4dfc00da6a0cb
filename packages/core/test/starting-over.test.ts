import { expect } from 'chai';
import { applyTransaction, readRecords, type Applied, type Change, type Json, type Records } from '@vekkon/core';
import { highfell, newPilot, noon, rulesOf } from './highfell.js';

const played: Records = new Map([
  ...newPilot(),
  ['progress/flight', { revision: 9, value: { chapter: 7, charted: ['salt-col'], metres: 812 } }],
  ['progress/logbook', { revision: 4, value: { flights: 3, highest: 2410, notes: [], camps: [] } }],
  ['progress/glider/heron', { revision: 2, value: { span: 12, cloth: 'silk', wear: 0 } }],
  ['currency/feather', { revision: 5, value: 310 }],
  ['inventory/pack', { revision: 3, value: { stacks: { flare: 4 }, pieces: {} } }],
  ['preference/map-detail', { revision: 2, value: 'winds' }],
]);

function apply(change: Change, records: Records = played, rules = highfell): Applied {
  const outcome = applyTransaction(records, { changes: [change] }, rules, noon);
  if (!outcome.applied) throw new Error(outcome.problem.detail);
  return outcome;
}

function after(change: Change, records: Records = played, rules = highfell): (key: string) => Json | undefined {
  const read = readRecords(new Map([...records, ...apply(change, records, rules).changed]), rules);
  return (key) => read.get(key)?.value;
}

describe('starting over', () => {
  it('puts back what lasts for a run, and leaves what lasts for ever', () => {
    const value = after({ op: 'start-over' });
    expect(value('progress/flight')).to.deep.equal({ chapter: 1, charted: [], metres: 0 });
    expect(value('inventory/pack')).to.deep.equal({ stacks: { 'silk-patch': 2 }, pieces: {} });
    expect([value('currency/feather'), value('preference/map-detail')]).to.deep.equal([310, 'winds']);
    expect(value('progress/glider/heron')).to.deep.equal({ span: 12, cloth: 'silk', wear: 0 });
  });

  it('leaves what was there in the trash, and the revision going on', () => {
    const { trash, changed, forgetsOnce } = apply({ op: 'start-over' });
    expect(trash.map(({ key, by, record }) => [key, by, record.revision])).to.deep.equal([
      ['progress/flight', 'start-over', 9],
      ['inventory/pack', 'start-over', 3],
    ]);
    expect(changed.get('progress/flight')?.revision).to.equal(10);
    expect(forgetsOnce).to.equal(true);
  });

  it('brings a currency of the run back by a ledger line', () => {
    const run = rulesOf('manifest: 1\ngame: highfell-gliders\ncurrencies:\n  feather: { starting: 40, lasts: run }\n');
    const { ledger, changed } = apply(
      { op: 'start-over' },
      new Map([['currency/feather', { revision: 5, value: 310 }]]),
      run,
    );
    expect(ledger).to.deep.equal([
      { key: 'currency/feather', op: 'start-over', amount: -270, balance: 40, reason: 'started over', count: 1 },
    ]);
    expect(changed.get('currency/feather')).to.deep.equal({ revision: 6, value: 40 });
  });

  it('changes nothing twice', () => {
    const once = new Map([...played, ...apply({ op: 'start-over' }).changed]);
    expect(apply({ op: 'start-over' }, once).changed.size).to.equal(0);
  });
});

describe('a reset', () => {
  it('is of one record', () => {
    const value = after({ op: 'reset', key: 'progress/logbook' });
    expect(value('progress/logbook')).to.have.property('flights', 0);
    expect(value('progress/flight')).to.have.property('chapter', 7);
  });

  it('is of a family, whose members are gone', () => {
    expect(after({ op: 'reset', key: 'progress/glider' })('progress/glider/heron')).to.equal(undefined);
  });

  it('is of a kind', () => {
    const value = after({ op: 'reset', key: 'preference' });
    expect([value('preference/map-detail'), value('progress/flight')]).to.deep.equal([
      'contours',
      { chapter: 7, charted: ['salt-col'], metres: 812 },
    ]);
  });

  it('is refused for what is not declared, with the nearest', () => {
    const outcome = applyTransaction(played, { changes: [{ op: 'reset', key: 'progress/flihgt' }] }, highfell, noon);
    expect(outcome).to.have.nested.property('problem.nearest', 'progress/flight');
  });
});

describe('a record that was removed', () => {
  const remove: Change = { op: 'remove', key: 'progress/glider/heron' };

  it('is gone if it is of a family, and makes room for another', () => {
    const full: Records = new Map([
      ...played,
      ...['a', 'b', 'c', 'd', 'e'].map((name) => [`progress/glider/${name}`, { revision: 1, value: {} }] as const),
    ]);
    const gone = new Map([...full, ...apply(remove, full).changed]);
    expect(readRecords(gone, highfell).has('progress/glider/heron')).to.equal(false);
    expect(apply({ op: 'put', key: 'progress/glider/tern', value: {} }, gone).changed.size).to.equal(1);
  });

  it('falls back to its starting value if it is not', () => {
    expect(after({ op: 'remove', key: 'progress/flight' })('progress/flight')).to.deep.equal({
      chapter: 1,
      charted: [],
      metres: 0,
    });
  });

  it('goes on with its revision when it is put again, and counts as none meanwhile', () => {
    const gone = new Map([...played, ...apply(remove).changed]);
    const again = apply({ op: 'put', key: 'progress/glider/heron', value: { span: 9 }, ifRevision: 0 }, gone);
    expect(again.changed.get('progress/glider/heron')?.revision).to.equal(4);
  });

  it('is removed only at the revision that was read', () => {
    const outcome = applyTransaction(played, { changes: [{ ...remove, ifRevision: 1 } as Change] }, highfell, noon);
    expect(outcome).to.have.nested.property('problem.code', 'revision-mismatch');
  });

  it('is removed once', () => {
    expect(apply({ op: 'remove', key: 'progress/glider/tern' }).changed.size).to.equal(0);
  });
});
