import { readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { expect } from 'chai';
import type { JoinResponse, ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { failure } from './world/failure.js';
import { until } from './world/until.js';
import { TestClock, World, type Answer } from './world/world.js';

const climb = { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] };

function codeOf({ body }: Answer): string | undefined {
  return (body as ProblemDetails | undefined)?.code;
}

describe('a lease', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock, environment: 'stage' });
  });
  after(() => world.close());

  const join = (player: string, host: string, more: object = {}) =>
    world.call('POST', `/v1/players/${player}/join`, { host, ...more });
  const save = (session: string, number = 1) =>
    world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [climb] });

  it('keeps other hosts away until it is over, and is renewed by saves and renewals', async () => {
    const session = await world.joinPlainly('p-lease', 'ridge-eu-1');
    clock.pass(50);
    expect((await save(session)).status).to.equal(200);
    clock.pass(50);
    expect((await world.call('POST', `/v1/sessions/${session}/renew`)).status).to.equal(200);
    clock.pass(50);
    const held = await join('p-lease', 'ridge-eu-2');
    expect(codeOf(held)).to.equal('player-held');
    expect((held.body as ProblemDetails).holder).to.deep.equal({
      host: 'ridge-eu-1',
      leaseEndsAt: new Date(clock.wall + 10_000).toISOString(),
    });
    clock.pass(10);
    expect((await join('p-lease', 'ridge-eu-2')).status).to.equal(201);
    expect(codeOf(await save(session, 2))).to.equal('session-ended');
  });

  it('that is over is revived by the old session as long as nobody took the player over', async () => {
    const session = await world.joinPlainly('p-revived', 'ridge-eu-1');
    clock.pass(3_000);
    const saved = (await save(session)).body as SaveResponse;
    expect(saved.session.expiresAt).to.equal(new Date(clock.wall + 60_000).toISOString());
    expect(codeOf(await join('p-revived', 'ridge-eu-2'))).to.equal('player-held');
  });

  it('goes by the clock that never jumps', async () => {
    await world.joinPlainly('p-jump', 'ridge-eu-1');
    clock.wall += 24 * 60 * 60 * 1000;
    expect(codeOf(await join('p-jump', 'ridge-eu-2'))).to.equal('player-held');
    clock.wall -= 48 * 60 * 60 * 1000;
    clock.steady += 61_000;
    expect((await join('p-jump', 'ridge-eu-2')).status).to.equal(201);
  });

  it('is whole again after a start of the service', async () => {
    await world.joinPlainly('p-restart', 'ridge-eu-1');
    clock.pass(300);
    await world.restart();
    clock.pass(59);
    expect(codeOf(await join('p-restart', 'ridge-eu-2'))).to.equal('player-held');
    clock.pass(2);
    expect((await join('p-restart', 'ridge-eu-2')).status).to.equal(201);
  });

  it('is long over when the last answers are forgotten: thirty days after the end, and not before', async () => {
    const session = await world.joinPlainly('p-months', 'ridge-eu-1');
    await save(session);
    await world.call('POST', `/v1/sessions/${session}/leave`);
    clock.pass(29 * 24 * 60 * 60);
    await world.restart();
    expect((await save(session)).status).to.equal(200);
    clock.pass(2 * 24 * 60 * 60);
    await world.restart();
    expect(codeOf(await save(session))).to.equal('session-ended');
    const { body } = await world.call('GET', '/v1/players/p-months');
    expect(body).to.have.nested.property('records.progress/climbs.value', 1);
  });

  it('lasts fifteen minutes in dev, and a minute elsewhere', async () => {
    const { body } = await join('p-stage', 'ridge-eu-1');
    expect((body as JoinResponse).session.leaseSeconds).to.equal(60);
    const dev = await World.start();
    const joined = (await dev.call('POST', '/v1/players/p/join', { host: 'a' })).body as JoinResponse;
    expect(joined.session.leaseSeconds).to.equal(900);
    await dev.close();
  });

  it('of a whole host is renewed in one call, which names what was lost', async () => {
    const kept = await world.joinPlainly('p-kept', 'ridge-eu-7');
    const lost = await world.joinPlainly('p-lost', 'ridge-eu-7');
    clock.pass(61);
    await join('p-lost', 'ridge-eu-8');
    const { body } = await world.call('POST', '/v1/hosts/ridge-eu-7/renew', {
      sessions: [{ session: kept, seen: 0 }, { session: lost }],
    });
    expect(body).to.have.nested.property('sessions[0].id', kept);
    expect(body).to.have.nested.property('sessions[0].records.progress/climbs.value', 0);
    expect(body).to.have.nested.property('lost[0].code', 'session-ended');
    clock.pass(50);
    expect(codeOf(await join('p-kept', 'ridge-eu-8'))).to.equal('player-held');
  });
});

