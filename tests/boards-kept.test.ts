import path from 'node:path';
import Database from 'better-sqlite3';
import { expect } from 'chai';
import type { VekkonHost } from '@vekkon/client';
import { verifyStore } from '@vekkon/store';
import { boardsOfAllSorts } from './world/boards-of-all-sorts.js';
import { TestClock, World } from './world/world.js';

describe('what boards hold in memory', () => {
  let clock: TestClock;
  let world: World;
  let host: VekkonHost;
  beforeEach(async () => {
    clock = new TestClock();
    world = await World.start({ manifest: boardsOfAllSorts, clock });
    host = world.host('ridge-eu-1', { deadline: 5_000 });
  });
  afterEach(async () => {
    await host.close();
    expect(world.faults()).to.deep.equal([]);
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    await world.close();
  });

  /** One result in a session of its own. */
  async function submit(player: string, board: string, value: number): Promise<void> {
    const session = await host.join(player);
    session.submit(board, value);
    await session.leave();
  }

  it('is the same after the service was started again', async () => {
    for (let index = 0; index < 50; index++)
      await submit(`p-${index % 20}`, 'gorge-run', 30_000 + ((index * 7919) % 4000));
    const before = await host.boards.top('gorge-run', { count: 100 });
    await host.close();
    await world.restart();
    host = world.host('ridge-eu-1', { deadline: 5_000 });
    expect(await host.boards.top('gorge-run', { count: 100 })).to.deep.equal(before);
  });

  it('answers 10,000 questions alike after they were made anew from the store', async () => {
    const pilots = Array.from({ length: 400 }, (_, index) => `p-${index}`);
    // Several results of each, some alike, some later; then some are taken off, or erased.
    for (let round = 0; round < 3; round++) {
      clock.pass(1);
      await Promise.all(
        pilots.map((player, index) =>
          host.change(player, `run-${round}-${index}`, [
            {
              changes: [
                { op: 'submit', key: 'score/gorge-run', value: 30_000 + ((index * 7919 + round * 104_729) % 500) },
                { op: 'submit', key: 'score/metres-climbed', value: (index * 31 + round * 17) % 90 },
              ],
            },
          ]),
        ),
      );
    }
    for (const player of ['p-3', 'p-57', 'p-111']) await world.operator.boards.takeOff('gorge-run', player, 'a test');
    await world.operator.erase('p-200');
    /** Fifty friends of each of a hundred pilots, on two boards. */
    const ask = async () => {
      const answers: string[] = [];
      for (let question = 0; question < 100; question++) {
        const friends = Array.from({ length: 50 }, (_, index) => `p-${(question * 37 + index * 13) % 400}`);
        for (const board of ['gorge-run', 'metres-climbed']) {
          answers.push(JSON.stringify(await host.boards.among(board, friends)));
        }
      }
      return answers;
    };
    const before = await ask();
    await host.close();
    await world.restart();
    host = world.host('ridge-eu-1', { deadline: 5_000 });
    await host.boards.top('gorge-run');
    expect(await ask()).to.deep.equal(before);
  });

  it('takes results of one player from a host and from outside at once, each once', async () => {
    const session = await host.join('p-sol');
    const other = world.host('ridge-eu-2', { deadline: 5_000 });
    const outside = Array.from({ length: 40 }, (_, index) =>
      other.change('p-sol', `outside-${index}`, [
        { changes: [{ op: 'submit', key: 'score/metres-climbed', value: 10 }] },
      ]),
    );
    for (let times = 0; times < 40; times++) {
      session.submit('metres-climbed', 1);
      if (times % 4 === 0) await session.save();
    }
    await Promise.all([...outside, session.leave()]);
    await other.close();
    expect((await host.boards.standing('metres-climbed', 'p-sol'))?.value).to.equal(440);
  });

  it('is read around players who are taken off at the same time', async () => {
    const pilots = Array.from({ length: 60 }, (_, index) => `p-${index}`);
    await Promise.all(pilots.map((player, index) => submit(player, 'metres-climbed', 1 + index)));
    const around = pilots.map((player) => host.boards.around('metres-climbed', player, { span: 3 }));
    const off = pilots.slice(0, 30).map((player) => world.operator.boards.takeOff('metres-climbed', player, 'a test'));
    for (const stretch of await Promise.all(around)) {
      const { standings = [] } = stretch ?? {};
      // Whole: ranks follow one another, and values fall.
      for (const [index, { rank, value }] of standings.entries()) {
        if (index > 0)
          expect([rank, value < standings[index - 1]!.value]).to.deep.equal([standings[0]!.rank + index, true]);
      }
    }
    await Promise.all(off);
    expect((await host.boards.top('metres-climbed')).of).to.equal(30);
  });

  it('is held against the rows by verifying, which says what does not agree', async () => {
    await submit('p-sol', 'gorge-run', 50_000);
    await submit('p-maren', 'metres-climbed', 7);
    const change = (sql: string) => {
      const database = new Database(path.join(world.folder, 'vekkon.sqlite'));
      database.exec(sql);
      database.close();
    };
    const details = async () => (await verifyStore(world.folder)).faults.map(({ detail }) => detail);
    change("update seasons set standings = 9 where board = (select number from boards where key = 'gorge-run')");
    change("update standings set worth = 7 where board = (select number from boards where key = 'metres-climbed')");
    expect(await details()).to.deep.equal([
      'season 1 of the board gorge-run has not as many standings as it counts',
      'season 1 of the board metres-climbed: the standing of player number 2 does not stand where its value puts it',
    ]);
    change("update seasons set standings = 1 where board = (select number from boards where key = 'gorge-run')");
    change("update standings set worth = -7 where board = (select number from boards where key = 'metres-climbed')");
  });
});
