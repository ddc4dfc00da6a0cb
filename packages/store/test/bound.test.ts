import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { Refusal } from '@vekkon/protocol';
import { expect } from 'chai';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import { migrate } from '../src/migrations/index.js';
import { TrustedTime } from '../src/writer/trusted-time.js';
import { writerHere, type Writer } from '../src/writer/writer.js';
import { plainEnvironment, plainJoin } from './plain.js';

const hour = 60 * 60 * 1000;
const most = 32 * 1024 * 1024;

describe('what the devices of a player write within an hour', () => {
  let folder: string;
  let engine: SqliteEngine;
  let writer: Writer;
  let environment: number;
  let now = 0;
  let playedAgain = 0;
  const clock = { now: () => now, monotonic: () => now };
  const device = 'dev-00000000000000000001';
  beforeEach(async () => {
    now = Date.parse('2026-11-27T12:00:00Z');
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-bound-'));
    engine = openSqlite(folder);
    await migrate(engine.writing);
    engine.countCommits();
    start();
    ({ number: environment } = await writer.do('createEnvironment', plainEnvironment));
    await writer.do('addDevice', {
      environment,
      secretHash: 'a secret',
      name: null,
      device,
      player: 'p-1',
      tokenHash: 'a token',
      madeWith: 'a key',
      expiresAt: now + 24 * hour,
    });
    await writer.do('join', { ...plainJoin(environment, 'p-1', 'ses_1'), device });
    await writer.do('join', plainJoin(environment, 'p-2', 'ses_2'));
    playedAgain = 0;
  });
  afterEach(async () => {
    await engine.close(now);
    rmSync(folder, { recursive: true });
  });

  /** As a service does that starts: nothing is held in memory. */
  function start(): void {
    const counting: SqliteEngine = {
      ...engine,
      transact: (work, at) => {
        let isAgain = false;
        return engine.transact(() => {
          if (isAgain) playedAgain++;
          isAgain = true;
          return work();
        }, at);
      },
    };
    writer = writerHere(counting, clock, new TrustedTime(undefined, now, now));
  }
  const wrote = async (): Promise<number> => {
    const row = await engine.writing.selectFrom('written_by_players').select('bytes').executeTakeFirst();
    return row?.bytes ?? 0;
  };
  const hasWritten = (bytes: number) =>
    engine.writing
      .insertInto('written_by_players')
      .values({ player: 1, hour: Math.floor(now / hour), bytes })
      .onConflict((conflict) => conflict.column('player').doUpdateSet({ bytes }))
      .execute();
  const save = (player: string, number: number) =>
    writer
      .do('save', {
        environment,
        session: `ses_${player.slice(2)}`,
        number,
        seen: number,
        answered: number - 1,
        device: player === 'p-1' ? device : null,
        owner: player,
        transactions: [{ changes: [{ op: 'increase', key: 'progress/landings', path: '', by: 1 }] }],
        leave: false,
      })
      .then(
        () => 'applied',
        (error: unknown) => (error instanceof Refusal ? `${error.code} ${error.facts.retryAfter}` : String(error)),
      );
  const revisionOf = async (player: number): Promise<number> => {
    const { revision } = await engine.writing
      .selectFrom('records')
      .select('revision')
      .where('player', '=', player)
      .where('key', '=', 'progress/landings')
      .executeTakeFirstOrThrow();
    return revision;
  };

  it('is counted over starts of the service, in the store as in memory', async () => {
    const after: number[] = [];
    for (const number of [1, 2, 3, 4]) {
      if (number === 4) start();
      expect(await save('p-1', number)).to.equal('applied');
      after.push(await wrote());
    }
    const [one = 0, two = 0, three = 0, four = 0] = after;
    // The first is told with an outcome, which the later ones take the place of.
    expect(one).to.be.greaterThan(two - one);
    expect(two - one).to.be.greaterThan(200);
    expect([three - two, four - three]).to.deep.equal([two - one, two - one]);
  });

  it('is bounded: what is more is refused until the hour is over, and leaves nothing behind', async () => {
    await hasWritten(most - 10);
    now += 20 * 60 * 1000;
    expect(await save('p-1', 1)).to.equal(`too-many-requests ${40 * 60}`);
    expect([await wrote(), await revisionOf(1)]).to.deep.equal([most - 10, 1]);
    now += 40 * 60 * 1000;
    expect(await save('p-1', 1)).to.equal('applied');
    expect(await revisionOf(1)).to.equal(2);
    expect(await wrote()).to.be.lessThan(2_000);
  });

  it('costs nobody else anything where it is too much: their saves share its transaction, which is played once', async () => {
    await hasWritten(most - 10);
    for (let turn = 1; turn <= 20; turn++) {
      const outcomes = await Promise.all([save('p-2', turn), save('p-1', 1)]);
      expect(outcomes).to.deep.equal(['applied', `too-many-requests ${60 * 60}`]);
    }
    expect([await revisionOf(1), await revisionOf(2)]).to.deep.equal([1, 21]);
    expect(playedAgain).to.equal(0);
  });
});
