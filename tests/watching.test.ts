import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client/operator';
import type { OperatorEvents } from '@vekkon/protocol';
import { until } from './world/until.js';
import { TestClock, World } from './world/world.js';

type Heard = { [Name in keyof OperatorEvents]: OperatorEvents[Name][] };

/** Listens to an operator's stream; resolves when it stands. */
async function listening(world: World, about: Parameters<World['operator']['listen']>[0]) {
  const heard: Heard = { activity: [], boards: [], gift: [], overview: [], player: [], tuning: [] };
  const end = new AbortController();
  await new Promise<void>((resolve) => {
    void world.operator.listen(
      about,
      {
        activity: (line) => heard.activity.push(line),
        player: (news) => heard.player.push(news),
        gift: (news) => heard.gift.push(news),
        overview: (overview) => heard.overview.push(overview),
      },
      end.signal,
      resolve,
    );
  });
  return { heard, end: () => end.abort() };
}

describe('the activity', () => {
  let world: World;
  let clock: TestClock;
  before(async () => {
    clock = new TestClock();
    world = await World.start({ clock, environment: 'stage' });
  });
  after(() => world.close());

  const lines = async (query: Parameters<World['operator']['activity']>[0]) =>
    (await world.operator.activity(query)).activity.map(({ what, by, detail }) => `${what} ${by}: ${detail}`);
  const debit = (amount: number) => ({ changes: [{ op: 'debit', key: 'currency/feather', amount, reason: 'silk' }] });
  const save = (session: string, number: number, ...transactions: object[]) =>
    world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions });

  it('tells of joins, leaves, and saves in which something was refused; plain saves are counted only', async () => {
    const session = await world.joinPlainly('p-1');
    await save(session, 1, debit(10));
    await save(session, 2, debit(10), debit(900), debit(901));
    await world.call('POST', `/v1/sessions/${session}/leave`, {});
    expect(await lines({ player: 'p-1' })).to.deep.equal([
      'left ridge-eu-1: after 2 saves',
      'save-refused ridge-eu-1: save 2: 2 of 3 transactions refused: balance-too-low (currency/feather)',
      'joined ridge-eu-1: new',
    ]);
  });

  it('tells of handovers, takeovers, and what came too late', async () => {
    const session = await world.joinPlainly('p-2', 'ridge-eu-1');
    await world.call('POST', '/v1/players/p-2/join', { host: 'ridge-eu-2', wait: 0 });
    clock.pass(130);
    await world.joinPlainly('p-2', 'ridge-eu-2');
    await save(session, 1, debit(1));
    expect(await lines({ player: 'p-2' })).to.deep.equal([
      'came-late ridge-eu-1: save 1: session-ended; 1 transactions are kept as unsettled',
      'joined ridge-eu-2: known, after a stay on "ridge-eu-1" that it ended (lease-over)',
      'taken-over ridge-eu-1: "ridge-eu-2" has joined the player (lease-over)',
      'joined ridge-eu-1: new',
    ]);
  });

  it('is filtered by player, host, kind, failures and time, and goes on page by page', async () => {
    clock.pass(1);
    const since = new Date(clock.now()).toISOString();
    for (const player of ['p-3', 'p-4', 'p-5']) await world.joinPlainly(player, 'ridge-eu-9');
    expect(await lines({ by: 'ridge-eu-9' })).to.have.length(3);
    expect(await lines({ what: 'joined', by: 'ridge-eu-9', player: 'p-4' })).to.deep.equal(['joined ridge-eu-9: new']);
    expect((await lines({ failed: 'true' })).map((line) => line.split(' ')[0])).to.deep.equal([
      'came-late',
      'taken-over',
      'save-refused',
    ]);
    expect(await lines({ since })).to.have.length(3);
    expect((await lines({ until: since })).some((line) => line.includes('ridge-eu-9'))).to.equal(false);
    const first = await world.operator.activity({ count: 2, by: 'ridge-eu-9' });
    const second = await world.operator.activity({ count: 2, by: 'ridge-eu-9', before: first.next ?? 0 });
    expect([...first.activity, ...second.activity].map(({ player }) => player)).to.deep.equal(['p-5', 'p-4', 'p-3']);
    expect(second.next).to.equal(null);
    expect(await lines({ after: first.activity[1]!.number })).to.have.length(1);
  });

  it('is forgotten after 30 days, but for what people did', async () => {
    const clock = new TestClock();
    const own = await World.start({ clock });
    await own.joinPlainly('p-1');
    await own.operator.createKey('host-key');
    clock.pass(31 * 24 * 60 * 60);
    await own.restart();
    const { email, password } = World.admin;
    const { token } = await VekkonOperator.signIn(own.url, email, password);
    const { activity } = await new VekkonOperator({ url: own.url, token }).activity();
    expect(activity.map(({ what }) => what))
      .to.include('key-made')
      .and.not.include('joined');
    await own.close();
  });

  it('holds one line a minute of what a player’s own device does over and over', async () => {
    const { body } = await world.call(
      'POST',
      '/v1/devices',
      { secret: 'a-secret-of-forty-characters-for-a-device-xxxx' },
      { Authorization: `Bearer ${world.deviceKey}` },
    );
    const { token, player } = body as { token: string; player: string };
    for (let time = 0; time < 5; time++) {
      await world.call('POST', '/v1/me/join', { host: 'tab' }, { Authorization: `Bearer ${token}` });
    }
    expect(await lines({ player })).to.have.length(1);
  });
});