describe('a host that is started again', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const join = (instance: string, player: string, attempt = instance) =>
    world.call('POST', `/v1/players/${player}/join`, { host: 'ridge-eu-1', instance, attempt });

  it('takes over the sessions of its earlier starts at once, and those are told for ever', async () => {
    const old = (await join('first', 'p-1')).body as JoinResponse;
    const other = (await join('first', 'p-2')).body as JoinResponse;
    expect((await join('second', 'p-1')).status).to.equal(201);
    const late = await world.call('POST', `/v1/sessions/${old.session.id}/saves`, { number: 1, transactions: [climb] });
    expect(codeOf(late)).to.equal('session-ended');
    // Nobody took p-2 over, but the start that holds them was replaced.
    const replaced = await world.call('POST', `/v1/sessions/${other.session.id}/saves`, {
      number: 1,
      transactions: [climb],
    });
    expect(codeOf(replaced)).to.equal('host-replaced');
    expect((replaced.body as ProblemDetails).unsettled).to.have.length(1);
    for (let time = 0; time < 2; time++) expect(codeOf(await join('first', 'p-3'))).to.equal('host-replaced');
    expect(
      codeOf(await world.call('POST', '/v1/hosts/ridge-eu-1/renew', { instance: 'first', sessions: [] })),
    ).to.equal('host-replaced');
    await world.restart();
    expect(codeOf(await join('first', 'p-3'))).to.equal('host-replaced');
  });

  it("takes nobody's place by a join that is refused, but by the first that is not", async () => {
    await world.joinPlainly('p-elsewhere', 'ridge-eu-2');
    expect(codeOf(await join('third', 'p-elsewhere'))).to.equal('player-held');
    expect((await join('second', 'p-9')).status).to.equal(201);
    expect((await join('third', 'p-10')).status).to.equal(201);
    expect(codeOf(await join('second', 'p-9'))).to.equal('host-replaced');
  });
});

