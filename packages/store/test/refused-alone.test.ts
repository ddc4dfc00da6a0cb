import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import { migrate } from '../src/migrations/index.js';
import { TrustedTime } from '../src/writer/trusted-time.js';
import { writerHere } from '../src/writer/writer.js';
import { plainEnvironment, plainJoin } from './plain.js';

describe('a command that is refused after it has written', () => {
  const clock = { now: () => Date.parse('2026-11-23T12:00:00Z'), monotonic: () => 1_000_000 };

  it('undoes what it wrote alone: its neighbours are applied once, whoever else is refused and how often', async () => {
    const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-alone-'));
    const engine = openSqlite(folder);
    await migrate(engine.writing);
    engine.countCommits();
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
