import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { expect } from 'chai';
import type { Transaction } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol';
import { openStore, type Store } from '@vekkon/store';
import { highfell } from '../../core/test/highfell.js';
import { Leases } from '../src/writer/leases.js';
import { Notes } from '../src/writer/undoable.js';
import { plainEnvironment, plainJoin } from './plain.js';

const climb: Transaction = { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] };

describe('the writer', () => {
  let folder: string;
  let store: Store;
  let environment: number;
  beforeEach(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-store-'));
    store = await openStore(folder);
    const made = await store.writer.do('createEnvironment', plainEnvironment);
    environment = made.number;
  });
  afterEach(async () => {
    await store.close();
    rmSync(folder, { recursive: true });
  });

  const join = (player: string, session: string) => store.writer.do('join', plainJoin(environment, player, session));
  const save = (session: string, number: number) =>
    store.writer.do('save', {
      environment,
      session,
      number,
      seen: null,
      answered: null,
      device: null,
      transactions: [climb],
      leave: false,
    });
  const climbs = async (player: string) => {
    const found = await store.reader.players.record(environment, player, 'progress/climbs', highfell.manifest);
    return found?.stored?.value;
  };

  it('commits many commands together, each in its own order', async () => {
    await Promise.all([join('p-1', 'ses_1'), join('p-2', 'ses_2')]);
    const saves = [1, 2, 3].flatMap((number) => [save('ses_1', number), save('ses_2', number)]);
    await Promise.all(saves);
    expect([await climbs('p-1'), await climbs('p-2')]).to.deep.equal([3, 3]);
  });

  it('undoes a command that is refused, and not its neighbours', async () => {
    await join('p-1', 'ses_1');
    const results = await Promise.allSettled([
      save('ses_1', 1),
      save('ses_none', 1),
      save('ses_1', 2),
      join('p-2', 'ses_1'),
    ]);
    expect(results.map(({ status }) => status)).to.deep.equal(['fulfilled', 'rejected', 'fulfilled', 'rejected']);
    expect((results[1] as PromiseRejectedResult).reason).to.be.instanceOf(Refusal);
    // The id of an open session was taken: a fault, not a refusal. Its player was not made either.
    expect((results[3] as PromiseRejectedResult).reason).to.not.be.instanceOf(Refusal);
    expect(await store.reader.players.one(environment, 'p-2')).to.equal(undefined);
    expect(await climbs('p-1')).to.equal(2);
  });

  it('lets no player have two open sessions', async () => {
    await join('p-1', 'ses_1');
    await join('p-1', 'ses_2');
    const row = await store.reader.players.one(environment, 'p-1');
    const sessions = await store.reader.players.sessions(row!.number, 10);
    expect(sessions.map(({ id, end }) => [id, end])).to.deep.equal([
      ['ses_2', null],
      ['ses_1', 'joined-again'],
    ]);
  });

  it('could not give a player two open sessions even where the rules were wrong: the database refuses', async () => {
    await join('p-1', 'ses_1');
    await join('p-1', 'ses_2');
    await store.close();
    const database = new Database(path.join(folder, 'vekkon.sqlite'));
    const reopen = () => database.prepare("update sessions set ended_at = null where id = 'ses_1'").run();
    expect(reopen).to.throw('UNIQUE constraint failed: sessions.player');
    database.close();
    store = await openStore(folder);
  });

  it('keeps every revision, so that records can be read as they were', async () => {
    await join('p-1', 'ses_1');
    for (const number of [1, 2, 3]) await save('ses_1', number);
    const row = await store.reader.players.one(environment, 'p-1');
    const asOf = async (seen: number) =>
      (await store.reader.players.asOf(row!.number, seen)).get('progress/climbs')?.value;
    expect([await asOf(1), await asOf(2), await asOf(4)]).to.deep.equal([0, 1, 3]);
  });

  it('is read by who does not wait for it', async () => {
    await join('p-1', 'ses_1');
    let answered = 0;
    const busy = Promise.all(
      Array.from({ length: 600 }, (_, index) => save('ses_1', index + 1).then(() => answered++)),
    );
    expect(await store.reader.players.one(environment, 'p-1')).to.have.property('id', 'p-1');
    // Had it waited for those that were given before it, all of them would be answered.
    expect(answered).to.be.lessThan(600);
    await busy;
    expect(await climbs('p-1')).to.equal(600);
  });
});

describe('leases', () => {
  it('are whole from the start of the service, until they are renewed', () => {
    const leases = new Leases(5_000, new Notes());
    expect(leases.endOf('ses_1', 60)).to.equal(65_000);
    expect(leases.renew('ses_1', 60, 20_000)).to.equal(80_000);
    expect(leases.endOf('ses_1', 60)).to.equal(80_000);
    leases.forget('ses_1');
    expect(leases.endOf('ses_1', 60)).to.equal(65_000);
  });
});
