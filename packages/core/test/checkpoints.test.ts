import { expect } from 'chai';
import {
  applyTransaction,
  foldTransactions,
  playersPart,
  type Applied,
  type Change,
  type Checkpoint,
  type Circumstances,
  type Json,
  type OutsideChange,
  type Records,
} from '@vekkon/core';
import { highfell, newPilot, noon, rulesOf } from './highfell.js';

const flight = (chapter: number, charted: string[] = []) => ({ chapter, charted, metres: 0 });

/** A pilot with some checkpoints, to whom outside changes happened since. */
class Pilot {
  records: Records = new Map([
    ...newPilot(),
    ['progress/flight', { revision: 9, value: flight(7, ['salt-col']) }],
    ['currency/feather', { revision: 5, value: 310 }],
    ['inventory/pack', { revision: 3, value: { stacks: { flare: 4 }, pieces: {} } }],
  ]);
  readonly checkpoints = new Map<string, Checkpoint>();
  readonly outside: OutsideChange[] = [];

  try(change: Change, circumstances: Circumstances = {}) {
    return applyTransaction(this.records, { changes: [change] }, highfell, noon, {
      checkpoints: { byName: this.checkpoints, areAll: true, seen: 1, outsideSince: () => this.outside },
      ...circumstances,
    });
  }

  do(...changes: Change[]): Applied {
    let last: Applied | undefined;
    for (const change of changes) {
      const outcome = this.try(change);
      if (!outcome.applied) throw new Error(outcome.problem.detail);
      this.records = new Map([...this.records, ...outcome.changed]);
      for (const { checkpoint, instead } of outcome.checkpoints) {
        if (instead !== undefined) this.checkpoints.delete(instead);
        this.checkpoints.set(checkpoint.name, checkpoint);
      }
      last = outcome;
    }
    return last!;
  }

  /** A change that is no save of the session. */
  fromOutside(change: Change): void {
    this.do(change);
    this.outside.push({ change, at: noon });
  }

  value(key: string): Json | undefined {
    const record = this.records.get(key);
    return record?.removed === true ? undefined : record?.value;
  }

  problemOf(change: Change, circumstances?: Circumstances) {
    const outcome = this.try(change, circumstances);
    return outcome.applied ? undefined : outcome.problem;
  }
}

const save: Change = { op: 'checkpoint', name: 'salt col' };
const load: Change = { op: 'restore', name: 'salt col' };

