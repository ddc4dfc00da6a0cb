import { expect } from 'chai';
import type { AccountTokens, ProblemDetails } from '@vekkon/protocol';
import { TestClock, World, type Answer } from './world/world.js';

const password = 'a-warm-thermal';
const codeOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.code;
const detailOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.detail;
let secrets = 0;

describe('the limits of an environment', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock, service: { behindProxy: ['loopback'] } });
  });
  after(() => world.close());
  afterEach(() => world.operator.limits.set({}));

  const call = (method: string, path: string, token: string, body?: unknown, from = '198.51.100.1') =>
    world.call(method, path, body, { Authorization: `Bearer ${token}`, 'X-Forwarded-For': from });
  async function newDevice(from = '198.51.100.1'): Promise<{ readonly token: string; readonly device: string }> {
    const secret = `a-device-of-highfell-gliders-${String(++secrets).padStart(6, '0')}`;
    const answer = await call('POST', '/v1/devices', world.deviceKey, { secret }, from);
    return answer.body as { token: string; device: string };
  }
  async function made(email: string): Promise<AccountTokens> {
    const { token } = await newDevice();
    return (await call('POST', '/v1/account', token, { email, password })).body as AccountTokens;
  }
  const signIn = (token: string, email: string, shown = password, from = '198.51.100.1') =>
    call('POST', '/v1/account/sign-in', token, { email, password: shown }, from);

  it('are as usual until somebody sets them, hold at once, and are as usual again', async () => {
    const { token } = await newDevice();
    const { limits } = await world.operator.limits.read();
    expect(limits.find(({ name }) => name === 'deviceCalls')).to.deep.include({ usual: 600, own: null });
    await world.operator.limits.set({ deviceCalls: 2 });
    const statuses = [];
    for (let times = 0; times < 3; times++) statuses.push((await call('GET', '/v1/tuning', token)).status);
    expect(statuses).to.deep.equal([200, 200, 429]);
    const set = await world.operator.limits.set({});
    expect(set.limits.every(({ own }) => own === null)).to.equal(true);
    expect((await call('GET', '/v1/tuning', token)).status).to.equal(200);
  });

  it('show who runs into them, how often and when', async () => {
    const { token, device } = await newDevice();
    await world.operator.limits.set({ deviceCalls: 1 });
    for (let times = 0; times < 3; times++) await call('GET', '/v1/tuning', token);
    const { ranInto } = await world.operator.limits.read();
    expect(ranInto[0]).to.deep.equal({ limit: 'deviceCalls', who: device, times: 2, at: '2026-11-23T12:00:00.000Z' });
  });

  it('hold for one environment, and not for another', async () => {
    const { deviceKey } = await world.operator.createEnvironment({ game: 'highfell-gliders', environment: 'meadow' });
    await world.operator.limits.set({ newDevices: 1 });
    const secret = () => ({ secret: `a-device-of-highfell-gliders-${String(++secrets).padStart(6, '0')}` });
    const from = '198.51.100.77';
    expect((await call('POST', '/v1/devices', world.deviceKey, secret(), from)).status).to.equal(201);
    const second = await call('POST', '/v1/devices', world.deviceKey, secret(), from);
    expect(detailOf(second)).to.equal('New devices of one address in a minute: 1 at the most here.');
    for (let times = 0; times < 3; times++) {
      expect((await call('POST', '/v1/devices', deviceKey, secret(), from)).status).to.equal(201);
    }
  });

  it('bound how many accounts are made from one address, and with one device key', async () => {
    await world.operator.limits.set({ newAccounts: 1, newAccountsOfKey: 2 });
    const make = async (email: string, from: string) => {
      const { token } = await newDevice(from);
      return call('POST', '/v1/account', token, { email, password }, from);
    };
    expect((await make('one@highfell.example', '198.51.100.20')).status).to.equal(201);
    expect((await make('two@highfell.example', '198.51.100.20')).status).to.equal(429);
    expect((await make('two@highfell.example', '198.51.100.21')).status).to.equal(201);
    const third = await make('three@highfell.example', '198.51.100.22');
    expect(detailOf(third)).to.equal('Accounts made with one device key in an hour: 2 at the most here.');
    // Another key has its own.
    const { key } = await world.operator.createKey({ sort: 'device-key' });
    const { body } = await call('POST', '/v1/devices', key, {
      secret: `another-device-of-highfell-${++secrets}-gliders`,
    });
    const { token } = body as { token: string };
    const other = await call(
      'POST',
      '/v1/account',
      token,
      { email: 'three@highfell.example', password },
      '198.51.100.23',
    );
    expect(other.status).to.equal(201);
  });

  it('make whoever is wrong wait longer each time, and nobody for longer than a quarter of an hour', async () => {
    await made('maren@highfell.example');
    const { token } = await newDevice();
    const wrong = () => signIn(token, 'maren@highfell.example', 'not-hers');
    for (let times = 0; times < 10; times++) expect(codeOf(await wrong())).to.equal('account-refused');
    const waits: number[] = [];
    for (let times = 0; times < 7; times++) {
      const answer = await wrong();
      expect(answer.status, `after ${times}`).to.equal(429);
      const wait = Number(answer.headers.get('Retry-After'));
      waits.push(wait);
      // Even the right one, until then.
      expect((await signIn(token, 'maren@highfell.example')).status).to.equal(429);
      clock.pass(wait);
      expect(codeOf(await wrong())).to.equal('account-refused');
    }
    expect(waits).to.deep.equal([30, 60, 120, 240, 480, 900, 900]);
    clock.pass(900);
    expect((await signIn(token, 'maren@highfell.example')).status).to.equal(200);
    // It was right: what was wrong before is forgotten.
    expect(codeOf(await wrong())).to.equal('account-refused');
  });

  it('let in whoever has the mail, however often somebody else was wrong', async () => {
    await world.operator.limits.set({ wrongTries: 1, wrongTriesOfAccount: 3 });
    await made('rook@highfell.example');
    const { token } = await newDevice();
    for (let index = 0; index < 3; index++) {
      expect((await signIn(token, 'rook@highfell.example', 'not-his', `203.0.113.${index}`)).status).to.equal(401);
    }
    const fromAnywhere = '192.0.2.9';
    const locked = await signIn(token, 'rook@highfell.example', password, fromAnywhere);
    expect(detailOf(locked)).to.equal('There were too many wrong tries, on this account: wait 30 seconds.');
    await call('POST', '/v1/account/forgotten', token, { email: 'rook@highfell.example' });
    for (;;) {
      const { mails } = await world.operator.accounts.mails();
      const mail = mails.find(
        ({ to, subject }) => to === 'rook@highfell.example' && subject === 'Set another password',
      );
      if (mail === undefined) continue;
      const body = { token: /#(\S+)/.exec(mail.text)![1]!, password: 'over-the-far-ridge' };
      expect((await world.call('POST', '/v1/account/reset', body)).status).to.equal(200);
      break;
    }
    expect((await signIn(token, 'rook@highfell.example', 'over-the-far-ridge', fromAnywhere)).status).to.equal(200);
    const { ranInto } = await world.operator.limits.read();
    expect(ranInto.find(({ limit }) => limit === 'wrongTriesOfAccount')).to.deep.include({
      who: 'rook@highfell.example',
    });
  });

  it('shut nobody out of their links because somebody else tries made-up ones', async () => {
    await made('tove@highfell.example');
    for (let index = 0; index < 120; index++) {
      const from = { 'X-Forwarded-For': '203.0.113.200' };
      await world.call('POST', '/v1/account/confirm', { token: `made-up-${index}` }, from);
    }
    const tried = await world.call(
      'POST',
      '/v1/account/confirm',
      { token: 'x' },
      { 'X-Forwarded-For': '203.0.113.200' },
    );
    expect(tried.status).to.equal(429);
    const other = await world.call('POST', '/v1/account/confirm', { token: 'x' }, { 'X-Forwarded-For': '192.0.2.55' });
    expect(codeOf(other)).to.equal('link-over');
  });

  it('refuse what is no limit, and change nothing then', async () => {
    const set = (limits: object) => call('PUT', '/v1/environment/limits', world.operatorToken, { limits });
    expect(codeOf(await set({ deviceCals: 3 }))).to.equal('request-invalid');
    expect(codeOf(await set({ deviceCalls: -1 }))).to.equal('request-invalid');
    expect((await world.operator.limits.read()).limits.every(({ own }) => own === null)).to.equal(true);
  });

  it('stand in the activity, and hold after a restart', async () => {
    await world.operator.limits.set({ deviceCalls: 7 });
    const { activity } = await world.operator.activity({ count: 5 });
    expect(activity.find(({ what }) => what === 'limits-set')).to.deep.include({ detail: 'deviceCalls 7' });
    await world.restart();
    const { limits } = await world.operator.limits.read();
    expect(limits.find(({ name }) => name === 'deviceCalls')?.own).to.equal(7);
  });
});

describe('an operator who types the password wrongly', () => {
  it('waits longer each time, and may always try again', async () => {
    const clock = new TestClock();
    const world = await World.start({ clock });
    const { email } = World.admin;
    const tried = (shown: string) => world.call('POST', '/v1/sign-in', { email, password: shown });
    for (let times = 0; times < 10; times++) expect(codeOf(await tried('not-his'))).to.equal('sign-in-refused');
    const waits: number[] = [];
    for (let times = 0; times < 3; times++) {
      const answer = await tried('not-his');
      waits.push(Number(answer.headers.get('Retry-After')));
      clock.pass(waits.at(-1)!);
      expect(codeOf(await tried('not-his'))).to.equal('sign-in-refused');
    }
    expect(waits).to.deep.equal([30, 60, 120]);
    clock.pass(240);
    expect((await tried(World.admin.password)).status).to.equal(200);
    await world.close();
  });
});