describe('an operator’s stream', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('tells of each line of the activity, and of whatever happens to one player', async () => {
    const { heard, end } = await listening(world, { topics: ['activity'], player: 'p-1' });
    await (await world.host().join('p-other')).leave();
    const session = await world.host().join('p-1');
    await until(() => heard.player.length === 1);
    session.increase('climbs', 1);
    await session.save();
    await until(() => heard.player.some(({ what }) => what === 'saved'));
    await world.operator.change('p-1', 'mended', [
      { changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: 'mended' }] },
    ]);
    await until(() => heard.player.some(({ what }) => what === 'changed'));
    await session.leave();
    await until(() => heard.player.some(({ what }) => what === 'left'));
    expect(new Set(heard.player.map(({ player }) => player))).to.deep.equal(new Set(['p-1']));
    await until(() => heard.activity.filter(({ what }) => what === 'left').length === 2);
    expect(heard.activity.map(({ what }) => what)).to.include.members(['joined', 'left', 'changed']);
    end();
  });

  it('tells how far a gift has come, and nothing of another environment', async () => {
    await world.joinPlainly('p-3');
    const { heard, end } = await listening(world, { topics: ['gifts', 'activity'] });
    const changes = [{ op: 'credit' as const, key: 'currency/feather', amount: 1, reason: 'gift' }];
    const { number } = await world.operator.gifts.give({ label: 'gift', changes, audience: { everybody: true } });
    await until(() => heard.gift.some(({ gift }) => gift === number));
    await until(() => heard.activity.some(({ what }) => what === 'gift-given'));
    end();
    const wrong = await world.call('GET', '/v1/operator/stream?topics=weather', undefined, {
      Authorization: `Bearer ${world.operatorToken}`,
    });
    expect([wrong.status, wrong.text.includes('weather')]).to.deep.equal([400, true]);
  });
});

describe('the overview', () => {
  it('counts who is in, saves, refusals by cause, repeats and hosts, and ticks off the first steps', async () => {
    const world = await World.start();
    const fresh = await world.operator.overview();
    expect(fresh).to.deep.include({ inSession: 0, repeats: 0, refusals: [], hosts: [] });
    expect(fresh.firstSteps?.map(({ done }) => done)).to.deep.equal([true, false, false, false, false]);
    const session = await world.joinPlainly('p-1', 'ridge-eu-1');
    await world.joinPlainly('p-2', 'ridge-eu-2');
    const body = {
      number: 1,
      transactions: [{ changes: [{ op: 'debit', key: 'currency/feather', amount: 900, reason: 'silk' }] }],
    };
    for (let time = 0; time < 2; time++) await world.call('POST', `/v1/sessions/${session}/saves`, body);
    await world.call('POST', '/v1/sessions/ses_none/saves', body);
    const played = await world.operator.overview();
    expect(played).to.deep.include({ inSession: 2, repeats: 1, players: { count: 2, isCapped: false } });
    expect(played.refusals).to.have.deep.members([
      { code: 'balance-too-low', count: 1 },
      { code: 'session-unknown', count: 1 },
    ]);
    expect(played.hosts.map(({ host, sessions }) => [host, sessions])).to.deep.equal([
      ['ridge-eu-1', 1],
      ['ridge-eu-2', 1],
    ]);
    expect(played.hosts[0]?.heardAt).to.be.a('string');
    const sums = played.minutes.reduce((sum, one) => ({ joins: sum.joins + one.joins, saves: sum.saves + one.saves }), {
      joins: 0,
      saves: 0,
    });
    expect(sums).to.deep.equal({ joins: 2, saves: 1 });
    expect(played.minutes.some(({ saveP99 }) => saveP99 !== null && saveP99 > 0)).to.equal(true);
    expect(played.disk.bytes).to.be.above(4096);
    expect(played.disk.free).to.be.within(1, played.disk.size);
    await world.call('POST', `/v1/sessions/${session}/leave`, {});
    await world.joinPlainly('p-1', 'ridge-eu-1');
    expect((await world.operator.overview()).firstSteps).to.equal(null);
    // Games on devices are one, and who is erased is in no session any more.
    const { body: made } = await world.call(
      'POST',
      '/v1/devices',
      { secret: 'a-secret-of-forty-characters-for-a-device-yyyy' },
      { Authorization: `Bearer ${world.deviceKey}` },
    );
    const device = made as { token: string; player: string };
    await world.call('POST', '/v1/me/join', { host: 'tab' }, { Authorization: `Bearer ${device.token}` });
    const withDevice = await world.operator.overview();
    expect(withDevice.hosts.map(({ host }) => host)).to.include('players’ own devices');
    await world.operator.erase(device.player);
    expect((await world.operator.overview()).inSession).to.equal(withDevice.inSession - 1);
    // After a start the open sessions are counted again.
    await world.restart();
    expect((await world.operator.overview()).inSession).to.equal(2);
    const { heard, end } = await listening(world, { topics: ['overview'] });
    await world.joinPlainly('p-9');
    await until(() => heard.overview.some(({ inSession }) => inSession === 3));
    end();
    await world.close();
  });
});