describe('a handover', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('happens by itself: the holder saves and leaves, the waiting join is answered', async () => {
    const holding = world.host('ridge-eu-1');
    const session = await holding.join('p-hop');
    session.increase('climbs', 7);
    const lost = new Promise((resolve) => session.onLost(resolve));
    const there = await world.host('ridge-eu-2').join('p-hop', { wait: 10 });
    expect(there.player.isNew).to.equal(false);
    expect(there.value('climbs')).to.equal(7);
    expect(String(await lost)).to.contain('another host asked for the player');
    expect(session.isOver).to.equal(true);
    await there.leave();
  });

  it('is asked for in the responses to a holder that does not listen', async () => {
    const session = await world.joinPlainly('p-deaf', 'ridge-deaf');
    const waiting = world.call('POST', '/v1/players/p-deaf/join', { host: 'ridge-eu-2', wait: 10 });
    await until(async () => {
      const { body } = await world.call('POST', `/v1/sessions/${session}/renew`);
      return (body as SaveResponse).session.handoverWanted;
    });
    await world.call('POST', `/v1/sessions/${session}/leave`, { number: 1, transactions: [climb] });
    const joined = (await waiting).body as JoinResponse;
    expect(joined.records['progress/climbs']?.value).to.equal(1);
  });

  it('serves the newest of several who wait, and tells the others', async () => {
    const session = await world.joinPlainly('p-wanted', 'ridge-eu-1');
    const wait = (host: string) => world.call('POST', '/v1/players/p-wanted/join', { host, wait: 10 });
    const first = wait('ridge-eu-2');
    const second = world.host('ridge-eu-3');
    const superseded = first.then((answer) => codeOf(answer));
    const newest = second.join('p-wanted', { wait: 10 });
    expect(await superseded).to.equal('join-superseded');
    await world.call('POST', `/v1/sessions/${session}/leave`);
    expect((await newest).player.isNew).to.equal(false);
  });

  it('that does not come in time ends with who holds the player', async () => {
    await world.joinPlainly('p-stuck', 'ridge-eu-1');
    const answer = await world.call('POST', '/v1/players/p-stuck/join', { host: 'ridge-eu-2', wait: 0.05 });
    expect(codeOf(answer)).to.equal('player-held');
    expect((answer.body as ProblemDetails).holder?.host).to.equal('ridge-eu-1');
  });

  it('is not waited for by a service that stops', async () => {
    const own = await World.start();
    const session = await own.joinPlainly('p-stops', 'ridge-eu-1');
    const waiting = own.call('POST', '/v1/players/p-stops/join', { host: 'ridge-eu-2', wait: 20 });
    const isWanted = async () => {
      const { body } = await own.call('POST', `/v1/sessions/${session}/renew`);
      return (body as SaveResponse).session.handoverWanted;
    };
    await until(isWanted);
    await own.stop();
    expect(codeOf(await waiting)).to.equal('service-stopping');
    await own.forget();
  });

  it('does not join a waiter that hung up', async () => {
    const session = await world.joinPlainly('p-hung-up', 'ridge-eu-1');
    const hangUp = new AbortController();
    const waiting = fetch(`${world.url}/v1/players/p-hung-up/join`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${world.hostKey}` },
      body: JSON.stringify({ host: 'ridge-eu-2', wait: 20 }),
      signal: hangUp.signal,
    });
    const isWanted = async () => {
      const { body } = await world.call('POST', `/v1/sessions/${session}/renew`);
      return (body as SaveResponse).session.handoverWanted;
    };
    await until(isWanted);
    hangUp.abort();
    await failure(waiting);
    await until(async () => !(await isWanted()));
    await world.call('POST', `/v1/sessions/${session}/leave`);
    expect((await world.operator.player('p-hung-up')).sessionOn).to.equal(null);
  });

  it('does not join those that hung up before they could begin to wait', async () => {
    const players = Array.from({ length: 30 }, (_, index) => `p-gone-${index}`);
    await Promise.all(players.map((player) => world.joinPlainly(player, 'ridge-eu-1')));
    const body = JSON.stringify({ host: 'ridge-eu-2', wait: 20 });
    const hangUp = async (player: string) => {
      const head = [
        `POST /v1/players/${player}/join HTTP/1.1`,
        'Host: 127.0.0.1',
        `Authorization: Bearer ${world.hostKey}`,
        `Content-Length: ${body.length}`,
      ];
      const socket = connect(Number(new URL(world.url).port), '127.0.0.1');
      await new Promise<void>((resolve) => socket.write(`${head.join('\r\n')}\r\n\r\n${body}`, () => resolve()));
      socket.destroy();
    };
    await Promise.all(players.map(hangUp));
    // Each is told so at once, and not after the twenty seconds that it would have waited.
    const wasTold = (player: string) =>
      readFileSync(world.log, 'utf8').includes(`join ${player} on ridge-eu-2: refused, join-superseded`);
    await until(() => players.every(wasTold));
    expect((await world.operator.player('p-gone-0')).sessionOn).to.equal('ridge-eu-1');
  });
});

describe('what came too late', () => {
  let world: World;
  let late: readonly string[];
  before(async () => {
    world = await World.start();
    const session = await world.joinPlainly('p-late', 'ridge-eu-1');
    await world.joinPlainly('p-late', 'ridge-eu-1');
    const body = {
      number: 1,
      transactions: [
        climb,
        { label: 'gorge cleared', changes: [{ op: 'credit', key: 'currency/feather', amount: 900, reason: 'gorge' }] },
      ],
    };
    for (let time = 0; time < 2; time++) {
      const answer = await world.call('POST', `/v1/sessions/${session}/saves`, body);
      expect(codeOf(answer)).to.equal('session-ended');
      late = (answer.body as ProblemDetails).unsettled!;
    }
  });
  after(() => world.close());

  it('is kept once, with its reason, and changes nothing', async () => {
    const { unsettled, total } = await world.operator.unsettled();
    expect(total).to.equal(2);
    expect(unsettled.map(({ id }) => id)).to.have.members([...late]);
    const [first] = unsettled;
    expect(first).to.include({ player: 'p-late', host: 'ridge-eu-1', number: 1, reason: 'session-ended' });
    expect((await world.operator.player('p-late')).records['currency/feather']?.value).to.equal(40);
  });

  it('is applied when an operator settles it, and the host that holds the player hears of it', async () => {
    await world.operator.settle(late[1]!);
    expect((await world.operator.player('p-late')).records['currency/feather']?.value).to.equal(940);
    expect((await world.operator.unsettled()).total).to.equal(1);
    const again = await failure(world.operator.settle(late[1]!));
    expect(again).to.have.property('code', 'unsettled-unknown');
  });

  it('is gone when it is dropped, and the activity says by whom', async () => {
    await world.operator.drop(late[0]!);
    expect((await world.operator.unsettled()).total).to.equal(0);
    const { activity } = await world.operator.activity({ by: World.admin.email });
    expect(activity.map(({ what, by }) => `${what} ${by}`)).to.deep.equal([
      `unsettled-dropped ${World.admin.email}`,
      `unsettled-settled ${World.admin.email}`,
    ]);
  });

  it('stays unsettled when the rules refuse it', async () => {
    const session = await world.joinPlainly('p-kept', 'ridge-eu-1');
    const tooDear = { keep: true, changes: [{ op: 'debit', key: 'currency/feather', amount: 500, reason: 'wing' }] };
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, { number: 1, transactions: [tooDear] });
    const [outcome] = (body as SaveResponse).transactions;
    expect(outcome).to.have.nested.property('problem.code', 'balance-too-low');
    const id = (outcome as { unsettled: string }).unsettled;
    expect(await failure(world.operator.settle(id))).to.have.property('code', 'balance-too-low');
    expect((await world.operator.unsettled('p-kept')).unsettled.map((one) => one.id)).to.deep.equal([id]);
  });
});

describe('saves in bulk', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('count each for itself, one session in its order, the next refused if the one before was', async () => {
    const [a, b] = [await world.joinPlainly('p-a'), await world.joinPlainly('p-b')];
    const { body } = await world.call('POST', '/v1/saves', {
      saves: [
        { session: a, number: 1, transactions: [climb] },
        { session: b, number: 4, transactions: [climb] },
        { session: a, number: 2, transactions: [climb], leave: true },
        { session: b, number: 1, transactions: [climb] },
      ],
    });
    const { results } = body as { results: { status: number; code?: string }[] };
    expect(results.map(({ status, code }) => code ?? status)).to.deep.equal([
      200,
      'save-out-of-order',
      200,
      'save-before-refused',
    ]);
    expect(results[2]).to.have.nested.property('records.progress/climbs.value', 2);
    expect((await world.operator.player('p-a')).sessionOn).to.equal(null);
    expect((await world.operator.player('p-b')).records['progress/climbs']?.value).to.equal(0);
  });

  it('are at most five hundred', async () => {
    const session = await world.joinPlainly('p-many');
    const saves = Array.from({ length: 501 }, (_, index) => ({ session, number: index + 1, transactions: [climb] }));
    expect(codeOf(await world.call('POST', '/v1/saves', { saves }))).to.equal('request-invalid');
    const { body } = await world.call('POST', '/v1/saves', { saves: saves.slice(0, 500) });
    const { results } = body as { results: { status: number }[] };
    expect(new Set(results.map(({ status }) => status))).to.deep.equal(new Set([200]));
    expect((await world.operator.player('p-many')).records['progress/climbs']?.value).to.equal(500);
  });
});

describe("a session's saves", () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock });
  });
  after(() => world.close());

  it('are told one by one, with what each changed and why, the newest first', async () => {
    const session = await world.host().join('p-saves');
    for (const climb of [8811, 8812]) {
      clock.pass(5);
      session.credit('feather', 30, `climb ${climb}`);
      session.merge('flight', { chapter: climb - 8809 });
      await session.save();
    }
    // What an operator's tool does meanwhile is no save of the session.
    await world
      .host()
      .change('p-saves', 'gift', [{ changes: [{ op: 'credit', key: 'currency/opal', amount: 1, reason: 'a gift' }] }]);
    clock.pass(5);
    session.debit('feather', 5, 'tea');
    await session.leave();
    const { saves, troubles, next } = await world.operator.savesOf(session.id);
    expect(saves.map(({ moved }) => moved)).to.deep.equal([
      ['−5 feather: tea'],
      ['+30 feather: climb 8812'],
      ['+30 feather: climb 8811'],
    ]);
    expect(saves[1]!.records.map(({ key, words }) => [key, words])).to.deep.equal([
      ['currency/feather', ['70 → 100']],
      ['progress/flight', ['chapter: 2 → 3']],
    ]);
    expect([saves[1]!.bytes > 10, troubles, next]).to.deep.equal([true, [], null]);
    const first = await world.operator.savesOf(session.id, { count: 1 });
    const second = await world.operator.savesOf(session.id, { count: 1, before: first.next ?? undefined });
    expect(second.saves).to.deep.equal(saves.slice(1, 2));
  });

  it('come with the tries that failed before them, which the sender counts by itself', async () => {
    let failing = 0;
    const host = world.host('ridge-eu-1', {
      fetch: (...request) => {
        const fails = String(request[0]).endsWith('/saves') && failing-- > 0;
        return fails ? Promise.reject(new TypeError('fetch failed')) : fetch(...request);
      },
    });
    const session = await host.join('p-tries');
    session.increase('climbs', 1);
    failing = 2;
    await session.save();
    await session.leave();
    const { troubles } = await world.operator.savesOf(session.id);
    expect(troubles.map(({ what, detail }) => [what, detail])).to.deep.equal([
      ['tries-failed', 'save 1: 2 tries had failed before'],
    ]);
    const { activity } = await world.operator.activity({ player: 'p-tries', failed: 'true' });
    expect(activity.map(({ what, by }) => [what, by])).to.deep.equal([['tries-failed', 'ridge-eu-1']]);
  });
});
