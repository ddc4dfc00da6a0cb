import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import { migrate } from '../src/migrations/index.js';
import { TrustedTime } from '../src/writer/trusted-time.js';
import { writerHere } from '../src/writer/writer.js';
import { plainEnvironment, plainJoin } from './plain.js';

const clock = { now: () => Date.parse('2026-11-23T12:00:00Z'), monotonic: () => 1_000_000 };

async function opened(): Promise<{ readonly folder: string; readonly engine: SqliteEngine }> {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-alone-'));
  const engine = openSqlite(folder);
  await migrate(engine.writing);
  engine.countCommits();
  return { folder, engine };
}

describe('a command that is refused after it has written', () => {
  it('undoes what it wrote alone: its neighbours are applied once, whoever else is refused and how often', async () => {
    const { folder, engine } = await opened();
    let transactions = 0;
    const counting: SqliteEngine = {
      ...engine,
      transact: (work, at) => {
        transactions++;
        return engine.transact(work, at);
      },
    };
    const writer = writerHere(counting, clock, new TrustedTime(undefined, clock.now(), clock.monotonic()));
    const told: string[] = [];
    writer.follow((event) => {
      if (event.what === 'joined') told.push(event.player);
    });
    const { number: environment } = await writer.do('createEnvironment', plainEnvironment);
    const join = (player: string, session: string) => writer.do('join', plainJoin(environment, player, session));
    const save = async (session: string, number: number) => {
      const { outcome } = await writer.do('save', {
        environment,
        session,
        number,
        seen: number,
        answered: number - 1,
        device: null,
        transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
        leave: false,
      });
      return (JSON.parse(outcome) as { records: { [key: string]: { value: number } } }).records['progress/climbs']
        ?.value;
    };
    await Promise.all([join('p-1', 'ses_1'), join('p-2', 'ses_2')]);
    const before = transactions;
    for (let number = 1; number <= 150; number++) {
      // The id of an open session is taken: that shows only once the player was made.
      const refuses = number % 70 === 1;
      const outcomes = await Promise.allSettled([
        save('ses_1', number),
        refuses ? join('p-3', 'ses_1') : save('ses_2', 0),
        save('ses_2', number),
      ]);
      expect(outcomes.map((one) => (one.status === 'fulfilled' ? one.value : 'refused'))).to.deep.equal([
        number,
        'refused',
        number,
      ]);
    }
    // One a turn; a turn that takes long, on a slow machine, is committed in two.
    expect(transactions - before).to.be.within(150, 160);
    expect(told).to.deep.equal(['p-1', 'p-2']);
    const players = await engine.writing.selectFrom('players').select(['id', 'seen']).orderBy('id').execute();
    expect(players.map(({ id }) => id)).to.deep.equal(['p-1', 'p-2']);
    const revisions = await engine.writing
      .selectFrom('history')
      .select(({ fn }) => fn.countAll<number>().as('rows'))
      .where('key', '=', 'progress/climbs')
      .executeTakeFirstOrThrow();
    expect(revisions.rows).to.equal(2 * 151);
    await engine.close(clock.now());
    rmSync(folder, { recursive: true });
  });
});

describe('a save whose rows the database refuses', () => {
  it('fails alone: its neighbours in the commit are applied, and it leaves nothing behind', async () => {
    const { folder, engine } = await opened();
    const writer = writerHere(engine, clock, new TrustedTime(undefined, clock.now(), clock.monotonic()));
    const { number: environment } = await writer.do('createEnvironment', plainEnvironment);
    const ids = ['p-1', 'p-2', 'p-3'];
    await Promise.all(ids.map((player) => writer.do('join', plainJoin(environment, player, `ses_${player}`))));
    const save = (player: string, number: number) =>
      writer.do('save', {
        environment,
        session: `ses_${player}`,
        number,
        seen: number,
        answered: number - 1,
        device: null,
        transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
        leave: false,
      });
    // A row that should not be there, as a damaged disk or a person's hand may leave it.
    const { number: damaged } = await engine.writing
      .selectFrom('players')
      .select('number')
      .where('id', '=', 'p-2')
      .executeTakeFirstOrThrow();
    const row = { key: 'progress/climbs', revision: 2, value: '7', removed: 0, seen: 1, at: 0, session: null };
    await engine.writing
      .insertInto('history')
      .values({ ...row, player: damaged, by: null, label: null, follows: 1, digest: null })
      .execute();
    const valueOf = async (player: string) => {
      const { value, seen } = await engine.writing
        .selectFrom('records')
        .innerJoin('players', 'players.number', 'records.player')
        .select(['records.value', 'players.seen'])
        .where('players.id', '=', player)
        .where('key', '=', 'progress/climbs')
        .executeTakeFirstOrThrow();
      return { value, seen };
    };
    for (const number of [1, 2]) {
      const outcomes = await Promise.allSettled(ids.map((player) => save(player, player === 'p-2' ? 1 : number)));
      expect(outcomes.map(({ status }) => status)).to.deep.equal(['fulfilled', 'rejected', 'fulfilled']);
    }
    expect(await valueOf('p-1')).to.deep.equal({ value: '2', seen: 3 });
    expect(await valueOf('p-2')).to.deep.equal({ value: '0', seen: 1 });
    expect(await valueOf('p-3')).to.deep.equal({ value: '2', seen: 3 });
    await engine.close(clock.now());
    rmSync(folder, { recursive: true });
  });
});
