import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { expect } from 'chai';
import fc from 'fast-check';
import { createHash, randomBytes } from 'node:crypto';
import { VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { openApiDocument, problemCatalogue, routes, type ProblemDetails, type Route } from '@vekkon/protocol';
import { openLog, startService, type Service } from '@vekkon/service';
import { verifyStore } from '@vekkon/store';
import { until } from './world/until.js';
import { fromSchema, type Schema } from './world/from-schema.js';
import { World } from './world/world.js';

const requests = Number(process.env['VEKKON_FUZZ_REQUESTS'] ?? 5_000);
const seed = Number(process.env['VEKKON_FUZZ_SEED'] ?? Date.now() % 2 ** 31);
/** More than anybody should wait for any answer, in milliseconds. */
const longestAnswer = 1_000;

interface Operation {
  readonly operationId: keyof typeof routes;
  readonly parameters: readonly {
    readonly name: string;
    readonly in: 'path' | 'query' | 'header';
    readonly schema: Schema;
  }[];
  readonly requestBody?: { readonly content: { readonly 'application/json': { readonly schema: Schema } } };
}

interface Made {
  readonly operation: Operation;
  readonly credential: string;
  readonly parameters: readonly unknown[];
  readonly body: unknown;
  readonly headers: { readonly [name: string]: string };
}

const document = openApiDocument('fuzz') as { paths: { [path: string]: { [method: string]: Operation } } };
const operations = Object.values(document.paths).flatMap((methods) => Object.values(methods));
/** Streams never end by themselves, and have tests of their own. */
const mediaOf = (operation: Operation) => (routes[operation.operationId] as Route).media;

describe('made-up requests', () => {
  let service: Service;
  let folder: string;
  let database: Database.Database;
  const credentials = new Map<string, () => Promise<string | undefined>>();
  const players = ['p-1', 'p-2', 'p-3'];
  const keys = ['progress/climbs', 'progress/flight', 'currency/feather', 'inventory/pack', 'score/gorge-run'];
  keys.push('preference/invert-pitch', 'progress/landings', 'progress/glider/heron', 'progress/none');
  const words = {
    '': [...players, ...keys, 'ridge-eu-1', 'wing', 'climb', '2026-11-23T12:00:00Z', 'dev', 'credit-limit'],
    player: players,
    key: keys,
    session: [] as string[],
    device: [] as string[],
    keyId: [] as string[],
    unsettled: [] as string[],
    host: ['ridge-eu-1', 'ridge-eu-2'],
    number: [1, 1, 1, 2],
    item: ['wing', 'silk-patch', 'flare'],
    path: ['', '/chapter', '/metres'],
    email: [World.admin.email, 'maren@highfell.example'],
    password: [World.admin.password, 'wrong'],
    secret: ['a-secret-of-forty-characters-here-'.repeat(2)],
    manifest: [demoManifest(), 'manifest: 1\ngame: highfell-gliders\nprogress: { climbs: 0 }\n', '*a', 3],
    acceptMisfits: [true],
    keep: [true],
  };

  before(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-fuzz-'));
    const none = {
      deviceCalls: 0,
      playerCalls: 0,
      addressCalls: 0,
      deviceStreams: 0,
      addressStreams: 0,
      newDevices: 0,
      newCredentials: 0,
    };
    const log = openLog('json', path.join(folder, 'service.log'));
    service = await startService({ data: folder, port: 0, listen: '127.0.0.1', log, limits: none });
    const invitation = service.firstAdminLink!.split('#')[1]!;
    const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...World.admin, invitation });
    const admin = new VekkonOperator({ url: service.url, token });
    const made = await admin.createEnvironment({ manifest: demoManifest(), environment: 'dev', live: false });
    const other = await admin.createEnvironment({ manifest: demoManifest(), environment: 'other', live: true });
    const inDev = new VekkonOperator({ url: service.url, token, environment: 'highfell-gliders/dev' });
    const revoked = await inDev.createKey('host-key');
    await inDev.revokeKey(revoked.id);
    const secret = randomBytes(32).toString('base64url');
    const device = (await plain('POST', '/v1/devices', { secret }, made.deviceKey)) as {
      token: string;
      player: string;
    };
    const shutOut = (await plain('POST', '/v1/devices', { secret: `${secret}-2` }, made.deviceKey)) as typeof device & {
      device: string;
    };
    await inDev.revokeDevice(shutOut.player, shutOut.device);
    for (const [player, key] of [
      ['p-1', made.hostKey],
      ['p-2', made.hostKey],
    ] as const) {
      const joined = (await plain('POST', `/v1/players/${player}/join`, { host: 'ridge-eu-1' }, key)) as {
        session: { id: string };
      };
      words.session.push(joined.session.id);
    }
    players.push(device.player);
    words.device.push(shutOut.device);
    words.keyId.push(revoked.id);
    const account = async (email: string) => {
      const about = { secret: randomBytes(32).toString('base64url') };
      const { token: own } = (await plain('POST', '/v1/devices', about, made.deviceKey)) as typeof device;
      const body = { email, password: 'a-warm-thermal' };
      const { accessToken } = (await plain('POST', '/v1/account', body, own)) as { accessToken: string };
      // With its first use the token before it is over.
      await plain('POST', '/v1/me/join', { host: 'tab' }, accessToken);
      return accessToken;
    };
    const [signedIn, signedOut] = [await account('maren@highfell.example'), await account('rook@highfell.example')];
    await plain('POST', '/v1/account/sign-out', {}, signedOut);
    const reading = await inDev.createKey({ scopes: ['read'] });
    const looking = await inDev.createKey({ sort: 'device-key', scopes: ['boards'] });
    const kept: [string, string | undefined][] = [
      ['nobody', undefined],
      ['a made-up token', `vkh_${randomBytes(24).toString('base64url')}`],
      ['a host key', made.hostKey],
      ['a host key of another environment', other.hostKey],
      ['a host key that was revoked', revoked.key],
      ['a device key', made.deviceKey],
      ['a device', device.token],
      ['a device that was shut out', shutOut.token],
      ['a device that is signed in', signedIn],
      ['a device that was signed out', signedOut],
      ['an access token that nobody has signed', unsigned(signedIn)],
      ['a host key that only reads', reading.key],
      ['a device key for boards', looking.key],
      ['the first admin’s link', invitation],
    ];
    for (const [name, value] of kept) credentials.set(name, async () => value);
    for (const role of ['viewer', 'support', 'designer', 'admin'] as const) {
      const email = `${role}@highfell.example`;
      const { number } = await service.store.writer.do('addOperator', { email, name: role, role, passwordHash: '-' });
      // Signing out is among what is tried: each call has a token of its own.
      credentials.set(role, async () => {
        const shown = `vko_${randomBytes(24).toString('base64url')}`;
        const hash = createHash('sha256').update(shown).digest('base64url');
        const expiresAt = Date.now() + 60_000;
        await service.store.writer.do('addCredential', { hash, sort: 'operator', operator: number, expiresAt });
        return shown;
      });
    }
    database = new Database(path.join(folder, 'vekkon.sqlite'), { readonly: true });
  });
  after(async () => {
    database.close();
    await service.close();
    rmSync(folder, { recursive: true });
  });

  async function plain(method: string, route: string, body: unknown, key: string): Promise<unknown> {
    const headers = { Authorization: `Bearer ${key}` };
    return (await fetch(service.url + route, { method, headers, body: JSON.stringify(body) })).json();
  }

  const giftsUnderWay = async () => (await service.store.reader.gifts.underWay()).length > 0;

  /** All that a refusal must leave as it is. */
  function stored(): string {
    const counted = ['records', 'history', 'ledger', 'players', 'sessions', 'devices', 'manifests', 'environments'];
    const counts = counted.map((table) => database.prepare(`select count(*) from ${table}`).pluck().get());
    const sums = database.prepare('select total(seen), total(fence) from players').raw().get();
    const valid = database.prepare('select count(*) from credentials where revoked_at is null').pluck().get();
    return JSON.stringify([counts, sums, valid]);
  }

  /** Takes ids from an answer, for calls to come. */
  function learn(answer: unknown): void {
    const { session, transactions = [] } = answer as { session?: { id?: string }; transactions?: unknown[] };
    if (session?.id !== undefined)
      words.session.splice(0, words.session.length, session.id, ...words.session.slice(0, 2));
    for (const { unsettled } of (Array.isArray(transactions) ? transactions : []) as { unsettled?: string }[]) {
      if (unsettled !== undefined) words.unsettled.splice(0, 1, unsettled);
    }
  }

  async function tried({ operation, credential, parameters, body, headers }: Made): Promise<void> {
    const route: Route = routes[operation.operationId];
    let [where, query] = [route.path, ''];
    for (const [index, parameter] of operation.parameters.entries()) {
      const given = parameters[index];
      const text = encodeURIComponent(typeof given === 'string' ? given.toWellFormed() : JSON.stringify(given ?? ''));
      // A path without one of its steps, or with dots for one, is another path.
      if (parameter.in === 'path') where = where.replace(`{${parameter.name}}`, /^\.{0,2}$/.test(text) ? 'x' : text);
      else if (parameter.in === 'query' && given !== undefined) query += `&${parameter.name}=${text}`;
    }
    const token = await credentials.get(credential)?.();
    let before = '';
    let response!: Response;
    let text = '';
    for (let time = 1; time <= 3; time++) {
      before = stored();
      const since = performance.now();
      response = await fetch(`${service.url}${where}?${query.slice(1)}`, {
        method: route.method.toUpperCase(),
        headers: {
          'Vekkon-Environment': 'highfell-gliders/dev',
          ...(token !== undefined && { Authorization: `Bearer ${token}` }),
          ...headers,
        },
        ...(body !== undefined && route.method !== 'get' && { body: JSON.stringify(harmless(body)) }),
      });
      text = await response.text();
      // A machine that is busy elsewhere is slow once: an answer that takes long takes long each time.
      if (performance.now() - since < longestAnswer) break;
      expect(time, `${operation.operationId} took more than a second three times`).to.be.lessThan(3);
    }
    expect(response.status, text).to.be.lessThan(500);
    if (response.status >= 400) {
      const problem = JSON.parse(text) as ProblemDetails;
      expect(problem).to.include.keys('type', 'title', 'status', 'detail', 'code', 'requestId');
      expect(problemCatalogue[problem.code].status).to.equal(response.status);
      expect(text.length).to.be.lessThan(60_000);
      expect(stored(), text).to.equal(before);
    } else if (response.status !== 304) {
      // A gift goes on by itself: what is refused later is not what it changes.
      if (/gift$/i.test(operation.operationId)) await until(async () => !(await giftsUnderWay()));
      if (route.media === 'application/x-ndjson') {
        for (const line of text.split('\n')) if (line !== '') JSON.parse(line);
        return;
      }
      const answer: unknown = JSON.parse(text);
      learn(answer);
      const fits = route.response.safeParse(answer);
      expect(fits.error?.issues ?? [], `${operation.operationId} ${text}`).to.deep.equal([]);
    }
  }

  it('are never a fault, never take long, change nothing where they are refused, and are answered in their shapes', async () => {
    const one = fc
      .constantFrom(...operations.filter((one) => mediaOf(one) !== 'text/event-stream'))
      .chain((operation) =>
        fc.record({
          operation: fc.constant(operation),
          credential: fc.oneof(
            { weight: 2, arbitrary: fc.constantFrom(...fitting(routes[operation.operationId])) },
            { weight: 1, arbitrary: fc.constantFrom(...credentials.keys()) },
          ),
          parameters: fc.tuple(
            ...operation.parameters.map(({ in: where, name, schema }) =>
              where === 'query'
                ? fc.option(fromSchema(schema, words, name), { nil: undefined, freq: 2 })
                : fromSchema(schema, words, name),
            ),
          ),
          body: fromSchema(operation.requestBody?.content['application/json'].schema ?? {}, words),
          headers: fc.constantFrom<{ [name: string]: string }>(
            {},
            { 'Idempotency-Key': 'key-1' },
            { 'If-Match': '"1"' },
            { 'If-None-Match': '*' },
            { 'Content-Type': 'text/plain' },
            { 'Vekkon-Environment': 'highfell-gliders/nowhere' },
          ),
        }),
      );
    await fc.assert(fc.asyncProperty(one, tried), { numRuns: requests, seed, endOnFailure: true });
    expect(readFileSync(path.join(folder, 'service.log'), 'utf8')).to.not.contain('"level":50');
    expect((await verifyStore(folder)).faults).to.deep.equal([]);
  }).timeout(20 * 60_000);
});

/** The same claims with `alg: none` (RFC 7519, 6). */
function unsigned(token: string): string {
  const header = Buffer.from(JSON.stringify({ alg: 'none', typ: 'at+jwt' })).toString('base64url');
  return `${header}.${token.split('.')[1]}.`;
}

/** The credentials that a route takes. */
function fitting({ callers }: Route): readonly string[] {
  const names = { host: 'a host key', device: 'a device', 'device-key': 'a device key', anybody: 'nobody' } as const;
  const fit = callers.map((caller) => (caller in names ? names[caller as keyof typeof names] : caller));
  return callers.includes('device') ? [...fit, 'a device that is signed in'] : fit;
}

/** What is answered late, with 503 or not at all on purpose is left out: it is no fault. */
function harmless(body: unknown): unknown {
  if (typeof body !== 'object' || body === null) return body;
  const harmful = { wait: 0, refuse: 0, loseResponses: 0, delay: { from: 0, to: 0 } };
  // And nobody elsewhere is asked who they are.
  const nobody = { issuer: 'http://127.0.0.1:9' };
  const instead = Object.entries({ ...harmful, ...nobody }).filter(([name]) => name in body);
  return { ...body, ...Object.fromEntries(instead) };
}