describe('checkpoints', () => {
  let pilot: Pilot;
  beforeEach(() => (pilot = new Pilot()));

  it('bring back what was there, with revisions that go on', () => {
    pilot.do(save, { op: 'put', key: 'progress/flight', value: flight(9) }, load);
    expect(pilot.value('progress/flight')).to.deep.equal(flight(7, ['salt-col']));
    expect(pilot.records.get('progress/flight')?.revision).to.equal(11);
  });

  it('move currencies by ledger lines that say so', () => {
    pilot.do(save, { op: 'debit', key: 'currency/feather', amount: 300, reason: 'wing' });
    const { ledger } = pilot.do(load);
    expect(ledger).to.deep.equal([
      { key: 'currency/feather', op: 'restore', amount: 300, balance: 310, reason: 'restored "salt col"', count: 1 },
    ]);
  });

  it('leave what they do not hold: scores, what lasts for ever, preferences', () => {
    pilot.do(save, { op: 'submit', key: 'score/longest-glide', value: 900 });
    pilot.do({ op: 'merge', key: 'progress/logbook', value: { flights: 3 } });
    pilot.do({ op: 'put', key: 'preference/invert-pitch', value: true }, load);
    expect(pilot.value('preference/invert-pitch')).to.equal(true);
    expect(pilot.value('progress/logbook')).to.include({ flights: 3 });
    expect(pilot.value('score/longest-glide')).to.include({ best: 900 });
  });

  it('take a member of a family away that was not there, to the trash', () => {
    pilot.do(save, { op: 'put', key: 'progress/glider/heron', value: { span: 12, cloth: 'silk', wear: 0 } });
    const { trash } = pilot.do(load);
    expect(pilot.value('progress/glider/heron')).to.equal(undefined);
    expect(trash.map(({ key, by }) => [key, by])).to.deep.equal([['progress/glider/heron', 'restore']]);
  });

  it('keep what came from outside since: feathers, items, pieces and progress, whatever the bounds', () => {
    pilot.do(save, { op: 'lose', key: 'inventory/pack', item: 'flare', count: 4 });
    pilot.fromOutside({ op: 'credit', key: 'currency/feather', amount: 90, reason: 'gift' });
    pilot.fromOutside({ op: 'gain', key: 'inventory/pack', item: 'silk-patch', count: 24 * 20 });
    pilot.fromOutside({ op: 'gain', key: 'inventory/hangar', item: 'wing', piece: 'w-1' });
    pilot.fromOutside({ op: 'collect', key: 'progress/flight', path: '/charted', value: 'gift-ridge' });
    pilot.do({ op: 'put', key: 'progress/flight', value: flight(9) }, load);
    expect(pilot.value('currency/feather')).to.equal(400);
    expect(pilot.value('inventory/pack')).to.deep.equal({ stacks: { flare: 4, 'silk-patch': 480 }, pieces: {} });
    expect(pilot.value('inventory/hangar')).to.have.nested.property('pieces.w-1');
    expect(pilot.value('progress/flight')).to.deep.equal(flight(7, ['salt-col', 'gift-ridge']));
  });

  it('take away what was taken from outside since, as far as it is there', () => {
    pilot.do(save, { op: 'credit', key: 'currency/feather', amount: 500, reason: 'climb' });
    pilot.do({ op: 'gain', key: 'inventory/pack', item: 'flare', count: 2 });
    pilot.fromOutside({ op: 'debit', key: 'currency/feather', amount: 400, reason: 'refund' });
    pilot.fromOutside({ op: 'lose', key: 'inventory/pack', item: 'flare', count: 6 });
    pilot.do(load);
    expect(pilot.value('currency/feather')).to.equal(-90);
    expect(pilot.value('inventory/pack')).to.deep.equal({ stacks: {}, pieces: {} });
  });

  it('keep a value that was brought back from outside, and a reset from outside', () => {
    pilot.do(save);
    pilot.outside.push({ key: 'progress/flight', value: flight(12), at: noon });
    pilot.outside.push({ change: { op: 'reset', key: 'inventory' }, at: noon });
    pilot.do(load);
    expect(pilot.value('progress/flight')).to.deep.equal(flight(12));
    expect(pilot.value('inventory/pack')).to.deep.equal({ stacks: { 'silk-patch': 2 }, pieces: {} });
  });

  it('never double a piece that lies where no checkpoint reaches by now', () => {
    const rules = rulesOf(
      'manifest: 1\ngame: highfell-gliders\nitems:\n  wing: { unique: true }\ninventories:\n  pack: {}\n  hangar: {}\ncheckpoints: { atMost: 1, records: [inventory/pack] }\n',
    );
    const piece = { item: 'wing', traits: {} };
    const inPack = new Map([['inventory/pack', { revision: 1, value: { stacks: {}, pieces: { 'w-1': piece } } }]]);
    const made = applyTransaction(inPack, { changes: [save] }, rules, noon) as Applied;
    const moved: Records = new Map([
      ['inventory/pack', { revision: 2, value: { stacks: {}, pieces: {} } }],
      ['inventory/hangar', { revision: 1, value: { stacks: {}, pieces: { 'w-1': piece } } }],
    ]);
    const byName = new Map([['salt col', made.checkpoints[0]!.checkpoint]]);
    const checkpoints = { byName, areAll: true, seen: 1, outsideSince: () => [] };
    const loaded = applyTransaction(moved, { changes: [load] }, rules, noon, { checkpoints }) as Applied;
    expect(loaded.changed.size).to.equal(0);
  });

  it('forget what was done once, so that it may be done again', () => {
    pilot.do(save);
    expect(pilot.do(load).forgetsOnce).to.equal(true);
  });

  it('refuse a name that is taken, and take its place where that is said', () => {
    pilot.do(save);
    expect(pilot.problemOf(save)).to.include({ code: 'checkpoint-exists' });
    pilot.do({ op: 'debit', key: 'currency/feather', amount: 10, reason: 'flare' });
    pilot.do({ ...save, instead: 'salt col' }, { op: 'debit', key: 'currency/feather', amount: 10, reason: 'flare' });
    pilot.do(load);
    expect(pilot.value('currency/feather')).to.equal(300);
  });

  it('ask which to give up for one too many, naming those that there are', () => {
    for (const name of ['a', 'b', 'c', 'd', 'e']) pilot.do({ op: 'checkpoint', name });
    const problem = pilot.problemOf({ op: 'checkpoint', name: 'f' });
    expect(problem).to.deep.include({ code: 'checkpoints-full', checkpoints: ['a', 'b', 'c', 'd', 'e'] });
    expect(problem?.detail).to.contain('which is to be given up');
    pilot.do({ op: 'checkpoint', name: 'f', instead: 'b' });
    expect([...pilot.checkpoints.keys()]).to.deep.equal(['a', 'c', 'd', 'e', 'f']);
  });

  it('say which there are where an unknown one is asked for', () => {
    expect(pilot.problemOf(load)?.detail).to.equal('There is no checkpoint "salt col": there is none yet.');
    pilot.do({ op: 'checkpoint', name: 'gull ridge' });
    expect(pilot.problemOf(load)).to.deep.include({ code: 'checkpoint-unknown', checkpoints: ['gull ridge'] });
    const instead = pilot.problemOf({ op: 'checkpoint', name: 'x', instead: 'y' });
    expect(instead).to.include({ code: 'checkpoint-unknown' });
  });

  it('need to be declared', () => {
    const rules = rulesOf('manifest: 1\ngame: highfell-gliders\nprogress:\n  climbs: 0\n');
    const outcome = applyTransaction(new Map(), { changes: [save] }, rules, noon);
    expect(outcome).to.have.nested.property('problem.code', 'checkpoints-not-declared');
  });

  it('are left to the service where what they hold is not at hand', () => {
    const outcome = applyTransaction(pilot.records, { changes: [load] }, highfell, noon);
    expect(outcome).to.include({ applied: true, isForService: true });
  });

  it('stand between changes that wait, so that nothing is folded across them', () => {
    const credit = { changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: 'r' } as const] };
    expect(foldTransactions([credit, { changes: [save] }, credit])).to.have.length(3);
    expect(foldTransactions([credit, { changes: [load] }, credit])).to.have.length(3);
  });
});

