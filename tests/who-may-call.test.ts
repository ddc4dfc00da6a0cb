import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect } from 'chai';
import { roles, routes, type AccountTokens, type Route } from '@vekkon/protocol';
import { World } from './world/world.js';

const file = path.resolve(import.meta.dirname, '../docs/who-may-call.md');
/** Answers that say that this caller may not make this call at all. */
const shutOut = new Set([401, 403]);
/** Calls that end the credential with which they are made, or answer 401 to whoever shows no password. */
const spends = new Set([
  'signOut',
  'accountSignOut',
  'deleteAccount',
  'accountSignIn',
  'resetPassword',
  'confirmEmail',
]);

describe('who may make each call', () => {
  let world: World;
  const credentials = new Map<string, string>();
  before(async () => {
    world = await World.start();
    credentials.set('nobody', '').set('host key', world.hostKey);
    credentials.set('device key', world.deviceKey);
    const as = (token: string) => ({ Authorization: `Bearer ${token}` });
    const device = async (secret: string) => {
      const { body } = await world.call('POST', '/v1/devices', { secret }, as(world.deviceKey));
      return (body as { token: string }).token;
    };
    credentials.set('device', await device('the-device-of-somebody-without-1'));
    const withAccount = await device('the-device-of-somebody-with-one1');
    const account = { email: 'maren@highfell.example', password: 'a-warm-thermal' };
    const made = await world.call('POST', '/v1/account', account, as(withAccount));
    credentials.set('account', (made.body as AccountTokens).accessToken);
    for (const role of roles) credentials.set(role, await world.tokenOf(`${role}@highfell.example`, role));
    credentials.set('made up', 'vkh_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA');
  });
  after(() => world.close());

  /** May a caller make a call, as the answer to an empty one says? It is refused before its body is looked at. */
  async function may({ method, path: route }: Route, token: string): Promise<boolean> {
    const url = route.replaceAll(/\{(\w+)\}/g, (_, name: string) => (name === 'key' ? 'progress/landings' : '1'));
    const stop = new AbortController();
    const response = await fetch(world.url + url, {
      method: method.toUpperCase(),
      headers: { ...(token !== '' && { Authorization: `Bearer ${token}` }), 'Content-Type': 'application/json' },
      ...(method !== 'get' && { body: '[]' }),
      signal: stop.signal,
    });
    if (response.headers.get('Content-Type')?.includes('event-stream') !== true) await response.arrayBuffer();
    stop.abort();
    return !shutOut.has(response.status);
  }

  it('is as the table in the guide says', async () => {
    const callers = [...credentials.keys()];
    const lines: string[] = [];
    for (const [name, route] of Object.entries<Route>(routes)) {
      if (spends.has(name)) continue;
      const marks: string[] = [];
      for (const caller of callers) marks.push((await may(route, credentials.get(caller)!)) ? 'yes' : '–');
      lines.push(`| \`${route.method.toUpperCase()} ${route.path}\` | ${marks.join(' | ')} |`);
    }
    const told = [
      '# Who may make each call',
      '',
      'Made by `tests/who-may-call.test.ts`, which makes every call with every sort of credential and looks whether it is shut out. Calls that end the credential with which they are made, or that ask for a password, are left out. What a caller may do with a call that is open to them is said in the guides: a device reads and writes its own player only, and of that what the manifest lets it.',
      '',
      `| Call | ${callers.join(' | ')} |`,
      `| --- | ${callers.map(() => '---').join(' | ')} |`,
      ...lines,
      '',
    ].join('\n');
    if (process.env['VEKKON_WRITE_DOCS'] !== undefined) writeFileSync(file, told);
    expect(readFileSync(file, 'utf8')).to.equal(told);
  });

  it('opens nothing to what is made up, but what is open to everybody', async () => {
    for (const [name, route] of Object.entries<Route>(routes)) {
      if (spends.has(name) || route.callers.includes('anybody')) continue;
      expect(await may(route, credentials.get('made up')!), name).to.equal(false);
      expect(await may(route, ''), name).to.equal(false);
    }
  });

  it('opens no call of operators or hosts to a player, with an account or without', async () => {
    for (const [name, route] of Object.entries<Route>(routes)) {
      const isForPlayers = route.callers.some((one) => one === 'device' || one === 'anybody');
      if (spends.has(name) || isForPlayers) continue;
      for (const caller of ['device', 'account']) {
        expect(await may(route, credentials.get(caller)!), `${name} by ${caller}`).to.equal(false);
      }
    }
  });
});
