import { statSync } from 'node:fs';
import { connect } from 'node:net';
import path from 'node:path';
import { expect } from 'chai';
import { openStore, verifyStore } from '@vekkon/store';
import type { DeviceResponse, JoinResponse, ProblemDetails } from '@vekkon/protocol';
import { demoManifest } from '@vekkon/demo';
import { failure } from './world/failure.js';
import { World, TestClock, type Answer } from './world/world.js';

const codeOf = (answer: Answer) => (answer.body as ProblemDetails).code;
const secretOf = (name: string) => `a-secret-of-forty-characters-for-${name}`.padEnd(48, '-');

/** A device past the client: its token, and calls with it. */
async function device(world: World, name: string) {
  const made = await world.call('POST', '/v1/devices', { secret: secretOf(name) }, bearer(world.deviceKey));
  const { token, device: id, player } = made.body as DeviceResponse;
  const call = (method: string, route: string, body?: unknown) => world.call(method, route, body, bearer(token));
  const join = async () => ((await call('POST', '/v1/me/join', { host: 'tab' })).body as JoinResponse).session.id;
  return { id, player, token, call, join };
}

const bearer = (token: string) => ({ Authorization: `Bearer ${token}` });

describe('manifests that take long to check', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const check = (manifest: string) =>
    world.call('POST', '/v1/manifest/check', { manifest }, bearer(world.operatorToken));
  /** Each is safe, and each takes its while to be told so. */
  const long = `manifest: 1\ngame: highfell-gliders\nprogress:\n${Array.from(
    { length: 60 },
    (_, index) =>
      `  n${index}: { schema: { type: string, pattern: '^[a-z]+(-[a-z]+){0,${index + 9}}$', default: a } }\n`,
  ).join('')}`;

  it('hold up nobody else', async () => {
    const session = await world.joinPlainly('p-calm');
    let isOver = false;
    const checked = check(long).finally(() => (isOver = true));
    for (let number = 1; number <= 50; number++) {
      const climb = { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] };
      const saved = await world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [climb] });
      expect(saved.status).to.equal(200);
    }
    expect(isOver).to.equal(false);
    // On a fast machine it is told what is too intricate, on a slow one it is given up.
    const answer = await checked;
    const told = answer.status === 200 ? answer.text : codeOf(answer);
    expect(told).to.match(/too intricate|manifest-too-costly/);
    expect((await check(demoManifest())).body).to.deep.equal({ mistakes: [] });
  });

  it('wait for each other, three of one sender at the most', async () => {
    const answers = await Promise.all([1, 2, 3, 4].map(() => check(demoManifest())));
    expect(answers.map(({ status }) => status).toSorted()).to.deep.equal([200, 200, 200, 429]);
  });
});