describe("what a player's own device may do", () => {
  const pilot = new Pilot();
  const codeOf = (change: Change) => pilot.problemOf(change, { byPlayer: true })?.code;

  it('is what the manifest lets players write', () => {
    expect(codeOf({ op: 'put', key: 'preference/invert-pitch', value: true })).to.equal(undefined);
    expect(codeOf({ op: 'increase', key: 'progress/landings', path: '', by: 1 })).to.equal(undefined);
    expect(codeOf({ op: 'submit', key: 'score/valley/gull', value: 61.5 })).to.equal(undefined);
    expect(codeOf({ op: 'increase', key: 'progress/climbs', path: '', by: 1 })).to.equal('not-for-players');
    expect(codeOf({ op: 'credit', key: 'currency/feather', amount: 1, reason: 'r' })).to.equal('not-for-players');
    expect(codeOf({ op: 'gain', key: 'inventory/pack', item: 'flare' })).to.equal('not-for-players');
    expect(codeOf({ op: 'submit', key: 'score/gorge-run', value: 61_000 })).to.equal('not-for-players');
  });

  it('does not start a run over that a game server has brought on its way', () => {
    expect(codeOf({ op: 'start-over' })).to.equal('not-for-players');
    expect(codeOf({ op: 'reset', key: 'progress/flight' })).to.equal('not-for-players');
    const records = new Map([...newPilot(), ['progress/drift', { revision: 2, value: { feathers: 3 } }] as const]);
    const own = applyTransaction(records, { changes: [{ op: 'start-over' }] }, highfell, noon, { byPlayer: true });
    expect(own.applied && [...own.changed.keys()]).to.deep.equal(['progress/drift']);
  });

  it('may save here and load, unless checkpoints are the game servers’', () => {
    expect(codeOf(save)).to.equal(undefined);
    const source = 'manifest: 1\ngame: highfell-gliders\nprogress:\n  climbs: 0\n';
    const rules = rulesOf(`${source}checkpoints: { atMost: 1, by: host, records: [progress/climbs] }\n`);
    const outcome = applyTransaction(new Map(), { changes: [save] }, rules, noon, { byPlayer: true });
    expect(outcome).to.have.nested.property('problem.code', 'not-for-players');
  });

  it('does not read what is kept from it', () => {
    const { records, checkpoints } = playersPart(highfell.manifest);
    expect(records).to.include.keys('progress/flight', 'currency/feather', 'progress/drift');
    expect(records).not.to.have.property('progress/climbs');
    expect(checkpoints?.records).to.include('progress/drift');
  });
});
