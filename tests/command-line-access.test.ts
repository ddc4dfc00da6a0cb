import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { Device } from './world/device.js';
import { IdentityProviderStandIn } from './world/identity-provider.js';
import { vekkon } from './world/process.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

describe('the command line, about who may do what', () => {
  let world: World;
  let environment: NodeJS.ProcessEnv;
  let config: string;
  const run = (...args: string[]) => vekkon(args, environment).ended;
  before(async () => {
    world = await World.start();
    config = mkdtempSync(path.join(tmpdir(), 'vekkon-config-'));
    environment = { VEKKON_CONFIG: config, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
    await run('sign-in', '--url', world.url, '--email', World.admin.email);
  });
  after(async () => {
    await world.close();
    rmSync(config, { recursive: true });
  });

  it('invites operators, changes their roles, and makes tokens for programs', async () => {
    expect((await run('operator', 'invite', 'wren@highfell.example', '--role', 'viewer')).out).to.match(
      /Send this link to wren@highfell\.example:\s+http\S+\/console\/join#vki_\S+/,
    );
    const token = (await run('operator', 'service-token', 'build', '--role', 'viewer', '--days', '30')).out.trim();
    expect(token).to.match(/^vko_/);
    const list = (await run('operator', 'list')).out;
    expect(list).to.match(/build@service +build +viewer +– +no/);
    expect(list).to.match(/wren@highfell\.example +– +viewer +– +– +invited until/);
    const place = 'highfell-gliders/dev=support';
    expect((await run('operator', 'change', 'build@service', '--in', place)).status).to.equal(0);
    expect((await run('operator', 'list')).out).to.include('highfell-gliders/dev: support');
    const asBuild = { VEKKON_TOKEN: token, VEKKON_URL: world.url, VEKKON_CONFIG: path.join(config, 'none') };
    expect((await vekkon(['player', 'list'], asBuild).ended).status).to.equal(0);
    expect((await run('operator', 'change', 'build@service', '--shut-out')).status).to.equal(0);
    expect((await vekkon(['player', 'list'], asBuild).ended).status).to.not.equal(0);
  });

  it('finds players by what they hold, and looks after their accounts', async () => {
    const player = new Device().open(world, 'tab-1', { deadline: 60_000 });
    await player.start();
    await player.account.register('maren@highfell.example', 'a-warm-thermal');
    await player.leave();
    const id = player.player!.id;
    expect((await run('game', 'found-by', '--add', 'currency/feather')).out).to.match(
      /currency\/feather +(ready|being)/,
    );
    await until(async () => (await run('game', 'found-by')).out.includes('ready'));
    expect((await run('player', 'find', '--by', 'currency/feather', '--from', '40', '--to', '40')).out).to.match(
      new RegExp(`${id} +– +40 `),
    );
    expect((await run('account', 'list', '--search', 'maren')).out).to.match(
      new RegExp(`maren@highfell\\.example +no +${id}`),
    );
    expect((await run('account', 'send-reset', id)).status).to.equal(0);
    await until(async () => (await run('account', 'mails')).out.includes('Set another password'));
    expect((await run('account', 'sign-out', id, '--yes')).out).to.equal('1 sign-in ended.\n');
    expect((await run('account', 'show', id)).out).to.match(/maren@highfell\.example .*\n.*not confirmed/);
    expect((await run('account', 'shut-out', id, '--yes')).out).to.equal(`${id} is shut out.\n`);
    expect((await run('account', 'shut-out', id, '--undo')).out).to.equal(`${id} may sign in again.\n`);
  });

  it('sets up identity providers, with the secret out of sight', async () => {
    const post = await IdentityProviderStandIn.start({ secret: 'a-seal' });
    const set = ['account', 'provider', 'set', 'highfell-post', '--title', 'Highfell Post', '--client-id', 'gliders'];
    expect((await run(...set.slice(0, 6))).err).to.include('is not set up yet: say --issuer and --client-id');
    const withSecret = { ...environment, VEKKON_CLIENT_SECRET: 'a-seal' };
    const done = await vekkon([...set, '--issuer', post.issuer], withSecret).ended;
    expect(done.out).to.equal(`Players may sign in with Highfell Post: ${post.issuer} has answered as it must.\n`);
    const { out } = await run('account', 'provider', 'list');
    expect(out).to.match(new RegExp(`highfell-post +Highfell Post +${post.issuer} +gliders +kept`));
    expect(out).to.include(`${world.url}/account/return`).and.not.include('a-seal');
    // What is not said stays as it was.
    await run('account', 'provider', 'set', 'highfell-post', '--title', 'The Post');
    expect((await run('account', 'provider', 'list')).out).to.match(/highfell-post +The Post .* gliders +kept/);
    expect((await run('account', 'provider', 'remove', 'highfell-post', '--yes')).status).to.equal(0);
    expect((await run('account', 'provider', 'remove', 'highfell-post', '--yes')).status).to.equal(1);
    await post.close();
  });

  it('sets limits of an environment, one by one, and shows who runs into them', async () => {
    expect((await run('game', 'limits')).out).to.match(/device-calls +600 +as usual +Calls of one device in a minute/);
    await run('game', 'limits', '--set', 'new-devices=1', '--set', 'mails-to=9');
    const set = (await run('game', 'limits', '--set', 'mails-to=usual')).out;
    expect(set)
      .to.match(/new-devices +1 +usually 300/)
      .and.to.match(/mails-to +5 +as usual/);
    const asDevice = { Authorization: `Bearer ${world.deviceKey}` };
    for (const one of ['first', 'second']) {
      await world.call('POST', '/v1/devices', { secret: `a-device-of-highfell-gliders-${one}` }, asDevice);
    }
    expect((await run('game', 'limits')).out).to.match(/new-devices +127\.0\.0\.1 +[12] /);
    expect((await run('game', 'limits', '--set', 'divice-calls=1')).status).to.equal(2);
    await run('game', 'limits', '--set', 'new-devices=usual');
  });
});
