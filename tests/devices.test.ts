import { randomBytes } from 'node:crypto';
import { expect } from 'chai';
import type {
  DeviceResponse,
  HostSessionList,
  JoinResponse,
  PlayerDetails,
  ProblemDetails,
  SaveResponse,
} from '@vekkon/protocol';
import { failure } from './world/failure.js';
import { TestClock, World, type Answer } from './world/world.js';

const newSecret = () => randomBytes(24).toString('base64url');
const problemOf = ({ status, body }: Answer) => [status, (body as ProblemDetails).code];

describe('a device', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock });
  });
  after(() => world.close());

  const as = (token: string) => ({ Authorization: `Bearer ${token}` });
  const register = (secret: string, key = world.deviceKey) => world.call('POST', '/v1/devices', { secret }, as(key));
  const newDevice = async (secret = newSecret()) => (await register(secret)).body as DeviceResponse;
  const join = async (token: string, body: object = { host: 'tab-1' }) =>
    (await world.call('POST', '/v1/me/join', body, as(token))).body as JoinResponse;
  const save = (token: string, session: string, number: number, ...changes: object[]) =>
    world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [{ changes }] }, as(token));

  it('is made a player once, however often it asks, and each token holds until a later one is shown', async () => {
    const secret = newSecret();
    const first = await newDevice(secret);
    const second = await newDevice(secret);
    expect([second.player, second.device]).to.deep.equal([first.player, first.device]);
    expect(second.token).not.to.equal(first.token);
    expect((await world.call('GET', '/v1/me', undefined, as(first.token))).status).to.equal(200);
    expect((await world.call('GET', '/v1/me', undefined, as(second.token))).status).to.equal(200);
    const old = await world.call('GET', '/v1/me', undefined, as(first.token));
    expect(problemOf(old)).to.deep.equal([401, 'credential-revoked']);
  });

  it('keeps its token over a restart of the service', async () => {
    const { token, player } = await newDevice();
    await world.restart();
    const { body } = await world.call('GET', '/v1/me', undefined, as(token));
    expect((body as PlayerDetails).id).to.equal(player);
  });

  it('is new at its first join only, and finds what it saved', async () => {
    const { token } = await newDevice();
    const joined = await join(token);
    expect(joined.player.isNew).to.equal(true);
    const landed = { op: 'increase', key: 'progress/landings', by: 1 };
    expect((await save(token, joined.session.id, 1, landed)).status).to.equal(200);
    expect((await save(token, joined.session.id, 1, landed)).status).to.equal(200);
    const again = await join(token);
    expect([again.player.isNew, again.records['progress/landings']?.value]).to.deep.equal([false, 1]);
  });

  it('sees what players may see, wherever it looks', async () => {
    const { token, player } = await newDevice();
    const joined = await join(token);
    expect(joined.records).to.include.keys('currency/feather', 'progress/drift');
    expect(joined.records).not.to.have.property('progress/climbs');
    await world.call('PUT', `/v1/players/${player}/records/progress/climbs`, 5, { 'If-Match': '"1"' });
    const saved = await world.call(
      'POST',
      `/v1/sessions/${joined.session.id}/saves`,
      { number: 1, seen: 0 },
      as(token),
    );
    expect((saved.body as SaveResponse).records).not.to.have.property('progress/climbs');
    const renewed = await world.call('POST', `/v1/sessions/${joined.session.id}/renew`, { seen: 0 }, as(token));
    expect((renewed.body as SaveResponse).records).not.to.have.property('progress/climbs');
    const me = await world.call('GET', '/v1/me', undefined, as(token));
    expect((me.body as PlayerDetails).records).not.to.have.property('progress/climbs');
    expect(problemOf(await world.call('GET', '/v1/me/records/progress/climbs', undefined, as(token)))).to.deep.equal([
      403,
      'not-for-players',
    ]);
    const manifest = await world.call('GET', '/v1/manifest', undefined, as(token));
    expect(manifest.text).to.contain('progress/landings').and.not.to.contain('progress/climbs');
  });

  it('is refused what is not its own, by change, beside others that apply', async () => {
    const { token } = await newDevice();
    const { session } = await join(token);
    const { body } = await world.call(
      'POST',
      `/v1/sessions/${session.id}/saves`,
      {
        number: 1,
        transactions: [
          { changes: [{ op: 'put', key: 'preference/invert-pitch', value: true }] },
          {
            keep: true,
            changes: [
              { op: 'increase', key: 'progress/landings', by: 1 },
              { op: 'credit', key: 'currency/feather', amount: 900, reason: 'found' },
            ],
          },
          { changes: [{ op: 'submit', key: 'score/gorge-run', value: 20_000 }] },
          { changes: [{ op: 'increase', key: 'progress/landings', by: 2 }] },
        ],
      },
      as(token),
    );
    const { transactions, records } = body as SaveResponse;
    expect(transactions.map((one) => (one.applied ? 'applied' : [one.problem.code, one.problem.change]))).to.deep.equal(
      ['applied', ['not-for-players', 1], ['not-for-players', 0], 'applied'],
    );
    expect(records['progress/landings']?.value).to.equal(2);
    expect(transactions[1]).to.have.property('unsettled');
  });

  it('puts one value of its own without a session', async () => {
    const { token } = await newDevice();
    const put = (key: string, value: unknown, headers = {}) =>
      world.call('PUT', `/v1/me/records/${key}`, value, { ...as(token), ...headers });
    expect((await put('progress/landings', 17)).status).to.equal(200);
    expect((await world.call('GET', '/v1/me/records/progress/landings', undefined, as(token))).body).to.equal(17);
    expect(problemOf(await put('progress/climbs', 17))).to.deep.equal([403, 'not-for-players']);
    expect((await join(token)).records['progress/landings']?.value).to.equal(17);
    expect(problemOf(await put('progress/landings', 18))).to.deep.equal([428, 'precondition-needed']);
  });

  it('writes in its own sessions only', async () => {
    const [mine, other] = [await newDevice(), await newDevice()];
    const { session } = await join(other.token);
    const onHost = await world.joinPlainly('p-host');
    for (const id of [session.id, onHost]) {
      for (const what of ['saves', 'leave', 'renew']) {
        const body = what === 'saves' ? { number: 1 } : {};
        const answer = await world.call('POST', `/v1/sessions/${id}/${what}`, body, as(mine.token));
        expect(problemOf(answer), what).to.deep.equal([404, 'session-unknown']);
      }
      for (const what of ['stream', 'checkpoints']) {
        const answer = await world.call('GET', `/v1/sessions/${id}/${what}`, undefined, as(mine.token));
        expect(problemOf(answer), what).to.deep.equal([404, 'session-unknown']);
      }
    }
  });

  it('takes no game server’s place, whatever it calls itself', async () => {
    const { token } = await newDevice();
    await world.host('ridge-eu-9').join('p-kept');
    const joined = await join(token, { host: 'ridge-eu-9', instance: 'another' });
    expect(joined.session.id).to.match(/^ses_/);
    const { body } = await world.call('GET', '/v1/hosts/ridge-eu-9/sessions');
    const { sessions } = body as HostSessionList;
    expect(sessions.map(({ player, endedAt }) => [player, endedAt])).to.deep.equal([['p-kept', null]]);
  });

  it('is told plainly of credentials that are not for the call', async () => {
    const { token, player } = await newDevice();
    const codes = async (method: string, route: string, credential: string, body?: object) =>
      problemOf(await world.call(method, route, body, as(credential)));
    const wrongKind = [403, 'credential-wrong-kind'];
    const unknown = [401, 'credential-unknown'];
    expect(await codes('POST', '/v1/devices', world.hostKey, { secret: newSecret() })).to.deep.equal(wrongKind);
    expect(await codes('POST', '/v1/players/p-1/join', world.deviceKey, { host: 'h' })).to.deep.equal(wrongKind);
    expect(await codes('POST', '/v1/players/p-1/join', token, { host: 'h' })).to.deep.equal(wrongKind);
    expect(await codes('GET', `/v1/players/${player}`, token)).to.deep.equal(wrongKind);
    expect(await codes('GET', '/v1/me', world.hostKey)).to.deep.equal(wrongKind);
    expect(await codes('GET', '/v1/me', world.deviceKey)).to.deep.equal(wrongKind);
    expect(await codes('GET', '/v1/me', world.operatorToken)).to.deep.equal(wrongKind);
    const forged = token.slice(0, -4) + (token.endsWith('AAAA') ? 'BBBB' : 'AAAA');
    expect(await codes('GET', '/v1/me', forged)).to.deep.equal(unknown);
    expect(await codes('POST', '/v1/devices', 'vkd_nobodys', { secret: newSecret() })).to.deep.equal(unknown);
    const short = await register('short');
    expect(problemOf(short)).to.deep.equal([400, 'request-invalid']);
    expect((short.body as ProblemDetails).detail).to.contain('32 to 200');
  });

  it('of another environment is a stranger here', async () => {
    const staging = await world.operator.createEnvironment({
      manifest: 'manifest: 1\ngame: highfell-gliders\nprogress:\n  landings: { player: write, starting: 0 }\n',
      environment: 'staging',
    });
    const secret = newSecret();
    const here = await newDevice(secret);
    const there = (await register(secret, staging.deviceKey)).body as DeviceResponse;
    expect(there.player).not.to.equal(here.player);
    const { session } = await join(here.token);
    const landed = { op: 'increase', key: 'progress/landings', by: 1 };
    expect(problemOf(await save(there.token, session.id, 1, landed))).to.deep.equal([404, 'session-unknown']);
  });

  it('can be shut out: its token, its secret, and its session’s next save', async () => {
    const secret = newSecret();
    const { token, player, device } = await newDevice(secret);
    const { session } = await join(token);
    expect((await world.operator.devices(player)).devices.map((one) => one.device)).to.deep.equal([device]);
    await world.operator.revokeDevice(player, device);
    const landed = { op: 'increase', key: 'progress/landings', by: 1 };
    expect(problemOf(await save(token, session.id, 1, landed))).to.deep.equal([401, 'credential-revoked']);
    expect(problemOf(await register(secret))).to.deep.equal([403, 'device-revoked']);
  });

  it('hands its player over between two tabs, and the first is told on its session’s stream', async () => {
    const { token } = await newDevice();
    const first = await join(token);
    const stream = await fetch(`${world.url}/v1/sessions/${first.session.id}/stream`, { headers: as(token) });
    const reader = stream.body!.pipeThrough(new TextDecoderStream()).getReader();
    let heard = '';
    const hear = async (event: string) => {
      while (!heard.includes(`event: ${event}\n`)) heard += (await reader.read()).value ?? '';
    };
    await world.call(
      'POST',
      `/v1/players/${first.player.id}/changes`,
      {
        transactions: [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'gift' }] }],
      },
      { 'Idempotency-Key': `gift-${first.player.id}` },
    );
    await hear('outside-change');
    const second = join(token, { host: 'tab-2', wait: 10 });
    await hear('handover-wanted');
    await world.call('POST', `/v1/sessions/${first.session.id}/leave`, {}, as(token));
    expect((await second).player.id).to.equal(first.player.id);
    await reader.cancel();
  });

  it('may be called for by pages of the origins that the environment allows', async () => {
    const { deviceKey } = await world.operator.createEnvironment({
      manifest: 'manifest: 1\ngame: highfell-gliders\nprogress:\n  landings: { player: write, starting: 0 }\n',
      environment: 'autumn',
    });
    const page = 'https://play.highfell.example';
    const from = (origin: string) =>
      world.call('POST', '/v1/devices', { secret: newSecret() }, { ...as(deviceKey), Origin: origin });
    expect(problemOf(await from(page))).to.deep.equal([403, 'origin-not-allowed']);
    expect((await from(world.url)).status, 'a page of the service itself').to.equal(201);
    const operator = world.operatorOf('highfell-gliders', 'autumn');
    await operator.setOrigins([page]);
    const allowed = await from(page);
    expect([allowed.status, allowed.headers.get('Access-Control-Allow-Origin')]).to.deep.equal([201, page]);
    expect(problemOf(await from('https://elsewhere.example'))).to.deep.equal([403, 'origin-not-allowed']);
    const asked = await world.call('OPTIONS', '/v1/me/join', undefined, {
      Origin: page,
      'Access-Control-Request-Method': 'POST',
      'Access-Control-Request-Headers': 'authorization,content-type',
    });
    expect([asked.status, asked.headers.get('Access-Control-Allow-Headers')]).to.deep.equal([
      204,
      'authorization,content-type',
    ]);
    const wrong = await failure(operator.setOrigins(['play.highfell.example/x']));
    expect(wrong).to.have.property('code', 'request-invalid');
  });

  it('of development is let in from any page', async () => {
    const headers = { ...as(world.deviceKey), Origin: 'http://127.0.0.1:5173' };
    expect((await world.call('POST', '/v1/devices', { secret: newSecret() }, headers)).status).to.equal(201);
  });

  it('may have a clock that is a day off: what it did lies within its session', async () => {
    const { token } = await newDevice();
    const { session, now } = await join(token);
    for (const [number, days] of [
      [1, -1],
      [2, 1],
    ] as const) {
      const at = new Date(clock.now() + days * 24 * 60 * 60 * 1000).toISOString();
      const transactions = [{ at, changes: [{ op: 'submit', key: 'score/valley/gull', value: 60 + number }] }];
      const body = { number, transactions };
      const saved = await world.call('POST', `/v1/sessions/${session.id}/saves`, body, as(token));
      expect((saved.body as SaveResponse).records['score/valley/gull']?.value).to.include({ latestAt: now });
    }
  });

  it('gets another token with its secret when the one it has is over', async () => {
    const secret = newSecret();
    const { token, player } = await newDevice(secret);
    clock.pass(31 * 24 * 60 * 60);
    expect(problemOf(await world.call('GET', '/v1/me', undefined, as(token)))).to.deep.equal([
      401,
      'credential-revoked',
    ]);
    const renewed = await newDevice(secret);
    expect(renewed.player).to.equal(player);
    expect((await world.call('GET', '/v1/me', undefined, as(renewed.token))).status).to.equal(200);
  });
});

