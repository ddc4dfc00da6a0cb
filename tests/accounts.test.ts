import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { expect } from 'chai';
import { createRemoteJWKSet, jwtVerify, SignJWT, generateKeyPair, UnsecuredJWT, decodeJwt } from 'jose';
import type { AccountSignInResponse, AccountTokens, ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { TestClock, World, type Answer } from './world/world.js';

const password = 'a-warm-thermal';
const codeOf = ({ body }: Answer) => (body as ProblemDetails | undefined)?.code;
let secrets = 0;

describe('an account', () => {
  const clock = new TestClock();
  let world: World;
  before(async () => {
    world = await World.start({ clock });
  });
  after(() => world.close());

  const call = (method: string, path: string, token: string, body?: unknown) =>
    world.call(method, path, body, { Authorization: `Bearer ${token}` });
  /** A device that nobody knows yet, with what it plays. */
  async function newDevice(): Promise<{ readonly token: string; readonly player: string; readonly secret: string }> {
    const secret = `a-device-of-highfell-gliders-${String(++secrets).padStart(6, '0')}`;
    const { body } = await call('POST', '/v1/devices', world.deviceKey, { secret });
    return { ...(body as { token: string; player: string }), secret };
  }
  async function play(token: string, landings: number): Promise<void> {
    const joined = await call('POST', '/v1/me/join', token, { host: 'tab' });
    const { session } = joined.body as { session: { id: string } };
    const changes = [{ op: 'increase', key: 'progress/landings', path: '', by: landings }];
    const body = { number: 1, transactions: [{ changes }] };
    const saved = await call('POST', `/v1/sessions/${session.id}/leave`, token, body);
    expect((saved.body as SaveResponse).transactions).to.deep.equal([{ applied: true }]);
  }
  async function made(email: string, landings = 0) {
    const device = await newDevice();
    if (landings > 0) await play(device.token, landings);
    const { status, body } = await call('POST', '/v1/account', device.token, { email, password });
    expect(status).to.equal(201);
    return { ...device, ...(body as AccountTokens) };
  }
  const signIn = (token: string, email: string, more: object = {}) =>
    call('POST', '/v1/account/sign-in', token, { email, password, ...more });
  const signedIn = ({ body }: Answer) => (body as AccountSignInResponse).signedIn!;
  const landings = async (token: string) => {
    const { body } = await call('GET', '/v1/me', token);
    return (body as { records: { [key: string]: { value: unknown } } }).records['progress/landings']!.value;
  };
  const refresh = (refreshToken: string) => call('POST', '/v1/account/refresh', world.deviceKey, { refreshToken });
  /** What was mailed to an address: it is sent while the answer is on its way. */
  async function mailed(to: string, subject: string, count = 1): Promise<string> {
    for (;;) {
      const { mails } = await world.operator.accounts.mails();
      const found = mails.filter((one) => one.to === to && one.subject === subject);
      if (found.length >= count) return found[0]!.text;
    }
  }
  const tokenIn = (text: string) => /#(\S+)/.exec(text)![1]!;

  it('is made of a device’s player, who keeps all they have, and is in at once on another device', async () => {
    const first = await made('maren@highfell.example', 7);
    expect(first.player).to.match(/^p-/);
    expect(await landings(first.accessToken)).to.equal(7);
    const second = await newDevice();
    const there = signedIn(await signIn(second.token, 'Maren@Highfell.example', { name: 'a tablet' }));
    expect(there.player).to.equal(first.player);
    expect(await landings(there.accessToken)).to.equal(7);
    await play(there.accessToken, 2);
    expect(await landings(first.accessToken)).to.equal(9);
    const { body } = await call('GET', '/v1/account', there.accessToken);
    expect(body).to.deep.include({ email: 'maren@highfell.example', isConfirmed: false });
    const names = (body as { signIns: { name: string | null; isThis: boolean }[] }).signIns;
    expect(names.map(({ name, isThis }) => [name, isThis])).to.deep.equal([
      ['a tablet', true],
      [null, false],
    ]);
  });

  it('says what a password must be, in words, and takes none of the commonest', async () => {
    const { token } = await newDevice();
    const refused = async (given: string) => {
      const { status, body } = await call('POST', '/v1/account', token, {
        email: 'wren@highfell.example',
        password: given,
      });
      expect(status).to.equal(422);
      return (body as ProblemDetails).detail;
    };
    expect(await refused('gliders')).to.include('at least 8 characters: this one has 7');
    expect(await refused('Password1')).to.include('commonest');
    expect(await refused('wren@highfell.example')).to.include('Your e-mail address is no password');
  });

  it('is signed in to with the right password only, and nobody learns who has one', async () => {
    await made('known@highfell.example');
    const { token } = await newDevice();
    const wrong = await signIn(token, 'known@highfell.example', { password: 'not-the-right-one' });
    const unknown = await signIn(token, 'unknown@highfell.example');
    expect([wrong.status, unknown.status]).to.deep.equal([401, 401]);
    const plain = (answer: Answer) => ({ ...(answer.body as object), requestId: '' });
    expect(plain(wrong)).to.deep.equal(plain(unknown));
    const forgotten = (email: string) => call('POST', '/v1/account/forgotten', world.deviceKey, { email });
    const [known, nobody] = [await forgotten('known@highfell.example'), await forgotten('nobody@highfell.example')];
    expect([known.status, known.body]).to.deep.equal([nobody.status, nobody.body]);
    // Nor by making one: a known address is claimed like any other.
    const again = await newDevice();
    const claimed = await call('POST', '/v1/account', again.token, { email: 'known@highfell.example', password });
    expect(claimed.status).to.equal(201);
  });

  it('has access tokens that anybody can check with the keys that are published', async () => {
    const { accessToken, player } = await made('keys@highfell.example');
    const keys = createRemoteJWKSet(new URL(`${world.url}/.well-known/jwks.json`));
    const { payload, protectedHeader } = await jwtVerify(accessToken, keys, {
      audience: 'highfell-gliders/dev',
      issuer: 'vekkon',
      currentDate: new Date(clock.now()),
    });
    expect([payload.sub, protectedHeader.alg, payload.exp! - payload.iat!]).to.deep.equal([player, 'EdDSA', 900]);
    const { body } = await world.call('GET', '/.well-known/jwks.json');
    expect((body as { keys: object[] }).keys[0]).to.not.have.property('d');
    clock.pass(16 * 60);
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(401);
  });

  it('is refreshed by a token that is good once: shown again later, the sign-in ends for everybody', async () => {
    const { refreshToken, accessToken } = await made('refresh@highfell.example');
    const second = (await refresh(refreshToken)).body as AccountTokens;
    // Its answer was lost: shown again at once, it is answered again.
    const third = (await refresh(refreshToken)).body as AccountTokens;
    const fourth = (await refresh(third.refreshToken)).body as AccountTokens;
    expect((await call('GET', '/v1/me', fourth.accessToken)).status).to.equal(200);
    // It was not lost: one of the two that showed the first one has stolen it.
    expect((await refresh(second.refreshToken)).status).to.equal(401);
    expect(codeOf(await refresh(refreshToken))).to.equal('sign-in-over');
    expect((await call('GET', '/v1/me', fourth.accessToken)).status).to.equal(401);
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(401);
    expect(codeOf(await refresh(fourth.refreshToken))).to.equal('sign-in-over');
    const { activity } = await world.operator.activity({ what: 'refresh-token-reused' });
    expect(activity).to.have.lengthOf(1);
  });

  it('is signed out of, here or everywhere; what was signed out opens nothing any more', async () => {
    const first = await made('out@highfell.example', 1);
    const second = signedIn(await signIn((await newDevice()).token, 'out@highfell.example'));
    const third = signedIn(await signIn((await newDevice()).token, 'out@highfell.example'));
    expect((await call('POST', '/v1/account/sign-out', second.accessToken, {})).body).to.deep.equal({ ended: 1 });
    expect((await call('GET', '/v1/me', second.accessToken)).status).to.equal(401);
    expect((await refresh(second.refreshToken)).status).to.equal(401);
    expect((await call('GET', '/v1/me', third.accessToken)).status).to.equal(200);
    expect(await landings(first.accessToken)).to.equal(1);
    const everywhere = await call('POST', '/v1/account/sign-out', third.accessToken, { everywhere: true });
    expect(everywhere.body).to.deep.equal({ ended: 2 });
    expect((await call('GET', '/v1/me', first.accessToken)).status).to.equal(401);
    // The secret with which its first device began opens the account's player no more.
    const anew = await call('POST', '/v1/devices', world.deviceKey, { secret: first.secret });
    expect(anew.status).to.equal(201);
    expect((anew.body as { player: string }).player).to.not.equal(first.player);
  });

  it('is not lost with the answer that told of it: the device is who it was until its access token is shown', async () => {
    const { token, secret, player } = await newDevice();
    await play(token, 6);
    const email = 'lost-answer@highfell.example';
    await call('POST', '/v1/account', token, { email, password });
    const again = await call('POST', '/v1/devices', world.deviceKey, { secret });
    expect((again.body as { player: string }).player).to.equal(player);
    const { token: next } = again.body as { token: string };
    expect(codeOf(await call('POST', '/v1/account', next, { email, password }))).to.equal('account-exists');
    const there = signedIn(await signIn(next, email));
    expect([there.player, await landings(there.accessToken)]).to.deep.equal([player, 6]);
  });

  it('is known by an address once that is confirmed, by a link that works once', async () => {
    const owner = await made('claimed@highfell.example', 3);
    const other = await made('claimed@highfell.example', 4);
    const text = await mailed('claimed@highfell.example', 'Confirm your address', 2);
    const token = tokenIn(text);
    expect(text).to.include(`${world.url}/account/confirm#`);
    // The newest mail is the second one's: who reads the mail has the address.
    expect((await world.call('POST', '/v1/account/confirm', { token })).body).to.deep.equal({
      email: 'claimed@highfell.example',
    });
    expect(codeOf(await world.call('POST', '/v1/account/confirm', { token }))).to.equal('link-over');
    const there = signedIn(await signIn((await newDevice()).token, 'claimed@highfell.example'));
    expect(there.player).to.equal(other.player);
    // Who only claimed it stays signed in, with all they have.
    expect(await landings(owner.accessToken)).to.equal(3);
  });

  it('gets another password by a mailed link, which works once and signs everybody out', async () => {
    const { accessToken } = await made('forgetful@highfell.example');
    await call('POST', '/v1/account/forgotten', world.deviceKey, { email: 'forgetful@highfell.example' });
    const token = tokenIn(await mailed('forgetful@highfell.example', 'Set another password'));
    const reset = (given: string) => world.call('POST', '/v1/account/reset', { token, password: given });
    expect(codeOf(await reset('short'))).to.equal('password-refused');
    expect((await reset('a-colder-thermal')).status).to.equal(200);
    expect(codeOf(await reset('an-even-colder-one'))).to.equal('link-over');
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(401);
    const { token: device } = await newDevice();
    expect((await signIn(device, 'forgetful@highfell.example')).status).to.equal(401);
    expect((await signIn(device, 'forgetful@highfell.example', { password: 'a-colder-thermal' })).status).to.equal(200);
  });

  it('changes its password and its address when the password is shown, and is erased with it', async () => {
    const { accessToken, player } = await made('changes@highfell.example', 1);
    const other = signedIn(await signIn((await newDevice()).token, 'changes@highfell.example'));
    const wrong = await call('POST', '/v1/account/password', accessToken, {
      password: 'wrong',
      newPassword: 'a-new-thermal',
    });
    expect(codeOf(wrong)).to.equal('account-refused');
    const right = await call('POST', '/v1/account/password', accessToken, { password, newPassword: 'a-new-thermal' });
    expect(right.status).to.equal(200);
    expect((await call('GET', '/v1/me', other.accessToken)).status).to.equal(401);
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(200);
    const email = { password: 'a-new-thermal', email: 'changed@highfell.example' };
    expect((await call('POST', '/v1/account/email', accessToken, email)).status).to.equal(202);
    const token = tokenIn(await mailed('changed@highfell.example', 'Confirm your address'));
    await world.call('POST', '/v1/account/confirm', { token });
    const { body } = await call('GET', '/v1/account', accessToken);
    expect(body).to.deep.include({ email: 'changed@highfell.example', isConfirmed: true });
    expect((await call('POST', '/v1/account/delete', accessToken, { password: 'a-new-thermal' })).status).to.equal(200);
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(401);
    expect((await world.call('GET', `/v1/players/${player}`)).status).to.equal(404);
  });

  it('asks whose progress it is where both have some, and loses neither', async () => {
    const account = await made('both@highfell.example', 10);
    const device = await newDevice();
    await play(device.token, 4);
    const asked = (await signIn(device.token, 'both@highfell.example')).body as AccountSignInResponse;
    expect(asked.signedIn).to.equal(null);
    const held = (one: 'account' | 'device') => asked.choose![one].records['progress/landings']!.value;
    expect([held('account'), held('device')]).to.deep.equal([10, 4]);
    expect(await landings(account.accessToken)).to.equal(10);
    const chosen = signedIn(await signIn(device.token, 'both@highfell.example', { choose: 'device' }));
    expect(chosen.player).to.equal(account.player);
    expect(await landings(chosen.accessToken)).to.equal(4);
    const { checkpoints } = await world.operator.checkpoints(account.player);
    expect(checkpoints.map(({ name }) => name.split(' ')[0])).to.deep.equal(['signed']);
    // What was brought along is not brought a second time, and is kept.
    const again = (await signIn(device.token, 'both@highfell.example')).body as AccountSignInResponse;
    expect(again.choose).to.equal(null);
    expect((await world.operator.checkpoints(device.player)).checkpoints).to.have.lengthOf(1);
  });

  it('puts both together by the rules of the manifest, and what everybody begins with counts once', async () => {
    const together = await World.start({
      clock,
      manifest: [
        'manifest: 1',
        'game: highfell-gliders',
        'title: Highfell Gliders',
        'progress:',
        '  landings: { player: write, starting: 0, together: sum }',
        '  drift: { player: write, starting: 0, together: higher }',
        '  camps: { player: write, together: union, schema: { type: array, items: { type: string }, default: [] } }',
        '  valley: { player: write, starting: gull }',
        'currencies:',
        '  feather: { starting: 40, player: read }',
      ].join('\n'),
    });
    try {
      const ask = (method: string, path: string, token: string, body?: unknown) =>
        together.call(method, path, body, { Authorization: `Bearer ${token}` });
      const device = async (secret: string, put: { readonly [key: string]: unknown }) => {
        const { body } = await ask('POST', '/v1/devices', together.deviceKey, { secret });
        const { token, player } = body as { token: string; player: string };
        const joined = await ask('POST', '/v1/me/join', token, { host: 'tab' });
        const changes = Object.entries(put).map(([key, value]) => ({ op: 'put', key: `progress/${key}`, value }));
        const { session } = joined.body as { session: { id: string } };
        await ask('POST', `/v1/sessions/${session.id}/leave`, token, { number: 1, transactions: [{ changes }] });
        await together
          .host()
          .change(player, secret, [
            { changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'found' }] },
          ]);
        return token;
      };
      const one = await device('the-first-device-of-somebody-1234', {
        landings: 3,
        drift: 9,
        camps: ['a', 'b'],
        valley: 'fox',
      });
      const email = 'both@highfell.example';
      await ask('POST', '/v1/account', one, { email, password });
      const two = await device('the-second-device-of-somebody-123', {
        landings: 4,
        drift: 7,
        camps: ['b', 'c'],
        valley: 'owl',
      });
      const { body } = await ask('POST', '/v1/account/sign-in', two, { email, password, choose: 'both' });
      const { signedIn: tokens } = body as AccountSignInResponse;
      const me = await ask('GET', '/v1/me', tokens!.accessToken);
      const { records } = me.body as { records: { [key: string]: { value: unknown } } };
      expect(Object.fromEntries(Object.entries(records).map(([key, { value }]) => [key, value]))).to.deep.equal({
        'progress/landings': 7,
        'progress/drift': 9,
        'progress/camps': ['a', 'b', 'c'],
        'progress/valley': 'fox',
        'currency/feather': 50,
      });
    } finally {
      await together.close();
    }
  });

  describe('is not opened by', () => {
    let victim: AccountTokens;
    before(async () => {
      victim = await made('victim@highfell.example', 5);
    });
    const me = (token: string) => call('GET', '/v1/me', token);
    const claims = () => decodeJwt(victim.accessToken);

    it('a token that nobody signed, or somebody else did', async () => {
      const unsigned = new UnsecuredJWT(claims()).encode();
      const { privateKey } = await generateKeyPair('EdDSA', { crv: 'Ed25519' });
      const { keys } = (await world.call('GET', '/.well-known/jwks.json')).body as { keys: { kid: string }[] };
      const forged = await new SignJWT(claims())
        .setProtectedHeader({ alg: 'EdDSA', kid: keys[0]!.kid, typ: 'at+jwt' })
        .sign(privateKey);
      const secret = new TextEncoder().encode(JSON.stringify(keys[0]));
      const confused = await new SignJWT(claims())
        .setProtectedHeader({ alg: 'HS256', kid: keys[0]!.kid, typ: 'at+jwt' })
        .sign(secret);
      const [head, , sign] = victim.accessToken.split('.');
      const other = Buffer.from(JSON.stringify({ ...claims(), sub: 'p-other' })).toString('base64url');
      for (const token of [unsigned, forged, confused, `${head}.${other}.${sign}`]) {
        expect((await me(token)).status).to.equal(401);
      }
      expect((await me(victim.accessToken)).status).to.equal(200);
    });

    it('a token of another environment', async () => {
      const elsewhere = await world.operator.createEnvironment({
        manifest: (await world.operator.manifestFile()).text,
        environment: 'stage',
      });
      const secret = 'a-device-of-another-environment-1';
      const device = await call('POST', '/v1/devices', elsewhere.deviceKey, { secret });
      const { token } = device.body as { token: string };
      const refused = await call('POST', '/v1/account/sign-in', token, { email: 'victim@highfell.example', password });
      expect(codeOf(refused)).to.equal('account-refused');
      const stolen = await call('POST', '/v1/account/refresh', elsewhere.deviceKey, {
        refreshToken: victim.refreshToken,
      });
      expect(codeOf(stolen)).to.equal('sign-in-over');
    });

    it('another player’s token: their records, sessions and account stay theirs', async () => {
      const thief = await made('thief@highfell.example', 1);
      const joined = await call('POST', '/v1/me/join', victim.accessToken, { host: 'tab' });
      const { session } = joined.body as { session: { id: string } };
      const body = { number: 1, transactions: [] };
      expect(codeOf(await call('POST', `/v1/sessions/${session.id}/saves`, thief.accessToken, body))).to.equal(
        'session-unknown',
      );
      for (const path of [`/v1/players/${victim.player}`, `/v1/players/${victim.player}/account`, '/v1/accounts']) {
        expect((await call('GET', path, thief.accessToken)).status).to.equal(403);
      }
      await call('POST', `/v1/sessions/${session.id}/leave`, victim.accessToken, {});
    });
  });

  it('changes its own records outside a session, once, and reads of others what the manifest shows', async () => {
    const { accessToken, player } = await made('outside@highfell.example', 1);
    const other = await newDevice();
    await play(other.token, 1);
    const change = (token: string, by: number, once: string) =>
      world.call(
        'POST',
        '/v1/me/changes',
        { transactions: [{ changes: [{ op: 'increase', key: 'progress/landings', path: '', by }] }] },
        { Authorization: `Bearer ${token}`, 'Idempotency-Key': once },
      );
    const first = await change(accessToken, 5, 'once');
    expect((first.body as SaveResponse).transactions).to.deep.equal([{ applied: true }]);
    // Replayed it is answered alike, and counts once; another player's key is another.
    expect((await change(accessToken, 5, 'once')).text).to.equal(first.text);
    expect(codeOf(await change(accessToken, 6, 'once'))).to.equal('idempotency-key-reused');
    expect((await change(other.token, 2, 'once')).status).to.equal(200);
    expect([await landings(accessToken), await landings(other.token)]).to.deep.equal([6, 3]);
    const forged = await world.call(
      'POST',
      '/v1/me/changes',
      { transactions: [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 500, reason: 'mine' }] }] },
      { Authorization: `Bearer ${accessToken}`, 'Idempotency-Key': 'forged' },
    );
    expect((forged.body as SaveResponse).transactions[0]).to.have.nested.property('problem.code', 'not-for-players');
    const read = (key: string) => call('GET', `/v1/players/${player}/records/${key}`, other.token);
    expect((await read('progress/logbook')).status).to.equal(200);
    expect(codeOf(await read('progress/landings'))).to.equal('not-for-players');
  });

  it('is found, shut out, let in and signed out by operators, who see where it is signed in', async () => {
    const { accessToken, player } = await made('looked-after@highfell.example');
    const { operator } = world;
    const { accounts } = await operator.accounts.list({ search: 'looked-' });
    expect(accounts.map(({ email, player: id }) => [email, id])).to.deep.equal([
      ['looked-after@highfell.example', player],
    ]);
    await operator.accounts.disable(player, true);
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(401);
    const { token } = await newDevice();
    expect(codeOf(await signIn(token, 'looked-after@highfell.example'))).to.equal('account-disabled');
    await operator.accounts.disable(player, false);
    const again = signedIn(await signIn(token, 'looked-after@highfell.example'));
    await operator.accounts.sendReset(player);
    await mailed('looked-after@highfell.example', 'Set another password');
    expect(await operator.accounts.signOut(player)).to.deep.equal({ ended: 1 });
    expect((await call('GET', '/v1/me', again.accessToken)).status).to.equal(401);
    expect((await operator.accounts.of(player)).signIns.every(({ endedAt }) => endedAt !== null)).to.equal(true);
  });

  it('stands in the document of everything that is kept of its player', async () => {
    const { player } = await made('document@highfell.example');
    const { text } = await world.call('GET', `/v1/players/${player}/export`, undefined, {
      Authorization: `Bearer ${world.operatorToken}`,
      'Vekkon-Environment': 'highfell-gliders/dev',
    });
    const document = JSON.parse(text) as { account: object[]; signIns: object[] };
    expect(document.account[0]).to.deep.include({ email: 'document@highfell.example', confirmedAt: null });
    expect(document.signIns).to.have.lengthOf(1);
    expect(text).to.not.match(/argon2|refresh|hash/i);
  });

  it('stays through a start of the service, and leaves no password, link or token in the folder', async () => {
    const { accessToken, refreshToken } = await made('stays@highfell.example');
    await world.restart();
    expect((await call('GET', '/v1/me', accessToken)).status).to.equal(200);
    const next = (await refresh(refreshToken)).body as AccountTokens;
    const files = readdirSync(world.folder, { recursive: true, withFileTypes: true }).filter((one) => one.isFile());
    const secret = [password, refreshToken, next.refreshToken, accessToken];
    const found = files.flatMap(({ parentPath, name }) => {
      const text = readFileSync(path.join(parentPath, name)).toString('latin1');
      return secret.filter((one) => text.includes(one)).map((one) => `${name}: ${one}`);
    });
    expect(found).to.deep.equal([]);
  });
});