describe('what one device may ask for', () => {
  let world: World;
  before(async () => {
    world = await World.start({ service: { limits: { deviceCalls: 20, deviceAtOnce: 3, newDevices: 8 } } });
  });
  after(() => world.close());

  it('is as many calls a minute, told before and after, and another device is not concerned', async () => {
    const [loud, calm] = [await device(world, 'loud'), await device(world, 'calm')];
    const answers: Answer[] = [];
    for (let time = 0; time < 21; time++) answers.push(await loud.call('GET', '/v1/me'));
    expect(answers.map(({ status }) => status).filter((status) => status !== 200)).to.deep.equal([429]);
    expect(answers[0]!.headers.get('RateLimit')).to.contain('"device"; r=19');
    const refused = answers.at(-1)!;
    expect(codeOf(refused)).to.equal('too-many-requests');
    expect(Number(refused.headers.get('Retry-After'))).to.be.within(1, 60);
    expect((await calm.call('GET', '/v1/me')).status).to.equal(200);
  });

  it('is told after a while where it is too much: who asks on and on takes little from the others', async () => {
    const loud = await device(world, 'onandon');
    for (let time = 0; time < 20; time++) await loud.call('GET', '/v1/me');
    const order: string[] = [];
    const refused = Promise.all(
      Array.from({ length: 3 }, async () => order.push(String((await loud.call('GET', '/v1/me')).status))),
    );
    // Held back, they come after a call that is begun later.
    expect((await world.call('GET', '/v1/players/p-1')).status).to.equal(404);
    order.push('somebody else');
    await refused;
    expect(order).to.deep.equal(['somebody else', '429', '429', '429']);
  });

  it('is as many calls at the same time', async () => {
    const many = await device(world, 'many');
    await world.operator.startDisturbance({ refuse: 0, delay: { from: 300, to: 300 }, loseResponses: 0, seconds: 60 });
    const running = Array.from({ length: 6 }, () => many.call('GET', '/v1/me'));
    const statuses = (await Promise.all(running)).map(({ status }) => status);
    await world.operator.stopDisturbance();
    expect(statuses.toSorted()).to.deep.equal([200, 200, 200, 429, 429, 429]);
  });

  it('is done two calls at a time: one of somebody else comes before the rest of a flood', async () => {
    const freely = { deviceCalls: 0, playerCalls: 0, deviceAtOnce: 0 };
    const other = await World.start({ service: { limits: freely } });
    const [many, calm] = [await device(other, 'line'), await device(other, 'calm')];
    await other.operator.startDisturbance({ refuse: 0, delay: { from: 200, to: 200 }, loseResponses: 0, seconds: 60 });
    const order: string[] = [];
    const flood = Promise.all(
      Array.from({ length: 7 }, () => many.call('GET', '/v1/me').then(() => order.push('flood'))),
    );
    await calm.call('GET', '/v1/me').then(() => order.push('calm'));
    expect(order.length).to.be.below(5);
    await flood;
    expect(order).to.have.length(8);
    await other.close();
  });

  it('is a body of 1 MiB, also where a game server may send 8', async () => {
    const large = await device(world, 'large');
    const body = { saves: [], more: 'x'.repeat(1_100_000) };
    expect((await large.call('POST', '/v1/saves', body)).status).to.equal(413);
    expect((await world.call('POST', '/v1/saves', body)).status).to.equal(400);
  });

  it('is so many bytes a minute, however they are announced', async () => {
    const own = await World.start({ service: { limits: { deviceBytes: 2_000 } } });
    const { token, call } = await device(own, 'bytes');
    const body = JSON.stringify({ saves: [], more: 'x'.repeat(800) });
    expect((await call('POST', '/v1/saves', body)).status).to.equal(400);
    // Sent in pieces, without a length.
    const pieces = new Blob([body]).stream();
    const request = { method: 'POST', headers: bearer(token), body: pieces, duplex: 'half' } as RequestInit;
    expect((await fetch(`${own.url}/v1/saves`, request)).status).to.equal(400);
    const third = await call('POST', '/v1/saves', body);
    expect([third.status, codeOf(third)]).to.deep.equal([429, 'too-many-requests']);
    await own.close();
  });

  it('is told in few words what is wrong, however much is', async () => {
    const wrong = await device(world, 'wrong');
    const members = (many: number) => Object.fromEntries(Array.from({ length: many }, (_, at) => [`member${at}`, 0]));
    const answer = await wrong.call('POST', '/v1/saves', { saves: [], ...members(20_000) });
    expect(codeOf(answer)).to.equal('request-invalid');
    expect(answer.text.length).to.be.lessThan(1_000);
    expect((answer.body as ProblemDetails).detail).to.contain('"saves", "member0", and 19999 more');
    const unread = await wrong.call('POST', '/v1/saves', { saves: [], ...members(60_000) });
    expect([unread.status, (unread.body as ProblemDetails).detail]).to.deep.equal([
      413,
      'A body from a device may have 25,000 members, of all objects in it together: send several smaller ones.',
    ]);
    const few = await wrong.call('POST', '/v1/saves', { saves: [], a: 0, b: 0, c: 0 });
    expect((few.body as ProblemDetails).detail).to.contain('members that are not known: "a", "b", and 1 more');
  });

  it('is to be known with others of its address, so many a minute', async () => {
    const statuses: number[] = [];
    for (let time = 0; time < 9; time++) {
      const body = { secret: secretOf(`flood-${time}`) };
      statuses.push((await world.call('POST', '/v1/devices', body, bearer(world.deviceKey))).status);
    }
    expect(statuses.at(-1)).to.equal(429);
    expect((await world.call('GET', '/v1/players/p-1')).status).to.equal(404);
  });
});

