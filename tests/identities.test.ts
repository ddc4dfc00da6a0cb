import { expect } from 'chai';
import { memoryStorage, VekkonPlayer } from '@vekkon/client/player';
import type {
  AccountResponse,
  AccountTokens,
  BeginIdentityResponse,
  FinishIdentityResponse,
  ProblemDetails,
} from '@vekkon/protocol';
import { IdentityProviderStandIn, type Lies } from './world/identity-provider.js';
import { RunningClock, World, type Answer } from './world/world.js';

const codeOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.code;
let secrets = 0;

describe('signing in with an identity provider', () => {
  const clock = new RunningClock();
  let world: World;
  let post: IdentityProviderStandIn;
  before(async () => {
    [world, post] = await Promise.all([
      World.start({ clock }),
      IdentityProviderStandIn.start({ secret: 'a paper seal' }),
    ]);
    await world.operator.identities.set('highfell-post', {
      ...{ title: 'Highfell Post', issuer: post.issuer, clientId: 'gliders', clientSecret: 'a paper seal' },
    });
  });
  after(async () => {
    await world.close();
    await post.close();
  });
  afterEach(() => {
    post.lies = {};
  });

  const call = (method: string, path: string, token: string, body?: unknown) =>
    world.call(method, path, body, { Authorization: `Bearer ${token}` });
  const person = (sub: string) => {
    post.person = { sub, email: `${sub}@highfell.example`, email_verified: true };
  };
  async function newDevice(): Promise<{ readonly token: string; readonly player: string }> {
    const secret = `a-device-of-highfell-gliders-${String(++secrets).padStart(6, '0')}`;
    const { body } = await call('POST', '/v1/devices', world.deviceKey, { secret });
    return body as { token: string; player: string };
  }
  async function play(token: string, landings: number): Promise<void> {
    const joined = await call('POST', '/v1/me/join', token, { host: 'tab' });
    const { session } = joined.body as { session: { id: string } };
    const changes = [{ op: 'increase', key: 'progress/landings', path: '', by: landings }];
    await call('POST', `/v1/sessions/${session.id}/leave`, token, { number: 1, transactions: [{ changes }] });
  }
  async function begin(token: string, more: object = {}): Promise<BeginIdentityResponse> {
    const { status, body } = await call('POST', '/v1/account/providers/highfell-post/begin', token, more);
    expect(status, JSON.stringify(body)).to.equal(201);
    return body as BeginIdentityResponse;
  }
  /** What a browser is told in the end, having followed where it was sent. */
  async function browse(address: string): Promise<URL> {
    let at = new URL(address);
    for (;;) {
      const response = await fetch(at, { redirect: 'manual' });
      const next = response.headers.get('Location');
      if (next === null) return at;
      at = new URL(next, at);
      if (at.origin !== new URL(post.issuer).origin && at.origin !== new URL(world.url).origin) return at;
    }
  }
  const codeShown = (at: URL) => decodeURIComponent(at.hash.slice(1));
  async function signedIn(token: string, more: object = {}): Promise<AccountTokens> {
    const { url, attempt } = await begin(token);
    const code = codeShown(await browse(url));
    const answer = await call('POST', '/v1/account/providers/finish', token, { attempt, code, ...more });
    expect(answer.status, answer.text).to.equal(200);
    return (answer.body as FinishIdentityResponse).signedIn!;
  }
  const landings = async (token: string) => {
    const { body } = await call('GET', '/v1/me', token);
    return (body as { records: { [key: string]: { value: unknown } } }).records['progress/landings']!.value;
  };
  const details = async (token: string) => (await call('GET', '/v1/account', token)).body as AccountResponse;

  it('makes an account of whoever is not known yet, and finds it again on another device', async () => {
    person('isbet');
    const first = await newDevice();
    await play(first.token, 5);
    const made = await signedIn(first.token);
    expect(made.player).to.equal(first.player);
    expect(await landings(made.accessToken)).to.equal(5);
    expect(await details(made.accessToken)).to.deep.include({
      ...{ email: 'isbet@highfell.example', isConfirmed: true, hasPassword: false },
    });
    const second = await signedIn((await newDevice()).token, { name: 'a tablet' });
    expect(second.player).to.equal(first.player);
    const { identities } = await details(second.accessToken);
    expect(identities.map(({ provider, title }) => [provider, title])).to.deep.equal([
      ['highfell-post', 'Highfell Post'],
    ]);
  });

  it('takes no address that the provider has not confirmed', async () => {
    post.person = { sub: 'unsure', email: 'somebody@highfell.example', email_verified: false };
    const made = await signedIn((await newDevice()).token);
    expect(await details(made.accessToken)).to.deep.include({ email: null, isConfirmed: false });
  });

  it('takes over no account that has the same address', async () => {
    const owner = await newDevice();
    const body = { email: 'rook@highfell.example', password: 'a-warm-thermal' };
    const { accessToken } = (await call('POST', '/v1/account', owner.token, body)).body as AccountTokens;
    for (;;) {
      const { mails } = await world.operator.accounts.mails();
      const mail = mails.find(({ to }) => to === 'rook@highfell.example');
      if (mail === undefined) continue;
      await world.call('POST', '/v1/account/confirm', { token: /#(\S+)/.exec(mail.text)![1]! });
      break;
    }
    person('rook');
    const other = await signedIn((await newDevice()).token);
    expect(other.player).not.to.equal(owner.player);
    expect((await details(other.accessToken)).email).to.equal(null);
    expect(await details(accessToken)).to.deep.include({ email: 'rook@highfell.example', isConfirmed: true });
  });

  it('asks whose progress it is where both have some, and keeps what was brought along', async () => {
    person('hanne');
    const first = await newDevice();
    await play(first.token, 2);
    await signedIn(first.token);
    const second = await newDevice();
    await play(second.token, 3);
    const { url, attempt } = await begin(second.token);
    const code = codeShown(await browse(url));
    const finish = (more: object) =>
      call('POST', '/v1/account/providers/finish', second.token, { attempt, code, ...more });
    const { signedIn: none, choose } = (await finish({})).body as FinishIdentityResponse;
    expect(none).to.equal(null);
    const flown = ({ records }: NonNullable<typeof choose>['account']) => records['progress/landings']?.value;
    expect([flown(choose!.account), flown(choose!.device)]).to.deep.equal([2, 3]);
    const done = ((await finish({ choose: 'device' })).body as FinishIdentityResponse).signedIn!;
    expect(await landings(done.accessToken)).to.equal(3);
    // It is good once.
    expect(codeOf(await finish({ choose: 'device' }))).to.equal('link-over');
  });

  it('links an account that has a password, which can be signed in to both ways then', async () => {
    const owner = await newDevice();
    const body = { email: 'tove@highfell.example', password: 'a-warm-thermal' };
    const { accessToken, player } = (await call('POST', '/v1/account', owner.token, body)).body as AccountTokens;
    person('tove-of-the-post');
    const { url, attempt } = await begin(accessToken, { purpose: 'link' });
    const code = codeShown(await browse(url));
    const linked = await call('POST', '/v1/account/providers/finish', accessToken, { attempt, code });
    expect(linked.body).to.deep.include({ signedIn: null, choose: null, linked: 'highfell-post' });
    const there = await signedIn((await newDevice()).token);
    expect(there.player).to.equal(player);
    // Nobody else's.
    const { accessToken: other } = (
      await call('POST', '/v1/account', (await newDevice()).token, { ...body, email: 'else@highfell.example' })
    ).body as AccountTokens;
    const again = await begin(other, { purpose: 'link' });
    const taken = await call('POST', '/v1/account/providers/finish', other, {
      ...{ attempt: again.attempt, code: codeShown(await browse(again.url)) },
    });
    expect(codeOf(taken)).to.equal('identity-taken');
    const unlinked = await call('DELETE', '/v1/account/identities/highfell-post', accessToken);
    expect(unlinked.status).to.equal(200);
    expect((await details(accessToken)).identities).to.deep.equal([]);
    expect(codeOf(await call('DELETE', '/v1/account/identities/highfell-post', accessToken))).to.equal(
      'identity-unknown',
    );
  });

  it('leaves a way to sign in, and takes a fresh sign-in for a password where there is none', async () => {
    person('odd');
    const { accessToken } = await signedIn((await newDevice()).token);
    expect(codeOf(await call('DELETE', '/v1/account/identities/highfell-post', accessToken))).to.equal('last-sign-in');
    const setting = { newPassword: 'over-the-far-ridge' };
    clock.pass(11 * 60);
    expect(codeOf(await call('POST', '/v1/account/password', accessToken, setting))).to.equal('sign-in-too-old');
    const { accessToken: fresh } = await signedIn((await newDevice()).token);
    expect((await call('POST', '/v1/account/password', fresh, setting)).status).to.equal(200);
    expect((await call('DELETE', '/v1/account/identities/highfell-post', fresh)).status).to.equal(200);
    // From now on the password is asked for.
    expect(codeOf(await call('POST', '/v1/account/delete', fresh, {}))).to.equal('account-refused');
  });

  it('erases the account of whoever has just signed in', async () => {
    person('leaving');
    const { accessToken, player } = await signedIn((await newDevice()).token);
    expect((await call('POST', '/v1/account/delete', accessToken, {})).status).to.equal(200);
    expect((await world.call('GET', `/v1/players/${player}`)).status).to.equal(404);
    const anew = await signedIn((await newDevice()).token);
    expect(anew.player).not.to.equal(player);
  });

  describe('believes nobody else', () => {
    const refusedAs = (at: URL) => at.searchParams.get('refused');
    const liars: readonly (readonly [string, Lies, string])[] = [
      ['a token for somebody else', { claims: { aud: 'another-game' } }, 'identity-provider-fails'],
      ['a token of another issuer', { claims: { iss: 'https://id.elsewhere.example' } }, 'identity-provider-fails'],
      ['a token that is over', { claims: { exp: 1 } }, 'identity-provider-fails'],
      ['a token that answers another question', { claims: { nonce: 'another' } }, 'identity-provider-fails'],
      ['a token that nobody has signed', { signs: 'not' }, 'identity-provider-fails'],
      ['a token that is signed with another key', { signs: 'with another key' }, 'identity-provider-fails'],
      ['a no', { says: 'no' }, 'identity-refused'],
    ];
    for (const [what, lies, code] of liars) {
      it(`is not taken in by ${what}`, async () => {
        post.lies = lies;
        const { token } = await newDevice();
        const { url, attempt } = await begin(token);
        expect(refusedAs(await browse(url))).to.equal(code);
        const finish = await call('POST', '/v1/account/providers/finish', token, { attempt, code: 'AAAA-AAAA' });
        expect(codeOf(finish)).to.equal('link-over');
      });
    }

    it('a browser that comes back twice, or with a state that nobody gave it, brings nothing', async () => {
      person('twice');
      const { token } = await newDevice();
      const { url } = await begin(token);
      const authorized = await fetch(url, { redirect: 'manual' });
      const back = authorized.headers.get('Location')!;
      expect(codeShown(await browse(back))).to.match(/^[2-9A-Z]{4}-[2-9A-Z]{4}$/);
      const exchanged = post.exchanged;
      expect(refusedAs(await browse(back))).to.equal('link-over');
      const made = new URL(back);
      made.searchParams.set('state', 'made-up');
      expect(refusedAs(await browse(made.href))).to.equal('link-over');
      expect(post.exchanged).to.equal(exchanged);
      // However many somebody makes up, others come back.
      for (let times = 0; times < 110; times++) await fetch(made, { redirect: 'manual' });
      expect(codeShown(await browse((await begin(token)).url))).to.match(/^[2-9A-Z]{4}-[2-9A-Z]{4}$/);
    });

    it('a code alone is good for nothing: not on another device, and not after five wrong ones', async () => {
      person('careful');
      const { token } = await newDevice();
      const { url, attempt } = await begin(token);
      const code = codeShown(await browse(url));
      const finish = (by: string, shown: string, tried = attempt) =>
        call('POST', '/v1/account/providers/finish', by, { attempt: tried, code: shown });
      const { token: thief } = await newDevice();
      expect(codeOf(await finish(thief, code))).to.equal('link-over');
      const own = await begin(thief);
      expect(codeOf(await finish(thief, code, own.attempt))).to.equal('link-over');
      for (let times = 0; times < 5; times++) {
        expect(codeOf(await finish(token, 'AAAA-AAAA'))).to.equal('identity-code-wrong');
      }
      expect(codeOf(await finish(token, code))).to.equal('link-over');
    });

    it('is over after a quarter of an hour', async () => {
      person('slow');
      const { token } = await newDevice();
      const { url, attempt } = await begin(token);
      const code = codeShown(await browse(url));
      clock.pass(16 * 60);
      const late = await call('POST', '/v1/account/providers/finish', token, { attempt, code });
      expect(codeOf(late)).to.equal('link-over');
    });

    it('sends nobody on to a page of an origin that is not allowed', async () => {
      await world.operator.setOrigins(['https://play.highfell.example']);
      const { token } = await newDevice();
      const there = await call('POST', '/v1/account/providers/highfell-post/begin', token, {
        returnTo: 'https://elsewhere.example/take',
      });
      expect(codeOf(there)).to.equal('origin-not-allowed');
      person('returning');
      const { url } = await begin(token, { returnTo: 'https://play.highfell.example/fly?from=camp' });
      const at = await browse(url);
      expect(at.href).to.match(
        /^https:\/\/play\.highfell\.example\/fly\?from=camp&vekkon-code=[2-9A-Z]{4}-[2-9A-Z]{4}$/,
      );
      post.lies = { says: 'no' };
      const refused = await browse((await begin(token, { returnTo: 'http://127.0.0.1:9/fly' })).url);
      expect(refused.href).to.equal('http://127.0.0.1:9/fly?vekkon-refused=identity-refused');
      await world.operator.setOrigins(null);
    });
  });

  it('says when a provider is set up what is wrong with it, and keeps its secret to itself', async () => {
    const set = (issuer: string) =>
      call('PUT', '/v1/identity-providers/another', world.operatorToken, {
        title: 'Another',
        issuer,
        clientId: 'gliders',
      });
    const nobody = await set('http://127.0.0.1:9');
    expect(nobody.status).to.equal(424);
    expect((nobody.body as ProblemDetails).detail).to.contain('http://127.0.0.1:9 does not answer as it must');
    expect(codeOf(await set('http://id.elsewhere.example'))).to.equal('request-invalid');
    const { body, text } = await call('GET', '/v1/identity-providers', world.operatorToken);
    expect(text).not.to.contain('a paper seal');
    expect((body as { providers: { hasSecret: boolean }[] }).providers.map(({ hasSecret }) => hasSecret)).to.deep.equal(
      [true],
    );
  });

  it('takes an issuer as the provider writes it, with a slash at its end or without', async () => {
    const club = await IdentityProviderStandIn.start();
    const set = (issuer: string) =>
      world.operator.identities.set('ridge-club', { title: 'Ridge Club', issuer, clientId: 'gliders' });
    const plainly = (await set(`${club.issuer}/`)).issuer;
    expect(plainly).to.equal(club.issuer);
    club.path = '/pilots/';
    expect((await set(club.issuer)).issuer).to.match(/\/pilots\/$/);
    const { token } = await newDevice();
    const { body } = await call('POST', '/v1/account/providers/ridge-club/begin', token, {});
    const { url, attempt } = body as BeginIdentityResponse;
    const back = (await fetch(url, { redirect: 'manual' })).headers.get('Location')!;
    const code = codeShown(await browse(back));
    const done = await call('POST', '/v1/account/providers/finish', token, { attempt, code });
    expect(done.status, done.text).to.equal(200);
    await world.operator.identities.remove('ridge-club');
    await club.close();
  });

  it('lets nobody in with a provider that was removed, and everybody again once it is back', async () => {
    person('patient');
    const { player } = await signedIn((await newDevice()).token);
    const waiting = await newDevice();
    const { url } = await begin(waiting.token);
    await world.operator.identities.remove('highfell-post');
    expect((await browse(url)).searchParams.get('refused')).to.equal('identity-provider-unknown');
    expect(codeOf(await call('POST', '/v1/account/providers/highfell-post/begin', waiting.token, {}))).to.equal(
      'identity-provider-unknown',
    );
    await world.operator.identities.set('highfell-post', {
      ...{ title: 'Highfell Post', issuer: post.issuer, clientId: 'gliders', clientSecret: 'a paper seal' },
    });
    expect((await signedIn((await newDevice()).token)).player).to.equal(player);
  });

  it('stands in the player’s export, and goes with the player', async () => {
    person('exported');
    const { player } = await signedIn((await newDevice()).token);
    const { text } = await call('GET', `/v1/players/${player}/export`, world.operatorToken);
    expect(text).to.contain('"subject":"exported"');
    await world.operator.erase(player);
    expect((await signedIn((await newDevice()).token)).player).not.to.equal(player);
  });

  it('is a few calls in the game', async () => {
    person('player');
    const storage = memoryStorage();
    const one = new VekkonPlayer({ url: world.url, deviceKey: world.deviceKey, storage });
    await one.start();
    await one.increase('landings', 4);
    expect(await one.account.providers()).to.deep.equal([{ name: 'highfell-post', title: 'Highfell Post' }]);
    const shown = codeShown(await browse(await one.account.signInWith('highfell-post')));
    await one.leave();
    // The page was loaded anew meanwhile; and whoever types is forgiven the form.
    const two = new VekkonPlayer({ url: world.url, deviceKey: world.deviceKey, storage });
    await two.start();
    expect(await two.account.finishSignIn(shown.toLowerCase().replace('-', ' '))).to.equal(undefined);
    expect(two.account.email).to.equal('player@highfell.example');
    expect(two.progress('landings')).to.equal(4);
    await two.leave();
    const three = new VekkonPlayer({ url: world.url, deviceKey: world.deviceKey });
    await three.start();
    await three.account.finishSignIn(codeShown(await browse(await three.account.signInWith('highfell-post'))));
    expect(three.progress('landings')).to.equal(4);
    expect(three.player?.id).to.equal(two.player?.id);
    person('second-face');
    await world.operator.identities.set('ridge-club', {
      title: 'Ridge Club',
      issuer: post.issuer,
      clientId: 'ridge',
      clientSecret: 'a paper seal',
    });
    await three.account.finishSignIn(codeShown(await browse(await three.account.link('ridge-club'))));
    expect((await three.account.details()).identities.map(({ provider }) => provider)).to.deep.equal([
      'highfell-post',
      'ridge-club',
    ]);
    await three.account.unlink('ridge-club');
    await three.leave();
  });
});
