import { expect } from 'chai';
import { Secret, TOTP } from 'otpauth';
import { VekkonOperator, type ServiceRefused } from '@vekkon/client/operator';
import type { ProblemDetails } from '@vekkon/protocol';
import { failure } from './world/failure.js';
import { TestClock, World, type Answer } from './world/world.js';

const password = 'over-the-northern-ridge';
const codeOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.code;

describe('operators', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock });
    await world.operator.createEnvironment({
      manifest: (await world.operator.manifestFile()).text,
      environment: 'live',
      live: true,
    });
  });
  after(() => world.close());

  const refused = async (work: Promise<unknown>) => ((await failure(work)) as ServiceRefused).problem.code;
  const admin = () => world.operatorOf('highfell-gliders', 'dev');
  async function joined(email: string, request: Omit<Parameters<VekkonOperator['access']['invite']>[0], 'email'>) {
    const { link } = await admin().access.invite({ email, ...request });
    const invitation = link.split('#')[1]!;
    const { token } = await VekkonOperator.acceptInvitation(world.url, { invitation, name: 'Wren', password });
    const of = (environment: string) =>
      new VekkonOperator({ url: world.url, token, environment: `highfell-gliders/${environment}` });
    return { of, token, invitation };
  }

  it('are invited by a link that works once, for a week', async () => {
    const { of, invitation } = await joined('wren@highfell.example', { role: 'support' });
    expect((await of('dev').self()).operator).to.deep.include({ email: 'wren@highfell.example', role: 'support' });
    const again = { invitation, name: 'Somebody', password };
    expect(await refused(VekkonOperator.acceptInvitation(world.url, again))).to.equal('invitation-invalid');
    expect(await refused(admin().access.invite({ email: 'Wren@highfell.example', role: 'admin' }))).to.equal(
      'operator-exists',
    );
    const { link } = await admin().access.invite({ email: 'late@highfell.example', role: 'viewer' });
    clock.pass(7 * 24 * 3_600);
    const late = { invitation: link.split('#')[1]!, name: 'Late', password };
    expect(await refused(VekkonOperator.acceptInvitation(world.url, late))).to.equal('invitation-invalid');
    world.operatorToken = (await VekkonOperator.signIn(world.url, World.admin.email, World.admin.password)).token;
  });

  it('may do in one environment what they may not in another', async () => {
    const { of } = await joined('two-roles@highfell.example', {
      role: 'none',
      roles: [
        { environment: 'highfell-gliders/dev', role: 'admin' },
        { environment: 'highfell-gliders/live', role: 'viewer' },
      ],
    });
    expect((await of('dev').keys()).keys).to.not.have.lengthOf(0);
    expect(await refused(of('live').keys())).to.equal('role-too-low');
    expect((await of('live').players()).total).to.equal(0);
    // What is of the whole service takes the role for everything.
    expect(await refused(of('dev').access.list())).to.equal('role-too-low');
    const { environments } = await of('dev').self();
    expect(environments.map(({ environment, role }) => [environment, role])).to.deep.equal([
      ['dev', 'admin'],
      ['live', 'viewer'],
    ]);
    await admin().access.change('two-roles@highfell.example', {
      roles: [{ environment: 'highfell-gliders/dev', role: 'viewer' }],
    });
    expect(await refused(of('dev').keys())).to.equal('role-too-low');
    expect(await refused(of('live').players())).to.equal('role-too-low');
  });

  it('are shut out at once, with every sign-in; the last admin never is', async () => {
    const { of } = await joined('gone@highfell.example', { role: 'support' });
    await of('dev').players();
    await admin().access.change('gone@highfell.example', { disabled: true });
    expect(await refused(of('dev').players())).to.equal('credential-revoked');
    expect(await refused(VekkonOperator.signIn(world.url, 'gone@highfell.example', password))).to.equal(
      'sign-in-refused',
    );
    expect(await refused(admin().access.change(World.admin.email, { role: 'viewer' }))).to.equal('last-admin');
    expect(await refused(admin().access.change(World.admin.email, { disabled: true }))).to.equal('last-admin');
  });

  it('set a second factor, whose codes are good once, and recovery codes for when it is lost', async () => {
    const email = 'careful@highfell.example';
    const { of } = await joined(email, { role: 'support' });
    const { secret, url } = await of('dev').access.beginSecondFactor();
    expect(url).to.match(/^otpauth:\/\/totp\/Vekkon:careful/);
    const totp = new TOTP({ secret: Secret.fromBase32(secret), digits: 6, period: 30 });
    const code = () => totp.generate({ timestamp: clock.now() });
    expect(await refused(of('dev').access.setSecondFactor(secret, '000000'))).to.equal('second-factor-wrong');
    const { recoveryCodes } = await of('dev').access.setSecondFactor(secret, code());
    const signIn = (given?: string) =>
      VekkonOperator.signIn(world.url, email, password, given === undefined ? {} : { code: given });
    expect(await refused(signIn())).to.equal('second-factor-needed');
    expect(await refused(VekkonOperator.signIn(world.url, email, 'not the password', { code: code() }))).to.equal(
      'sign-in-refused',
    );
    const used = code();
    await signIn(used);
    expect(await refused(signIn(used))).to.equal('second-factor-wrong');
    clock.pass(30);
    const { token } = await signIn(code());
    await signIn(recoveryCodes[3]!.toUpperCase());
    expect(await refused(signIn(recoveryCodes[3]))).to.equal('second-factor-wrong');
    const self = new VekkonOperator({ url: world.url, token });
    expect((await self.self()).operator).to.deep.include({ hasSecondFactor: true, recoveryCodesLeft: 9 });
    await self.access.removeSecondFactor(password);
    await signIn();
  });

  it('see where they are signed in, and sign out there', async () => {
    const email = 'many@highfell.example';
    const { of } = await joined(email, { role: 'viewer' });
    const there = await VekkonOperator.signIn(world.url, email, password);
    const { signIns } = await of('dev').access.signIns();
    expect(signIns.map(({ isThis, usedFrom }) => [isThis, usedFrom])).to.deep.include.members([
      [true, '127.0.0.1'],
      [false, '127.0.0.1'],
    ]);
    await of('dev').access.endSignIn(signIns.find(({ isThis }) => !isThis)!.id);
    expect(await refused(new VekkonOperator({ url: world.url, token: there.token }).self())).to.equal(
      'credential-revoked',
    );
  });

  it('include programs, whose tokens are made for them', async () => {
    const { token, email } = await admin().access.createServiceToken({ name: 'build', role: 'designer', days: 30 });
    const build = new VekkonOperator({ url: world.url, token, environment: 'highfell-gliders/dev' });
    expect((await build.self()).operator).to.deep.include({ email: 'build@service', role: 'designer' });
    await admin().access.change(email, { disabled: true });
    expect(await refused(build.self())).to.equal('credential-revoked');
  });

  describe('in the console', () => {
    const body = { email: World.admin.email, password: World.admin.password, keepIn: 'cookie' };
    async function cookie(): Promise<string> {
      const { headers, body: told } = await world.call('POST', '/v1/sign-in', body, { Authorization: '' });
      const set = headers.get('Set-Cookie')!;
      expect(set).to.match(/; Path=\/; Expires=[^;]+; HttpOnly; SameSite=Strict$/);
      expect((told as { token: string }).token).to.equal('');
      return set.split(';')[0]!;
    }
    const ask = (headers: { readonly [name: string]: string }, method = 'GET', path = '/v1/operator') =>
      fetch(world.url + path, { method, headers });

    it('are known by a cookie that no script can read, and that is worth nothing without the console', async () => {
      const Cookie = await cookie();
      expect((await ask({ Cookie, 'Vekkon-Console': '1' })).status).to.equal(200);
      // What another page could make a browser send has no header of ours, or another origin.
      expect((await ask({ Cookie })).status).to.equal(401);
      const forged = { Cookie, 'Vekkon-Console': '1', Origin: 'https://elsewhere.example' };
      expect((await ask(forged)).status).to.equal(401);
      expect((await ask({ ...forged, Origin: world.url, 'Sec-Fetch-Site': 'cross-site' })).status).to.equal(401);
      // Nor does another page sign anybody in as somebody else.
      const elsewhere = { Authorization: '', Origin: 'https://elsewhere.example' };
      const planted = await world.call('POST', '/v1/sign-in', body, elsewhere);
      expect([planted.status, planted.headers.get('Set-Cookie')]).to.deep.equal([403, null]);
      expect((await ask({ Cookie, 'Vekkon-Console': '1' }, 'POST', '/v1/sign-out')).status).to.equal(200);
      expect((await ask({ Cookie, 'Vekkon-Console': '1' })).status).to.equal(401);
    });
  });

  it('leave no password, code or token where it can be read', async () => {
    const { activity } = await admin().activity({ count: 500 });
    expect(JSON.stringify(activity)).to.not.include(password);
    const wrong = await world.call('POST', '/v1/sign-in', { email: World.admin.email, password: 'wrong' });
    expect(codeOf(wrong)).to.equal('sign-in-refused');
  });
});
