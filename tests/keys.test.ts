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

  it('of devices bounds what those may do that come with it, also once they are signed in', async () => {
    const { key } = await world.operator.createKey({
      sort: 'device-key',
      name: 'a board at the camp',
      scopes: ['boards'],
    });
    const secret = 'a-device-of-highfell-gliders-that-only-looks';
    const { body } = await as(key, 'POST', '/v1/devices', { secret });
    const { token } = body as { token: string };
    const tried = async (credential: string) => {
      const calls = [
        as(credential, 'GET', '/v1/boards'),
        as(credential, 'GET', '/v1/tuning'),
        as(credential, 'GET', '/v1/me'),
        as(credential, 'POST', '/v1/me/join', { host: 'tab' }),
      ];
      return (await Promise.all(calls)).map(codeOf);
    };
    const refused = [undefined, 'scope-missing', 'scope-missing', 'scope-missing'];
    expect(await tried(token)).to.deep.equal(refused);
    const account = { email: 'wren@highfell.example', password: 'a-warm-thermal' };
    expect(codeOf(await as(token, 'POST', '/v1/account', account))).to.equal('scope-missing');
    // With a key that is good for more, and from there back.
    const { body: full } = await as(world.deviceKey, 'POST', '/v1/devices', { secret: `${secret}-no-more` });
    const { body: made } = await as((full as { token: string }).token, 'POST', '/v1/account', account);
    expect((await tried((made as { accessToken: string }).accessToken))[0]).to.equal(undefined);
    const writing = await world.operator.createKey({ sort: 'device-key', scopes: ['write', 'boards'] });
    const { body: third } = await as(writing.key, 'POST', '/v1/devices', { secret: `${secret}-at-first` });
    const { body: there } = await as((third as { token: string }).token, 'POST', '/v1/account/sign-in', account);
    const { accessToken } = (there as { signedIn: { accessToken: string } }).signedIn;
    expect(await tried(accessToken)).to.deep.equal([undefined, 'scope-missing', 'scope-missing', 'player-held']);
  });
});
