import { expect } from 'chai';
import type { VekkonHost } from '@vekkon/client';
import { VekkonPlayer, memoryStorage, type ServiceRefused } from '@vekkon/client';
import type { SaveResponse, Stretch } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { boardsOfAllSorts } from './world/boards-of-all-sorts.js';
import { TestClock, World } from './world/world.js';

const day = 24 * 3_600;

describe('boards', () => {
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

  /** One result in a session of its own. @returns what the game was told of it */
  async function submit(player: string, board: string, value: number, name?: string) {
    const session = await host.join(player, { ...(name !== undefined && { name }) });
    session.submit(board, value);
    await session.leave();
    return session.standings[board];
  }

  /** Leaves with one result that was made a while ago. */
  async function leaveWith(session: string, value: number, at: string) {
    const changes = [{ op: 'submit', key: 'score/gorge-run', value }];
    const body = { number: 1, transactions: [{ at, changes }] };
    return ((await world.call('POST', `/v1/sessions/${session}/leave`, body)).body as SaveResponse).standings;
  }

  const ranks = ({ standings }: Pick<Stretch, 'standings'>) => standings.map(({ rank, player }) => [rank, player]);
  /** The seasons of the gorge, once those that are closed have given what they give. */
  async function allDone() {
    for (;;) {
      const { seasons } = await world.operator.boards.seasons('gorge-run');
      if (seasons.every(({ state, isDone }) => state === 'open' || isDone)) return seasons;
    }
  }

  const codeOf = (call: Promise<unknown>) =>
    call.then(
      () => 'done',
      (error: ServiceRefused) => error.code,
    );

  it('tell with the save whether a result was kept, the best before, and the rank before and after', async () => {
    const first = await submit('p-sol', 'gorge-run', 80_000);
    expect(first).to.deep.equal({
      ...{ kept: true, value: 80_000, bestBefore: null, rankBefore: null, rank: 1, of: 1, season: 1 },
    });
    await submit('p-maren', 'gorge-run', 70_000);
    await submit('p-ilse', 'gorge-run', 75_000);
    expect(await submit('p-sol', 'gorge-run', 72_000)).to.deep.equal({
      ...{ kept: true, value: 72_000, bestBefore: 80_000, rankBefore: 3, rank: 2, of: 3, season: 1 },
    });
    expect(await submit('p-sol', 'gorge-run', 90_000)).to.deep.equal({
      ...{ kept: false, value: 90_000, bestBefore: 72_000, rankBefore: 2, rank: 2, of: 3, season: 1 },
    });
    // A personal best without a board.
    expect(await submit('p-sol', 'own-best', 5)).to.include({ kept: true, rank: null, of: null, season: null });
  });

  it('tell it again, with the ranks of then, when the save is sent again', async () => {
    const session = await world.joinPlainly('p-sol');
    const save = () =>
      world.call('POST', `/v1/sessions/${session}/saves`, {
        number: 1,
        transactions: [{ changes: [{ op: 'submit', key: 'score/gorge-run', value: 80_000 }] }],
      });
    const { standings: before, ...told } = (await save()).body as SaveResponse;
    await submit('p-maren', 'gorge-run', 70_000);
    const { standings: after, ...again } = (await save()).body as SaveResponse;
    expect(again.transactions).to.deep.equal(told.transactions);
    expect(again.records).to.deep.equal(told.records);
    expect([before?.['gorge-run']?.rank, after?.['gorge-run']?.rank]).to.deep.equal([1, 2]);
  });

  it('order by best, newest and sum, ties to whoever was first', async () => {
    await submit('p-late', 'gorge-run', 70_000);
    clock.pass(1);
    await submit('p-later', 'gorge-run', 70_000);
    await submit('p-sol', 'metres-climbed', 300);
    await submit('p-maren', 'metres-climbed', 500);
    await submit('p-sol', 'metres-climbed', 400);
    await submit('p-sol', 'last-landing', 9);
    await submit('p-sol', 'last-landing', 3);
    expect(ranks(await host.boards.top('gorge-run'))).to.deep.equal([
      [1, 'p-late'],
      [2, 'p-later'],
    ]);
    expect(
      (await host.boards.top('metres-climbed')).standings.map(({ player, shown }) => [player, shown]),
    ).to.deep.equal([
      ['p-sol', '700 metres'],
      ['p-maren', '500 metres'],
    ]);
    expect((await host.boards.standing('last-landing', 'p-sol'))?.value).to.equal(3);
  });

  it('are read from any rank, around a player, and among friends', async () => {
    for (let index = 1; index <= 30; index++) await submit(`p-${index}`, 'gorge-run', 30_000 + index, `Pilot ${index}`);
    expect(ranks(await host.boards.top('gorge-run', { start: 29, count: 5 }))).to.deep.equal([
      [29, 'p-29'],
      [30, 'p-30'],
    ]);
    expect(ranks(await host.boards.top('gorge-run', { start: 31 }))).to.deep.equal([]);
    const around = await host.boards.around('gorge-run', 'p-2', { span: 2 });
    expect(around && ranks(around)).to.deep.equal([
      [1, 'p-1'],
      [2, 'p-2'],
      [3, 'p-3'],
      [4, 'p-4'],
    ]);
    expect(around?.standings[1]).to.include({ name: 'Pilot 2', value: 30_002, shown: '0:30.002' });
    expect(await host.boards.around('gorge-run', 'p-nobody')).to.equal(undefined);
    expect(await host.boards.standing('gorge-run', 'p-nobody')).to.equal(undefined);
    expect(await host.boards.standing('gorge-run', 'p-3')).to.include({ rank: 3, of: 30, percentile: 93.33 });
    const among = await host.boards.among('gorge-run', ['p-20', 'p-4', 'p-nobody', 'p-4']);
    expect(among.standings.map(({ place, rank, player }) => [place, rank, player])).to.deep.equal([
      [1, 4, 'p-4'],
      [2, 20, 'p-20'],
    ]);
    expect(among.without).to.deep.equal(['p-nobody']);
    const tooMany = Array.from({ length: 201 }, (_, index) => `p-${index}`);
    expect(await codeOf(host.boards.among('gorge-run', tooMany))).to.equal('request-invalid');
  });

  it('answer 304 to whoever has the same stretch already', async () => {
    await submit('p-sol', 'gorge-run', 80_000);
    const first = await world.call('GET', '/v1/boards/gorge-run?count=3');
    const tag = first.headers.get('ETag') ?? '';
    expect(
      (await world.call('GET', '/v1/boards/gorge-run?count=3', undefined, { 'If-None-Match': tag })).status,
    ).to.equal(304);
    await submit('p-maren', 'gorge-run', 70_000);
    expect(
      (await world.call('GET', '/v1/boards/gorge-run?count=3', undefined, { 'If-None-Match': tag })).status,
    ).to.equal(200);
  });

  it('of a family are one for each name', async () => {
    await submit('p-sol', 'valley/Gull Valley', 51.6);
    await submit('p-maren', 'valley/Schlucht', 60);
    expect((await world.call('GET', '/v1/boards/valley/Gull%20Valley')).body).to.deep.include({
      board: 'valley/Gull Valley',
      of: 1,
    });
    expect((await host.boards.top('valley/Gull Valley')).standings[0]).to.include({
      player: 'p-sol',
      shown: '51.6 seconds',
    });
    expect((await host.boards.top('valley/Nobody was here')).standings).to.deep.equal([]);
    const [board] = (await world.operator.boards.list()).filter((one) => one.board === 'valley');
    expect(board?.members).to.deep.equal(['valley/Gull Valley', 'valley/Schlucht']);
    expect(await codeOf(host.boards.top('valley'))).to.equal('board-unknown');
  });

  it('say what is wrong with what is asked', async () => {
    const refused = (await world.call('GET', '/v1/boards/gorge-rum')).body as { code: string; detail: string };
    expect([refused.code, refused.detail]).to.deep.equal([
      'board-unknown',
      'There is no board "gorge-rum": did you mean "gorge-run"?',
    ]);
    expect((await world.call('GET', '/v1/boards/own-best')).status).to.equal(404);
    expect((await world.call('GET', '/v1/boards/gorge-run?season=7')).body).to.include({ code: 'season-unknown' });
    expect((await world.call('GET', '/v1/boards/gorge-run?count=201')).status).to.equal(400);
    const session = await host.join('p-sol');
    expect(() => session.submit('gorge-run', 1)).to.throw(/at least 20000/);
    expect(() => session.submit('gorge-run', NaN)).to.throw();
    await session.leave();
    // Declared, and empty.
    expect((await world.call('GET', '/v1/boards/gorge-run')).body).to.deep.equal({
      ...{ board: 'gorge-run', season: 1, of: 0, standings: [] },
    });
  });

  it('are seen by players’ own devices as far as the manifest shows them', async () => {
    const device = new VekkonPlayer({ url: world.url, deviceKey: world.deviceKey, storage: memoryStorage() });
    await device.start();
    device.submit('last-landing', 12);
    await device.save();
    expect((await device.boards.top('last-landing')).standings).to.have.lengthOf(1);
    expect(await codeOf(device.boards.top('hidden'))).to.equal('board-unknown');
    await device.leave();
  });

  describe('with seasons', () => {
    it('turn on time, take what was made before while the time of grace lasts, then give rewards once', async () => {
      await submit('p-sol', 'gorge-run', 80_000);
      await submit('p-maren', 'gorge-run', 70_000);
      await submit('p-ilse', 'gorge-run', 75_000);
      await submit('p-odd', 'gorge-run', 99_000);
      const session = await world.joinPlainly('p-tobin', 'ridge-eu-2');
      // Sunday, a quarter to twelve at night.
      clock.pass((Date.parse('2026-11-29T23:45:00Z') - clock.wall) / 1000);
      const madeAt = new Date(clock.wall).toISOString();
      clock.pass(16 * 60);
      await submit('p-sol', 'gorge-run', 60_000);
      const { seasons } = await world.operator.boards.seasons('gorge-run');
      expect(seasons.map(({ season, state, of }) => [season, state, of])).to.deep.equal([
        [2, 'open', 1],
        [1, 'turned', 4],
      ]);
      expect(seasons[1]?.turnsAt).to.equal('2026-11-30T00:00:00.000Z');
      expect(seasons[0]?.openedAt).to.equal('2026-11-30T00:00:00.000Z');
      expect((await leaveWith(session, 65_000, madeAt))?.['gorge-run']).to.include({ season: 1, rank: 1, of: 5 });
      const another = await world.joinPlainly('p-tobin', 'ridge-eu-2');
      clock.pass(5 * 60);
      const closed = (await allDone())[1];
      expect(closed).to.deep.include({ state: 'closed', of: 5, ranked: 5, given: 2, isDone: true });
      expect(closed?.rewards.map(({ shown }) => shown)).to.deep.equal(['500 of feather, 1 of wing', '100 of feather']);
      const winner = await world.operator.player('p-tobin');
      expect(winner.records['currency/feather']?.value).to.equal(540);
      expect(winner.records['inventory/pack']?.value).to.have.nested.property('pieces.gorge-run-1.item', 'wing');
      const [line] = (await world.operator.ledger('p-tobin')).lines;
      expect(line).to.include({ amount: 500, reason: 'gorge-run, season 1: rank 1', by: 'board gorge-run' });
      expect((await world.operator.player('p-maren')).records['currency/feather']?.value).to.equal(140);
      expect((await world.operator.player('p-ilse')).records['currency/feather']?.value).to.equal(40);
      // A closed season is read by number, whole and around somebody.
      expect(ranks(await host.boards.top('gorge-run', { season: 1 }))[0]).to.deep.equal([1, 'p-tobin']);
      const around = await host.boards.around('gorge-run', 'p-sol', { season: 1, span: 1 });
      expect(around && ranks(around)).to.deep.equal([
        [3, 'p-ilse'],
        [4, 'p-sol'],
        [5, 'p-odd'],
      ]);
      const csv = await world.call('GET', '/v1/boards/gorge-run/export?season=1', undefined, {
        Authorization: `Bearer ${world.operatorToken}`,
      });
      expect(csv.text.split('\n').slice(0, 2)).to.deep.equal([
        'rank,player,name,value,shown,reached',
        `1,p-tobin,,65000,1:05.000,${madeAt}`,
      ]);
      // What comes later counts for the season that is open.
      expect((await leaveWith(another, 30_000, madeAt))?.['gorge-run']).to.include({ season: 2, rank: 1 });
    });

    it('turn once where the service was down when they should have', async () => {
      await submit('p-sol', 'gorge-run', 80_000);
      await host.close();
      await world.stop();
      clock.pass(23 * day);
      // So long that somebody must say that the clock is right.
      await world.startAgain(0, { trustsClock: true });
      host = world.host('ridge-eu-1', { deadline: 5_000 });
      await world.signInAgain();
      const seasons = await allDone();
      expect(seasons.map(({ season, state, openedAt }) => [season, state, openedAt.slice(0, 10)])).to.deep.equal([
        [2, 'open', '2026-12-14'],
        [1, 'closed', '2026-11-23'],
      ]);
      expect((await world.operator.player('p-sol')).records['currency/feather']?.value).to.equal(540);
    });

    it('keep what can’t be given as unsettled', async () => {
      await world.operator.installManifest(
        boardsOfAllSorts.replace('amount: 500', 'amount: 3').replaceAll('feather, amount: 3', 'opal, amount: 3'),
      );
      const session = await host.join('p-sol');
      session.credit('opal', 3, 'found');
      session.submit('gorge-run', 50_000);
      await session.leave();
      await world.operator.boards.close('gorge-run', 'the storm');
      await allDone();
      const { unsettled } = await world.operator.unsettled('p-sol');
      expect(unsettled.map(({ reason, host: by }) => [reason, by])).to.deep.equal([
        ['balance-too-high', 'board gorge-run'],
      ]);
    });

    it('are closed by hand, after it was said what that gives to whom', async () => {
      for (const [player, time] of [
        ['p-a', 30_000],
        ['p-b', 31_000],
        ['p-c', 32_000],
        ['p-d', 33_000],
      ] as const) {
        await submit(player, 'gorge-run', time);
      }
      const dry = await world.operator.boards.wouldClose('gorge-run');
      expect([dry.isDone, dry.of, dry.nextTurn]).to.deep.equal([false, 4, '2026-11-30T00:00:00.000Z']);
      expect(dry.rewards.map(({ players, first }) => [players, first.map(({ player }) => player)])).to.deep.equal([
        [1, ['p-a']],
        [1, ['p-b']],
      ]);
      expect((await world.operator.boards.seasons('gorge-run')).seasons).to.have.lengthOf(1);
      await world.operator.boards.close('gorge-run', 'a bug in the gorge');
      const { seasons } = await world.operator.boards.seasons('gorge-run');
      expect(seasons[1]).to.include({ state: 'closed', closedBy: World.admin.email, reason: 'a bug in the gorge' });
      expect((await world.operator.activity(5)).activity.map(({ what }) => what)).to.include('season-closed');
    });
  });

  describe('kept honest', () => {
    it('set doubtful results aside until a person accepts them, as of when they were made', async () => {
      await submit('p-sol', 'longest-glide', 40_000);
      expect(await submit('p-sol', 'longest-glide', 120_000)).to.include({ kept: false, doubtful: true, rank: null });
      clock.pass(60);
      await submit('p-maren', 'longest-glide', 50_000);
      expect((await world.operator.player('p-sol')).records['score/longest-glide']?.value).to.include({
        ...{ latest: 120_000, best: 40_000, sum: 40_000, count: 1 },
      });
      const { total, doubtful } = await world.operator.boards.doubtful();
      expect(total).to.equal(1);
      expect(doubtful[0]).to.deep.include({
        board: 'longest-glide',
        player: 'p-sol',
        shown: '120,000 metres',
        host: 'ridge-eu-1',
      });
      expect(doubtful[0]?.before).to.include({ best: 40_000, count: 1 });
      await world.operator.boards.accept(doubtful[0]!.id, 'seen by three');
      expect(ranks(await host.boards.top('longest-glide'))).to.deep.equal([
        [1, 'p-sol'],
        [2, 'p-maren'],
      ]);
      const score = (await world.operator.player('p-sol')).records['score/longest-glide']?.value;
      expect(score).to.include({ best: 120_000, sum: 160_000, count: 2, bestAt: doubtful[0]?.at });
      expect(await codeOf(world.operator.boards.reject(doubtful[0]!.id, 'after all not'))).to.equal('doubtful-decided');
    });

    it('let a rejected one count nowhere', async () => {
      await submit('p-odd', 'longest-glide', 9_000_000);
      const [one] = (await world.operator.boards.doubtful()).doubtful;
      await world.operator.boards.reject(one!.id, 'nobody glides that far');
      expect((await host.boards.top('longest-glide')).of).to.equal(0);
      expect((await world.operator.boards.doubtful()).total).to.equal(0);
      expect((await world.operator.boards.doubtful({ state: 'rejected' })).doubtful[0]).to.include({
        ...{ decidedBy: World.admin.email, reason: 'nobody glides that far' },
      });
    });

    it('take a standing off, and put it back', async () => {
      await submit('p-sol', 'metres-climbed', 300);
      await submit('p-odd', 'metres-climbed', 999);
      await world.operator.boards.takeOff('metres-climbed', 'p-odd', 'flew through a hill');
      expect(ranks(await host.boards.top('metres-climbed'))).to.deep.equal([[1, 'p-sol']]);
      expect((await world.operator.boards.ofPlayer('p-odd')).aside[0]).to.include({ why: 'taken-off', value: 999 });
      expect(await codeOf(world.operator.boards.takeOff('metres-climbed', 'p-odd', 'again'))).to.equal(
        'standing-unknown',
      );
      await world.operator.boards.putBack('metres-climbed', 'p-odd', 'there was no hill');
      expect(ranks(await host.boards.top('metres-climbed'))).to.deep.equal([
        [1, 'p-odd'],
        [2, 'p-sol'],
      ]);
    });

    it('bar a player until they are readmitted', async () => {
      await submit('p-odd', 'gorge-run', 30_000);
      await world.operator.boards.bar('gorge-run', 'p-odd', 'a forged client');
      expect((await host.boards.top('gorge-run')).of).to.equal(0);
      expect(await submit('p-odd', 'gorge-run', 25_000)).to.include({ kept: false, barred: true, rank: null });
      expect(await codeOf(world.operator.boards.bar('gorge-run', 'p-odd', 'again'))).to.equal('player-barred');
      await world.operator.boards.readmit('gorge-run', 'p-odd', 'it was another');
      expect((await host.boards.standing('gorge-run', 'p-odd'))?.value).to.equal(30_000);
      expect(await codeOf(world.operator.boards.readmit('gorge-run', 'p-odd', 'again'))).to.equal('player-not-barred');
    });

    it('show how results are spread, the odd one apart', async () => {
      for (let index = 0; index < 20; index++) await submit(`p-${index}`, 'metres-climbed', 1_000 + index * 10);
      await submit('p-odd', 'metres-climbed', 1_000_000);
      const spread = await world.operator.boards.spread('metres-climbed');
      expect(spread).to.include({ count: 21, lowest: 1_000, highest: 1_000_000, median: 1_100, above: 1, below: 0 });
      expect(spread.bins.reduce((sum, { count }) => sum + count, 0)).to.equal(20);
    });

    it('forget a player who is erased, and one who is made new', async () => {
      await submit('p-gone', 'metres-climbed', 5);
      await submit('p-new', 'metres-climbed', 6);
      await world.operator.erase('p-gone');
      await world.operator.makeNew('p-new');
      expect((await host.boards.top('metres-climbed')).of).to.equal(0);
      await world.operator.boards.putBack('metres-climbed', 'p-new', 'a test');
      expect((await host.boards.standing('metres-climbed', 'p-new'))?.value).to.equal(6);
    });
  });

  it('are watched: the top and chosen players, when they move', async () => {
    await submit('p-sol', 'gorge-run', 80_000);
    const seen: string[] = [];
    let onSeen: (() => void) | undefined;
    const next = () => new Promise<void>((resolve) => (onSeen = resolve));
    const first = next();
    const end = host.boards.watch('gorge-run', { top: 2, players: ['p-sol'] }, ({ top, players }) => {
      seen.push(`${top.map(({ player }) => player).join(' ')} / ${players.map(({ rank }) => rank).join(' ')}`);
      onSeen?.();
    });
    await first;
    const moved = next();
    await submit('p-maren', 'gorge-run', 70_000);
    await moved;
    end();
    expect(seen).to.deep.equal(['p-sol / 1', 'p-maren p-sol / 2']);
  });
});