describe('checkpoints on the wire', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const send = (session: string, number: number, ...changes: object[]) =>
    world.call('POST', `/v1/sessions/${session}/saves`, {
      number,
      transactions: changes.map((one) => ({ changes: [one] })),
    });
  const balance = async (player: string) => (await world.operator.player(player)).records['currency/feather']?.value;
  const credit = (amount: number) => ({ op: 'credit', key: 'currency/feather', amount, reason: 'climb' });

  it('are listed with name, time and summary, and loaded once however often the save is sent', async () => {
    const session = await world.joinPlainly('p-1');
    await send(session, 1, credit(10), { op: 'checkpoint', name: 'salt col', summary: 'before the gorge' });
    await send(session, 2, { op: 'checkpoint', name: 'gull ridge' }, credit(500));
    const { body } = await world.call('GET', `/v1/sessions/${session}/checkpoints`);
    const { checkpoints, atMost } = body as {
      checkpoints: { name: string; summary: string; at: string }[];
      atMost: number;
    };
    expect([atMost, checkpoints.map(({ name, summary }) => [name, summary])]).to.deep.equal([
      5,
      [
        ['gull ridge', null],
        ['salt col', 'before the gorge'],
      ],
    ]);
    const first = await send(session, 3, { op: 'restore', name: 'salt col' });
    expect(await balance('p-1')).to.equal(50);
    await world.restart();
    const again = await send(session, 3, { op: 'restore', name: 'salt col' });
    expect((again.body as SaveResponse).records).to.deep.equal((first.body as SaveResponse).records);
    await send(session, 4, credit(7));
    expect(await balance('p-1')).to.equal(57);
    const { lines } = await world.operator.ledger('p-1', { currency: 'feather' });
    expect(lines.map(({ op, amount }) => [op, amount]).slice(0, 2)).to.deep.equal([
      ['credit', 7],
      ['restore', -500],
    ]);
  });

  it('keep gifts that came since, over stays, and know no limit on credits', async () => {
    const session = await world.joinPlainly('p-2');
    await send(session, 1, credit(4000), { op: 'checkpoint', name: 'rich' });
    await send(session, 2, { op: 'debit', key: 'currency/feather', amount: 4000, reason: 'wing' });
    await world.host('shop').change('p-2', 'gift-2', [
      {
        changes: [
          { op: 'credit', key: 'currency/feather', amount: 100, reason: 'gift' },
          { op: 'gain', key: 'inventory/pack', item: 'flare', count: 1 },
        ],
      },
    ]);
    await world.call('POST', `/v1/sessions/${session}/leave`);
    const next = await world.joinPlainly('p-2');
    const { body } = await send(next, 1, { op: 'restore', name: 'rich' });
    expect((body as SaveResponse).transactions).to.deep.equal([{ applied: true }]);
    expect(await balance('p-2')).to.equal(4140);
    const pack = (await world.operator.player('p-2')).records['inventory/pack']?.value;
    expect(pack).to.deep.equal({ stacks: { 'silk-patch': 2, flare: 1 }, pieces: {} });
    // Loaded once more, the gift is there once.
    await send(next, 2, { op: 'restore', name: 'rich' });
    expect(await balance('p-2')).to.equal(4140);
  });

  it('are made and loaded by a game server’s session, which sees at once what it loaded', async () => {
    const session = await world.host().join('p-6');
    void session.credit('feather', 10, 'climb');
    await session.checkpoint('salt col', { summary: 'before the gorge' });
    void session.debit('feather', 50, 'wing');
    void session.put('glider/heron', { span: 12 });
    const loading = session.restore('salt col');
    expect(session.balance('feather')).to.equal(50);
    await loading;
    expect([await balance('p-6'), session.progress('glider/heron')]).to.deep.equal([50, undefined]);
    await session.leave();
    // In the next stay what it holds is asked for first.
    const next = await world.host().join('p-6');
    void next.credit('feather', 7, 'climb');
    await next.restore('salt col');
    expect(next.balance('feather')).to.equal(50);
    expect(await failure(next.restore('gull ridge'))).to.have.property('code', 'checkpoint-unknown');
    expect(await failure(next.checkpoint('salt col'))).to.have.property('code', 'checkpoint-exists');
    expect((await next.checkpoints()).map(({ name, summary }) => [name, summary])).to.deep.equal([
      ['salt col', 'before the gorge'],
    ]);
    expect(next.pending).to.equal(0);
    await next.leave();
  });

  it('can be brought back by support, those too that were given up, and the copy from before a player was made new', async () => {
    const session = await world.joinPlainly('p-7');
    await send(session, 1, credit(10), { op: 'checkpoint', name: 'camp' }, credit(5));
    await send(session, 2, { op: 'checkpoint', name: 'camp', instead: 'camp' });
    await world.call('POST', `/v1/sessions/${session}/leave`);
    await world.operator.makeNew('p-7');
    const { checkpoints } = await world.operator.checkpoints('p-7');
    expect(
      checkpoints.map(({ name, byOperator, keptUntil }) => [name.split(' ')[0], byOperator, keptUntil !== null]),
    ).to.deep.equal([
      ['made', true, false],
      ['camp', false, true],
      ['camp', false, true],
    ]);
    const [copy, , first] = checkpoints;
    const { restored } = await world.operator.restoreCheckpoint('p-7', copy!.number);
    expect(restored).to.include('currency/feather').and.to.include('progress/logbook');
    expect(await balance('p-7')).to.equal(55);
    await world.operator.restoreCheckpoint('p-7', first!.number);
    expect(await balance('p-7')).to.equal(50);
    expect(await failure(world.operator.restoreCheckpoint('p-7', 9_999))).to.have.property(
      'code',
      'checkpoint-unknown',
    );
  });

  it('that are too many, taken or unknown are refused by name, beside others that apply', async () => {
    const session = await world.joinPlainly('p-3');
    await send(session, 1, ...['a', 'b', 'c', 'd', 'e'].map((name) => ({ op: 'checkpoint', name })));
    const { body } = await send(
      session,
      2,
      { op: 'checkpoint', name: 'f' },
      { op: 'checkpoint', name: 'a' },
      { op: 'restore', name: 'z' },
      { op: 'checkpoint', name: 'f', instead: 'b' },
    );
    const { transactions } = body as SaveResponse;
    expect(transactions.map((one) => (one.applied ? 'applied' : one.problem.code))).to.deep.equal([
      'checkpoints-full',
      'checkpoint-exists',
      'checkpoint-unknown',
      'applied',
    ]);
    expect(transactions[0]).to.have.nested.property('problem.checkpoints').that.deep.equals(['a', 'b', 'c', 'd', 'e']);
    // A name that was given up is free again.
    const freed = await send(session, 3, { op: 'checkpoint', name: 'b', instead: 'a' });
    expect((freed.body as SaveResponse).transactions).to.deep.equal([{ applied: true }]);
  });

  it('leave nothing of the run before: what was done once may be done again', async () => {
    const session = await world.joinPlainly('p-4');
    const found = { once: 'nest-7', changes: [credit(5)] };
    const post = (number: number, ...transactions: object[]) =>
      world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions });
    await post(1, { changes: [{ op: 'checkpoint', name: 'nest' }] }, found, found);
    expect(await balance('p-4')).to.equal(45);
    await post(2, { changes: [{ op: 'restore', name: 'nest' }] }, found);
    expect(await balance('p-4')).to.equal(45);
  });

  it('are given up when a player is made new, and erased with them', async () => {
    const session = await world.joinPlainly('p-5');
    await send(session, 1, { op: 'checkpoint', name: 'camp' });
    await world.call('POST', `/v1/sessions/${session}/leave`);
    await world.operator.makeNew('p-5');
    const next = await world.joinPlainly('p-5');
    const { body } = await world.call('GET', `/v1/sessions/${next}/checkpoints`);
    expect(body).to.deep.include({ checkpoints: [] });
    await world.operator.erase('p-5');
  });
});
