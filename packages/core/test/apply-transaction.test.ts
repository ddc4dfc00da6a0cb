import { expect } from 'chai';
import { applyTransaction, type Change, type ChangeProblemCode, type Json, type Records } from '@vekkon/core';
import { highfell, newPilot, noon } from './highfell.js';

const flight = { chapter: 3, charted: ['gull-ridge'], metres: 120.5 };
const flying: Records = new Map([
  ...newPilot(),
  ['progress/flight', { revision: 7, value: flight }],
  ['progress/climbs', { revision: 2, value: 9 }],
]);

function change(one: Change, records: Records = flying) {
  return applyTransaction(records, { changes: [one] }, highfell, noon);
}

function keyIn(one: Change): string {
  return 'key' in one ? one.key : '';
}

interface Applies {
  readonly does: string;
  readonly change: Change;
  readonly leads: Json;
}

const applies: readonly Applies[] = [
  {
    does: 'put replaces the value',
    change: { op: 'put', key: 'progress/flight', value: { chapter: 4, charted: [], metres: 0 } },
    leads: { chapter: 4, charted: [], metres: 0 },
  },
  {
    does: 'put with the stored revision applies',
    change: { op: 'put', key: 'progress/climbs', value: 10, ifRevision: 2 },
    leads: 10,
  },
  {
    does: 'merge keeps what it does not name',
    change: { op: 'merge', key: 'progress/flight', value: { chapter: 4 } },
    leads: { ...flight, chapter: 4 },
  },
  {
    does: 'increase adds to the whole value',
    change: { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
    leads: 10,
  },
  {
    does: 'increase adds at a pointer, fractions too',
    change: { op: 'increase', key: 'progress/flight', path: '/metres', by: -20.5 },
    leads: { ...flight, metres: 100 },
  },
  {
    does: 'outdo keeps the better',
    change: { op: 'outdo', key: 'progress/flight', path: '/metres', value: 130, better: 'higher' },
    leads: { ...flight, metres: 130 },
  },
  {
    does: 'outdo sets a number that was never set, even to 0',
    change: { op: 'outdo', key: 'progress/logbook', path: '/highest', value: 0, better: 'higher' },
    leads: { flights: 0, highest: 0, notes: [], camps: [] },
  },
  {
    does: 'collect appends',
    change: { op: 'collect', key: 'progress/flight', path: '/charted', value: 'salt-col' },
    leads: { ...flight, charted: ['gull-ridge', 'salt-col'] },
  },
  {
    does: 'discard takes out',
    change: { op: 'discard', key: 'progress/flight', path: '/charted', value: 'gull-ridge' },
    leads: { ...flight, charted: [] },
  },
  { does: 'credit adds', change: { op: 'credit', key: 'currency/feather', amount: 30, reason: 'climb' }, leads: 70 },
  {
    does: 'debit takes, down to the floor',
    change: { op: 'debit', key: 'currency/feather', amount: 40, reason: 'camp' },
    leads: 0,
  },
  {
    does: 'submit makes a score of the first result, whatever is better',
    change: { op: 'submit', key: 'score/gorge-run', value: 61_250 },
    leads: { latest: 61_250, best: 61_250, sum: 61_250, count: 1, bestAt: noon, latestAt: noon },
  },
  {
    does: 'put makes a member of a family, its missing fields left to the reader',
    change: { op: 'put', key: 'progress/glider/Früher Tern', value: { span: 12 } },
    leads: { span: 12 },
  },
];

interface Refuses {
  readonly why: string;
  readonly change: Change;
  readonly code: ChangeProblemCode;
  readonly detail?: string;
  readonly pointer?: string;
}

const refuses: readonly Refuses[] = [
  {
    why: 'a key with a typo, with the nearest declared one',
    change: { op: 'credit', key: 'currency/fether', amount: 1, reason: 'x' },
    code: 'key-not-declared',
    detail: 'did you mean "currency/feather"?',
  },
  {
    why: 'a key of the wrong kind, with the right one',
    change: { op: 'put', key: 'progress/feather', value: 1 },
    code: 'key-not-declared',
    detail: 'did you mean "currency/feather"?',
  },
  { why: 'what is no key', change: { op: 'put', key: 'flight', value: 1 }, code: 'key-malformed' },
  {
    why: 'a family without saying which',
    change: { op: 'put', key: 'progress/glider', value: {} },
    code: 'key-malformed',
  },
  {
    why: 'a member of what is no family',
    change: { op: 'put', key: 'progress/flight/a', value: {} },
    code: 'key-malformed',
  },
  {
    why: 'a value of the wrong type, with its pointer',
    change: { op: 'merge', key: 'progress/flight', value: { chapter: '4' } },
    code: 'value-invalid',
    pointer: '/chapter',
  },
  {
    why: 'a value out of bounds',
    change: { op: 'increase', key: 'progress/flight', path: '/chapter', by: 40 },
    code: 'value-invalid',
    pointer: '/chapter',
  },
  {
    why: 'a member that is not declared',
    change: { op: 'merge', key: 'progress/flight', value: { chaptr: 4 } },
    code: 'value-invalid',
    detail: '"chaptr"',
  },
  {
    why: 'another revision than the one stored',
    change: { op: 'put', key: 'progress/climbs', value: 1, ifRevision: 1 },
    code: 'revision-mismatch',
  },
  {
    why: 'a pointer that leads nowhere',
    change: { op: 'increase', key: 'progress/flight', path: '/meters', by: 1 },
    code: 'path-not-found',
    pointer: '/meters',
  },
  {
    why: 'to increase what is no number',
    change: { op: 'increase', key: 'progress/flight', path: '/charted', by: 1 },
    code: 'not-a-number',
  },
  {
    why: 'to collect where is no list',
    change: { op: 'collect', key: 'progress/flight', path: '/chapter', value: 1 },
    code: 'not-a-list',
  },
  {
    why: 'whole numbers beyond exactness',
    change: { op: 'increase', key: 'progress/climbs', path: '', by: Number.MAX_SAFE_INTEGER },
    code: 'number-out-of-range',
  },
  {
    why: 'a debit below the floor',
    change: { op: 'debit', key: 'currency/feather', amount: 41, reason: 'x' },
    code: 'balance-too-low',
  },
  {
    why: 'a credit above the ceiling',
    change: { op: 'credit', key: 'currency/feather', amount: 1_000_000, reason: 'x' },
    code: 'balance-too-high',
  },
  {
    why: 'a result out of bounds',
    change: { op: 'submit', key: 'score/gorge-run', value: 10 },
    code: 'score-out-of-bounds',
  },
  {
    why: 'a change that the kind does not know',
    change: { op: 'put', key: 'currency/feather', value: 5 },
    code: 'op-not-for-kind',
  },
  {
    why: 'a name that reaches into prototypes',
    change: { op: 'merge', key: 'progress/logbook', value: JSON.parse('{"a":{"__proto__":{"polluted":1}}}') as Json },
    code: 'name-forbidden',
    pointer: '/a/__proto__',
  },
  {
    why: 'a value that is too deep',
    change: { op: 'put', key: 'progress/logbook', value: JSON.parse('['.repeat(40) + ']'.repeat(40)) as Json },
    code: 'value-too-deep',
  },
];

describe('applying a transaction', () => {
  for (const { does, change: one, leads } of applies) {
    it(does, () => {
      const outcome = change(one);
      expect(outcome).to.have.property('applied', true);
      if (!outcome.applied) return;
      expect(outcome.changed.get(keyIn(one))?.value).to.deep.equal(leads);
      expect(outcome.changed.get(keyIn(one))?.revision).to.equal((flying.get(keyIn(one))?.revision ?? 0) + 1);
    });
  }

  for (const { why, change: one, code, detail = '', pointer } of refuses) {
    it(`refuses ${why}`, () => {
      const outcome = change(one);
      if (outcome.applied) return expect.fail('it was applied');
      expect(outcome.problem.code).to.equal(code);
      expect(outcome.problem.detail).to.contain(detail);
      if (pointer !== undefined) expect(outcome.problem.pointer).to.equal(pointer);
      return undefined;
    });
  }

  it('applies whole or not at all', () => {
    const outcome = applyTransaction(
      flying,
      {
        changes: [
          { op: 'debit', key: 'currency/feather', amount: 30, reason: 'wing' },
          { op: 'debit', key: 'currency/opal', amount: 3, reason: 'wing' },
        ],
      },
      highfell,
      noon,
    );
    expect(outcome).to.have.nested.property('problem.change', 1);
    expect(flying.get('currency/feather')?.value).to.equal(40);
  });

  it('lets later changes of a transaction build on earlier ones', () => {
    const outcome = applyTransaction(
      flying,
      {
        changes: [
          { op: 'credit', key: 'currency/feather', amount: 5, reason: 'climb' },
          { op: 'debit', key: 'currency/feather', amount: 45, reason: 'wing', count: 3 },
        ],
      },
      highfell,
      noon,
    );
    if (!outcome.applied) return expect.fail(outcome.problem.detail);
    expect(outcome.changed.get('currency/feather')).to.deep.equal({ revision: 3, value: 0 });
    expect(outcome.ledger).to.deep.equal([
      { key: 'currency/feather', op: 'credit', amount: 5, balance: 45, reason: 'climb', count: 1 },
      { key: 'currency/feather', op: 'debit', amount: -45, balance: 0, reason: 'wing', count: 3 },
    ]);
    return undefined;
  });

  it('starts the ledger of a currency that was never stored with its starting value', () => {
    const outcome = change({ op: 'debit', key: 'currency/feather', amount: 15, reason: 'camp' }, new Map());
    if (!outcome.applied) return expect.fail(outcome.problem.detail);
    expect(outcome.ledger.map(({ amount, balance, reason }) => [amount, balance, reason])).to.deep.equal([
      [40, 40, 'starting value'],
      [-15, 25, 'camp'],
    ]);
    return undefined;
  });

  it('makes no revision of an equal value', () => {
    const outcome = change({
      op: 'put',
      key: 'progress/flight',
      value: { metres: 120.5, chapter: 3, charted: ['gull-ridge'] },
    });
    expect(outcome).to.have.property('applied', true);
    expect(outcome.applied && outcome.changed.size).to.equal(0);
  });

  it('does not collect twice, nor lose to a worse result', () => {
    const collected = change({ op: 'collect', key: 'progress/flight', path: '/charted', value: 'gull-ridge' });
    const outdone = change({ op: 'outdo', key: 'progress/flight', path: '/metres', value: 100, better: 'higher' });
    expect(collected.applied && collected.changed.size).to.equal(0);
    expect(outdone.applied && outdone.changed.size).to.equal(0);
  });

  it('keeps the best of lower results and sums them all', () => {
    let records = flying;
    for (const value of [90_000, 61_250, 75_000]) {
      const outcome = change({ op: 'submit', key: 'score/gorge-run', value }, records);
      if (!outcome.applied) return expect.fail(outcome.problem.detail);
      records = new Map([...records, ...outcome.changed]);
    }
    const { best, latest, sum, count } = records.get('score/gorge-run')?.value as Record<string, number>;
    expect({ best, latest, sum, count }).to.deep.equal({ best: 61_250, latest: 75_000, sum: 226_250, count: 3 });
    return undefined;
  });

  it('refuses one more than a family may hold', () => {
    const six: Records = new Map([
      ...flying,
      ...['a', 'b', 'c', 'd', 'e', 'f'].map((name) => [`progress/glider/${name}`, { revision: 1, value: {} }] as const),
    ]);
    const seventh = change({ op: 'put', key: 'progress/glider/g', value: {} }, six);
    expect(seventh).to.have.nested.property('problem.code', 'family-full');
    expect(change({ op: 'put', key: 'progress/glider/f', value: { span: 8 } }, six)).to.have.property('applied', true);
  });
});