describe('what players make the service keep', () => {
  it('is bounded by the hour, and goes on in the next', async () => {
    const clock = new TestClock();
    const world = await World.start({ clock, service: { limits: { deviceCalls: 0, playerCalls: 0, deviceBytes: 0 } } });
    const { call, join, player } = await device(world, 'notes');
    const session = await join();
    const save = (number: number) =>
      call('POST', `/v1/sessions/${session}/saves`, {
        number,
        answered: number - 1,
        transactions: [{ changes: [{ op: 'put', key: 'progress/landings', value: number }] }, ...large(number)],
      });
    const large = (number: number) =>
      Array.from({ length: 100 }, (_, index) => ({
        changes: [
          {
            op: 'submit',
            key: 'score/valley/Gull',
            value: 50 + index,
            name: 'x'.repeat(30),
            note: `${number}`.padEnd(900),
          },
        ],
      }));
    let number = 1;
    let answer = await save(number);
    for (; answer.status === 200 && number < 2_000; answer = await save(number)) number++;
    expect([answer.status, codeOf(answer)]).to.deep.equal([429, 'too-many-requests']);
    expect(Number(answer.headers.get('Retry-After'))).to.be.within(1, 3_600);
    // Nothing of it stays, and others save on.
    expect((await world.operator.player(player)).records['progress/landings']?.value).to.equal(number - 1);
    const calm = await world.joinPlainly('p-calm');
    expect((await world.call('POST', `/v1/sessions/${calm}/saves`, { number: 1, transactions: [] })).status).to.equal(
      200,
    );
    clock.pass(3_600);
    expect((await save(number)).status).to.equal(200);
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    await world.close();
  });

  it('is of each record sixty revisions, the fewer the older, and the newest in any case', async () => {
    const clock = new TestClock();
    const world = await World.start({ clock, service: { limits: { deviceCalls: 0, playerCalls: 0, deviceBytes: 0 } } });
    const { call, join } = await device(world, 'thin');
    const session = await join();
    for (let number = 1; number <= 300; number++) {
      clock.pass(1);
      const transactions = [1, 2].map((one) => ({
        changes: [{ op: 'put', key: 'progress/landings', value: number * 10 + one }],
      }));
      const { status } = await call('POST', `/v1/sessions/${session}/saves`, { number, transactions });
      expect(status).to.equal(200);
    }
    const verified = await verifyStore(world.folder);
    expect(verified.faults).to.deep.equal([]);
    // Sixty of the landings, and a first one of each other record.
    expect(verified.revisions).to.be.within(60, 85);
    await world.close();
  });
});

