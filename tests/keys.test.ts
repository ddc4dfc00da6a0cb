import { expect } from 'chai';
import type { ProblemDetails } from '@vekkon/protocol';
import { TestClock, World, type Answer } from './world/world.js';

const codeOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.code;

describe('a key', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock });
  });
  after(() => world.close());
  const as = (key: string, method: string, path: string, body?: unknown) =>
    world.call(method, path, body, { Authorization: `Bearer ${key}` });

  it('is good for what it says, and is refused everything else', async () => {
    const { operator } = world;
    await world
      .host()
      .join('p-1')
      .then((session) => session.leave());
    const reading = await operator.createKey({ name: 'a report', scopes: ['read'] });
    const boards = await operator.createKey({ scopes: ['boards', 'tuning'] });
    const statuses = async (key: string) =>
      Promise.all(
        [
          as(key, 'GET', '/v1/players/p-1/records/progress/climbs'),
          as(key, 'POST', '/v1/players/p-1/join', { host: 'ridge-eu-1' }),
          as(key, 'GET', '/v1/boards'),
          as(key, 'GET', '/v1/tuning'),
        ].map(async (answer) => (await answer).status),
      );
    expect(await statuses(reading.key)).to.deep.equal([200, 403, 403, 403]);
    expect(await statuses(boards.key)).to.deep.equal([403, 403, 200, 200]);
    const refused = await as(reading.key, 'POST', '/v1/players/p-1/join', { host: 'ridge-eu-1' });
    expect(codeOf(refused)).to.equal('scope-missing');
  });

  it('ends by itself, and says when and from where it was used last', async () => {
    const { operator } = world;
    const expiresAt = new Date(clock.now() + 3_600_000).toISOString();
    const { key, id } = await operator.createKey({ name: 'for an hour', expiresAt });
    expect((await as(key, 'GET', '/v1/boards')).status).to.equal(200);
    const known = async () => (await operator.keys()).keys.find((one) => one.id === id)!;
    while ((await known()).lastUsedAt === null) await world.call('GET', '/health');
    expect(await known()).to.deep.include({
      name: 'for an hour',
      expiresAt,
      lastUsedAt: new Date(clock.now()).toISOString(),
      lastUsedFrom: '127.0.0.1',
    });
    clock.pass(3_600);
    expect(codeOf(await as(key, 'GET', '/v1/boards'))).to.equal('credential-revoked');
  });

  it('is changed without stopping the game: the second is made before the first ends', async () => {
    const host = world.host();
    const session = await host.join('p-2');
    const second = await world.operator.createKey({ name: 'the second' });
    const id = world.hostKey.slice(0, 12);
    await as(second.key, 'POST', `/v1/sessions/${session.id}/renew`);
    await world.operator.revokeKey(id);
    expect((await as(second.key, 'POST', `/v1/sessions/${session.id}/leave`, {})).status).to.equal(200);
    expect(codeOf(await as(world.hostKey, 'GET', '/v1/boards'))).to.equal('credential-revoked');
  });
});
