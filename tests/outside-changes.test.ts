import { connect, type Socket } from 'node:net';
import { expect } from 'chai';
import { demoManifest } from '@vekkon/demo';
import type { ChangesResponse, ProblemDetails, ReadResponse } from '@vekkon/protocol';
import { World } from './world/world.js';

const gift = {
  label: 'festival gift',
  changes: [{ op: 'credit' as const, key: 'currency/feather', amount: 100, reason: 'festival' }],
};

describe('changes from outside a session', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const send = (player: string, token: string | undefined, ...transactions: object[]) =>
    world.call(
      'POST',
      `/v1/players/${player}/changes`,
      { transactions },
      token === undefined ? {} : { 'Idempotency-Key': token },
    );
  const balance = async (player: string) => (await world.operator.player(player)).records['currency/feather']?.value;

  it('apply once for a key, over restarts too, and each try gets the same answer', async () => {
    await world.call('POST', `/v1/sessions/${await world.joinPlainly('p-1')}/leave`);
    const first = await send('p-1', 'receipt-1', gift);
    expect((first.body as ChangesResponse).transactions).to.deep.equal([{ applied: true }]);
    await world.restart();
    const again = await send('p-1', 'receipt-1', gift);
    const { now: _now, ...answer } = again.body as ChangesResponse;
    const { now: _then, ...same } = first.body as ChangesResponse;
    expect(answer).to.deep.equal(same);
    expect(await balance('p-1')).to.equal(140);
  });

  it('need a key, and refuse one that stood for something else', async () => {
    expect((await send('p-1', undefined, gift)).body).to.have.property('code', 'idempotency-key-missing');
    const other = { changes: [{ op: 'credit', key: 'currency/opal', amount: 1, reason: 'festival' }] };
    const reused = await send('p-1', 'receipt-1', other);
    expect([reused.status, (reused.body as ProblemDetails).code]).to.deep.equal([422, 'idempotency-key-reused']);
  });

  it('wait for a player who never joined, who is new all the same', async () => {
    await world.host().change('p-unborn', 'gift-1', [gift]);
    const session = await world.host().join('p-unborn');
    expect(session.player.isNew).to.equal(true);
    expect([session.balance('feather'), session.balance('opal')]).to.deep.equal([140, 2]);
    await session.leave();
  });

  it('reach a running session at once', async () => {
    const session = await world.host('ridge-eu-2').join('p-playing');
    const told = new Promise((resolve) => session.watch('currency/feather', (value, from) => resolve([value, from])));
    await world.host('shop').change('p-playing', 'receipt-2', [gift]);
    expect(await told).to.deep.equal([140, 'outside']);
    await session.leave();
  });

  it('replace a whole value in a session only for who says what they replace', async () => {
    await world.joinPlainly('p-held');
    const put = { op: 'put', key: 'progress/climbs', value: 5 };
    expect((await send('p-held', 'a', { changes: [put] })).status).to.equal(428);
    const guarded = await send('p-held', 'b', { changes: [{ ...put, ifRevision: 1 }] });
    expect(guarded.body).to.have.nested.property('records.progress/climbs.value', 5);
    const stale = await send('p-held', 'c', { changes: [{ ...put, ifRevision: 1 }] });
    expect(stale.body).to.have.nested.property('transactions[0].problem.code', 'revision-mismatch');
  });

  it('count a once token of the player, whichever way it comes', async () => {
    const session = await world.joinPlainly('p-once');
    const found = { ...gift, once: 'chest-at-salt-col' };
    await send('p-once', 'chest', found);
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, { number: 1, transactions: [found] });
    expect(body).to.have.deep.nested.property('transactions[0]', { applied: true, already: true });
    expect(await balance('p-once')).to.equal(140);
  });
});

describe('many players', () => {
  it('are read at once, with the keys that are asked for', async () => {
    const world = await World.start();
    for (const player of ['p-1', 'p-2']) await world.joinPlainly(player);
    const { players, unknown } = await world.host().read(['p-1', 'p-2', 'p-none'], ['currency/opal']);
    expect(players).to.deep.equal({
      'p-1': { name: null, records: { 'currency/opal': { revision: 1, value: 2 } } },
      'p-2': { name: null, records: { 'currency/opal': { revision: 1, value: 2 } } },
    });
    expect(unknown).to.deep.equal(['p-none']);
    const typo = await world.call('POST', '/v1/players/read', { players: ['p-1'], keys: ['currency/opel'] });
    expect((typo.body as ProblemDetails).nearest).to.equal('currency/opal');
    const many = Array.from({ length: 201 }, (_, index) => `p-${index}`);
    expect((await world.call('POST', '/v1/players/read', { players: many })).status).to.equal(400);
    await world.close();
  });

  it('are sent as they are read, and whoever does not read them keeps nobody else from theirs', async () => {
    const manifest = demoManifest().replace(/^progress:$/m, "progress:\n  chart: ''");
    const world = await World.start({ manifest });
    const players = Array.from({ length: 50 }, (_, index) => `p-${index}`);
    const chart = 'x'.repeat(200_000);
    const route = (player: string) => `/v1/players/${player}/records/progress/chart`;
    for (const player of players) await world.call('PUT', route(player), JSON.stringify(chart));
    const read = (...ids: string[]) =>
      world.call('POST', '/v1/players/read', { players: ids, keys: ['progress/chart'] });
    const deaf = await Promise.all(Array.from({ length: 12 }, () => asksAndDoesNotRead(world, players)));
    const few = await read('p-none');
    expect(few.headers.get('Content-Length')).to.equal(String(few.text.length));
    const all = await read(...players, 'p-none');
    expect(all.headers.get('Content-Length')).to.equal(null);
    const { players: told, unknown } = all.body as ReadResponse;
    expect(Object.keys(told)).to.deep.equal(players);
    for (const { records } of Object.values(told)) expect(records['progress/chart']?.value).to.equal(chart);
    expect(unknown).to.deep.equal(['p-none']);
    for (const socket of deaf) socket.destroy();
    expect(world.faults()).to.deep.equal([]);
    await world.close();
  });
});

/** Asks for players, and reads nothing of the answer beyond that it begins. */
function asksAndDoesNotRead(world: World, players: readonly string[]): Promise<Socket> {
  const body = JSON.stringify({ players });
  const head = ['POST /v1/players/read HTTP/1.1', 'Host: x', `Authorization: Bearer ${world.hostKey}`];
  return new Promise((resolve, reject) => {
    const socket = connect(Number(new URL(world.url).port), '127.0.0.1', () => {
      socket.write([...head, `Content-Length: ${body.length}`, '', body].join('\r\n'));
    });
    socket.once('error', reject);
    socket.once('readable', () => resolve(socket));
  });
}