describe('streams', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  /** @returns resolves with all that was heard, when the stream ends */
  async function listen(route: string, token: string): Promise<{ readonly ended: Promise<string> }> {
    const response = await fetch(world.url + route, { headers: bearer(token) });
    expect(response.status).to.equal(200);
    return { ended: response.text() };
  }

  it('end when their key is revoked, and hear nothing more', async () => {
    const { key, id } = await world.operator.createKey('host-key');
    const heard = await listen('/v1/hosts/ridge-eu-1/stream', key);
    await world.operator.revokeKey(id);
    expect(await heard.ended).to.equal(': listening\n\n');
    const { activity } = await world.operator.activity();
    expect(activity.map(({ what, detail }) => `${what} ${detail}`)).to.deep.equal([
      `key-revoked ${id}…`,
      `key-made host-key ${id}…`,
    ]);
  });

  it('end when their device is shut out, when its token is replaced, and when its player is erased', async () => {
    const { token, id, player, join } = await device(world, 'one');
    const route = `/v1/sessions/${await join()}/stream`;
    const first = await listen(route, token);
    const { call } = await device(world, 'one');
    expect((await call('GET', '/v1/me')).status).to.equal(200);
    await first.ended;
    const again = await device(world, 'one');
    const second = await listen(route, again.token);
    await world.operator.revokeDevice(player, id);
    await second.ended;
    const other = await device(world, 'two');
    const third = await listen(`/v1/sessions/${await other.join()}/stream`, other.token);
    await world.operator.erase(other.player);
    await third.ended;
  });

  it('are four of one device: the oldest gives way', async () => {
    const { token, join } = await device(world, 'many');
    const route = `/v1/sessions/${await join()}/stream`;
    const first = await listen(route, token);
    const others = [];
    for (let time = 0; time < 4; time++) others.push(await listen(route, token));
    await first.ended;
  });

  it('are opened sixty times a minute by one device at the most, and another device is not concerned', async () => {
    const [loud, calm] = [await device(world, 'loud'), await device(world, 'calm')];
    const [its, others] = [`/v1/sessions/${await loud.join()}/stream`, `/v1/sessions/${await calm.join()}/stream`];
    for (let time = 0; time < 60; time++) await listen(its, loud.token);
    const refused = await world.call('GET', its, undefined, bearer(loud.token));
    expect([refused.status, codeOf(refused)]).to.deep.equal([429, 'too-many-requests']);
    expect(Number(refused.headers.get('Retry-After'))).to.be.within(1, 60);
    await listen(others, calm.token);
    expect((await loud.call('GET', '/v1/me')).status).to.equal(200);
  });

  it('end at once for whoever asks for their headers only', async () => {
    const answer = await world.call('HEAD', '/v1/hosts/ridge-eu-1/stream');
    expect([answer.status, answer.text]).to.deep.equal([200, '']);
    expect(answer.headers.get('Content-Type')).to.contain('text/event-stream');
  });
});

describe('a service that stops', () => {
  it('answers what has arrived, and cuts what never does', async () => {
    const world = await World.start();
    const port = Number(new URL(world.url).port);
    const session = await world.joinPlainly('p-1');
    const silent = connect(port, '127.0.0.1');
    const half = connect(port, '127.0.0.1');
    half.write(
      `POST /v1/sessions/${session}/saves HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${world.hostKey}\r\nContent-Length: 100\r\n\r\n{`,
    );
    const closed = Promise.all([silent, half].map((one) => new Promise((resolve) => one.once('close', resolve))));
    for (const one of [silent, half]) one.on('error', () => undefined);
    await world.operator.startDisturbance({
      refuse: 0,
      delay: { from: 1_500, to: 1_500 },
      loseResponses: 0,
      seconds: 60,
    });
    const running = world.call('POST', `/v1/sessions/${session}/saves`, { number: 1, transactions: [] });
    // The service has it once another call that came later is answered.
    await world.call('GET', '/health');
    await world.stop();
    expect((await running).status).to.equal(200);
    await closed;
    await world.forget();
  });
});

describe('connections', () => {
  it('are kept for 65 seconds, or for as long as somebody says', async () => {
    for (const [keepAlive, said] of [
      [undefined, 'timeout=65'],
      [7_000, 'timeout=7'],
    ] as const) {
      const world = await World.start({ service: { keepAlive } });
      expect((await world.call('GET', '/health')).headers.get('Keep-Alive')).to.equal(said);
      await world.close();
    }
  });
});

