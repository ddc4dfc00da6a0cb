import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { openStore, verifyStore, type Store } from '@vekkon/store';
import { pino } from 'pino';
import { highfell } from '../../core/test/highfell.js';
import { Pruning } from '../src/pruning.js';

const hour = 3_600_000;
const day = 24 * hour;

describe('what was, kept for its time', () => {
  let folder: string;
  let store: Store;
  let environment: number;
  const clock = {
    wall: Date.parse('2024-01-10T12:00:00Z'),
    steady: 0,
    now: () => clock.wall,
    monotonic: () => clock.steady,
  };
  const pass = (milliseconds: number) => {
    clock.wall += milliseconds;
    clock.steady += milliseconds;
  };
  beforeEach(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-pruning-'));
    store = await openStore(folder, { clock });
    const keys = { game: 'highfell-gliders', name: 'dev', isLive: false, leaseSeconds: 60 };
    const manifest = { manifest: highfell.manifest, source: '' };
    const made = await store.writer.do('createEnvironment', {
      ...keys,
      manifest,
      origins: null,
      keys: [],
      by: 'maren',
    });
    environment = made.number;
  });
  afterEach(async () => {
    await store.close();
    rmSync(folder, { recursive: true });
  });

  let token = 0;
  const change = (...changes: object[]) =>
    store.writer.do('changeOutside', {
      environment,
      player: 'p-1',
      token: `t-${token++}`,
      transactions: [{ changes: changes as never }],
      by: 'the shop',
      byOperator: false,
    });
  const climb = { op: 'increase', key: 'progress/climbs', path: '', by: 1 };
  const credit = { op: 'credit', key: 'currency/feather', amount: 1, reason: 'gift' };
  const revisions = async () => {
    const player = await store.reader.players.one(environment, 'p-1');
    return (await store.longReads.historyPage(player!.number, ['progress/climbs'], 50)).revisions.map(
      ({ revision }) => revision,
    );
  };

  it('goes by its terms, in small steps, and leaves a history and a ledger that are whole', async () => {
    for (let time = 0; time < 3; time++) await change(climb, credit);
    pass(day);
    await change(climb, credit);
    pass(31 * day);
    const pruning = new Pruning(store, pino({ enabled: false }), clock);
    await pruning.thin();
    // Of the first day its last is left, and the newest.
    expect(await revisions()).to.deep.equal([4, 3]);
    // Not before a day has passed it is looked again.
    await change(climb);
    await pruning.thin();
    expect(await revisions()).to.deep.equal([5, 4, 3]);
    pass(800 * day);
    await pruning.run();
    await pruning.thin();
    expect(await revisions()).to.deep.equal([5]);
    const player = await store.reader.players.one(environment, 'p-1');
    const lines = await store.reader.players.ledger(player!.number, undefined, 50, undefined);
    expect(lines.map(({ reason, amount, balance, count }) => [reason, amount, balance, count])).to.deep.equal([
      ['gift', 1, 44, 1],
      ['4 movements of 2024-01-10', 43, 43, 4],
    ]);
    expect(await store.reader.environments.pruned(environment)).to.deep.equal([
      { what: 'history', rows: 7, at: clock.wall },
      { what: 'ledger', rows: 3, at: clock.wall },
    ]);
    await store.close();
    expect((await verifyStore(folder)).faults).to.deep.equal([]);
  });

  it('goes by the terms of its own environment, and not while the clock is not trusted', async () => {
    const terms = { revisions: 365 * day, ofSessions: 365 * day, ofDays: 365 * day, ledger: 730 * day };
    await store.writer.do('setTerms', { environment, terms, by: 'maren' });
    for (let time = 0; time < 3; time++) await change(climb);
    pass(60 * day);
    await new Pruning(store, pino({ enabled: false }), clock).thin();
    expect(await revisions()).to.deep.equal([3, 2, 1]);
    pass(400 * day);
    await new Pruning(store, pino({ enabled: false }), clock).thin();
    expect(await revisions()).to.deep.equal([3]);
  });
});