describe('signing in', () => {
  let world: World;
  before(async () => {
    world = await World.start({ service: { behindProxy: ['loopback'] } });
  });
  after(() => world.close());

  const { email, password } = World.admin;
  const signIn = (who: string, word: string, from: string) =>
    world.call('POST', '/v1/sign-in', { email: who, password: word }, { 'X-Forwarded-For': from });

  it('takes ten wrong tries on an account from an address, and then not even the right one', async () => {
    for (let time = 0; time < 10; time++) expect((await signIn(email, 'wrong', '192.0.2.1')).status).to.equal(401);
    const eleventh = await signIn(email.toUpperCase(), password, '192.0.2.1');
    expect([eleventh.status, codeOf(eleventh)]).to.deep.equal([429, 'too-many-requests']);
    expect(Number(eleventh.headers.get('Retry-After'))).to.be.within(1, 900);
    expect((await signIn(email, password, '192.0.2.2')).status).to.equal(200);
  });

  it('takes fifty wrong tries on an account from many addresses, but not from where it was signed in to', async () => {
    let [last, tries] = [401, 10];
    for (; last === 401 && tries < 100; tries++) last = (await signIn(email, 'wrong', `198.51.100.${tries}`)).status;
    expect([last, tries]).to.deep.equal([429, 51]);
    expect((await signIn(email, password, '203.0.113.1')).status).to.equal(429);
    expect((await signIn(email, password, '192.0.2.2')).status).to.equal(200);
  });

  it('is not shut for others of an address by somebody who tries many accounts', async () => {
    const others = Array.from({ length: 29 }, (_, index) => `pilot-${index}@highfell.example`);
    for (const other of others) await signIn(other, 'wrong', '192.0.2.2');
    expect((await signIn(email, password, '192.0.2.2')).status).to.equal(200);
  });

  it('that failed stands in the activity, with the address', async () => {
    const { activity } = await world.operator.activity(500);
    const failed = activity.filter(({ what }) => what === 'sign-in-refused');
    expect(failed.filter(({ by }) => by === email)).to.have.length(50);
    expect(failed.some(({ by, detail }) => by === 'pilot-3@highfell.example' && detail === 'from 192.0.2.2')).to.equal(
      true,
    );
  });

  it('does not believe a forwarded address of whoever is no proxy', async () => {
    const plain = await World.start();
    for (let time = 0; time < 10; time++) {
      await plain.call('POST', '/v1/sign-in', { email, password: 'wrong' }, { 'X-Forwarded-For': `192.0.2.${time}` });
    }
    const answer = await plain.call('POST', '/v1/sign-in', { email, password }, { 'X-Forwarded-For': '192.0.2.99' });
    expect(answer.status).to.equal(429);
    await plain.close();
  });
});

describe('a data folder', () => {
  it('is for the eyes of its owner', async () => {
    const world = await World.start();
    const modes = ['', 'vekkon.sqlite', 'vekkon.sqlite-wal', 'lock.sqlite', 'last-commit.json'].map((name) =>
      (statSync(path.join(world.folder, name)).mode & 0o777).toString(8),
    );
    expect(modes).to.deep.equal(['700', '600', '600', '600', '600']);
    await world.close();
  });

  it('that can not be made is said so, at once', async () => {
    const said = (await failure(openStore('/proc/x'))) as Error;
    expect(said.message).to.contain("/proc/x can't be used as a data folder: nothing can be made there.");
  });
});

describe('a service behind two proxies', () => {
  it('takes the address that the outer one has seen, and nothing that a caller says before it', async () => {
    const world = await World.start({ service: { behindProxy: 2 } });
    const signIn = (from: string) =>
      world.call('POST', '/v1/sign-in', { email: World.admin.email, password: 'wrong' }, { 'X-Forwarded-For': from });
    // What was made up stands first; then what the outer proxy has seen, and what the inner one has.
    for (let index = 0; index < 10; index++) await signIn(`203.0.113.${index}, 192.0.2.1, 10.0.0.7`);
    expect((await signIn('198.51.100.1, 192.0.2.1, 10.0.0.7')).status).to.equal(429);
    expect((await signIn('192.0.2.1, 192.0.2.2, 10.0.0.7')).status).to.equal(401);
    await world.close();
  });
});
