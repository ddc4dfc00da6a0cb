import { expect } from 'chai';
import type { ProblemCode, ProblemDetails } from '@vekkon/protocol';
import { VekkonOperator } from '@vekkon/client';
import { World } from './world/world.js';

interface Case {
  readonly why: string;
  readonly code: ProblemCode;
  readonly status: number;
  readonly detail?: string;
  readonly send: (world: World, session: string) => ReturnType<World['call']>;
}

const flightRoute = '/v1/players/p-1/records/progress/flight';
const flight = { chapter: 1, charted: [], metres: 0 };

function save(world: World, session: string, change: object, number = 1) {
  return world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [{ changes: [change] }] });
}

const cases: readonly Case[] = [
  {
    why: 'no key',
    code: 'credential-missing',
    status: 401,
    send: (world) => world.call('GET', '/v1/players/p-1', undefined, { Authorization: '' }),
  },
  {
    why: 'an unknown key',
    code: 'credential-unknown',
    status: 401,
    send: (world) => world.call('GET', '/v1/players/p-1', undefined, { Authorization: 'Bearer vkh_nobody' }),
  },
  {
    why: 'a device key where a host key is needed',
    code: 'credential-wrong-kind',
    status: 403,
    send: (world) =>
      world.call('POST', '/v1/players/p-1/join', { host: 'a' }, { Authorization: `Bearer ${world.deviceKey}` }),
  },
  {
    why: 'an operator where a host key is needed',
    code: 'credential-wrong-kind',
    status: 403,
    send: (world) =>
      world.call('POST', '/v1/players/p-1/join', { host: 'a' }, { Authorization: `Bearer ${world.operatorToken}` }),
  },
  {
    why: 'a host key where an operator is needed',
    code: 'credential-wrong-kind',
    status: 403,
    send: (world) => world.call('GET', '/v1/operator'),
  },
  {
    why: 'an unknown environment',
    code: 'environment-unknown',
    status: 404,
    send: (world) =>
      world.call('GET', '/v1/players', undefined, {
        Authorization: `Bearer ${world.operatorToken}`,
        'Vekkon-Environment': 'highfell-gliders/lve',
      }),
  },
  {
    why: 'an unknown player',
    code: 'player-unknown',
    status: 404,
    detail: 'p-nobody',
    send: (world) => world.call('GET', '/v1/players/p-nobody'),
  },
  {
    why: 'a player id with control characters',
    code: 'player-id-invalid',
    status: 400,
    send: (world) => world.call('GET', '/v1/players/p%00'),
  },
  {
    why: 'a path that is badly encoded',
    code: 'request-invalid',
    status: 400,
    send: (world) => world.call('GET', '/v1/players/%E0%A4%A'),
  },
  {
    why: 'an unknown session',
    code: 'session-unknown',
    status: 404,
    send: (world) => save(world, 'ses_0123456789abcdef', { op: 'put', key: 'progress/climbs', value: 1 }),
  },
  {
    why: 'what is no session id',
    code: 'session-unknown',
    status: 404,
    send: (world) => save(world, 'nonsense', { op: 'put', key: 'progress/climbs', value: 1 }),
  },
  {
    why: 'a member of a family that is not stored',
    code: 'record-unknown',
    status: 404,
    send: (world) => world.call('GET', '/v1/players/p-1/records/progress/glider/none'),
  },
  {
    why: 'a key with a typo',
    code: 'key-not-declared',
    status: 404,
    detail: 'did you mean "currency/feather"?',
    send: (world) => world.call('GET', '/v1/players/p-1/records/currency/fether'),
  },
  {
    why: 'a put of a wrong type',
    code: 'value-invalid',
    status: 422,
    detail: '/chapter',
    send: (world) => world.call('PUT', flightRoute, { ...flight, chapter: 'two' }, { 'If-Match': '"1"' }),
  },
  {
    why: 'a put out of bounds',
    code: 'value-invalid',
    status: 422,
    detail: '/chapter',
    send: (world) => world.call('PUT', flightRoute, { ...flight, chapter: 41 }, { 'If-Match': '"1"' }),
  },
  {
    why: 'a put on a currency',
    code: 'op-not-for-kind',
    status: 422,
    detail: 'credit, debit',
    send: (world) => world.call('PUT', '/v1/players/p-1/records/currency/feather', '900', { 'If-Match': '"1"' }),
  },
  {
    why: 'a put without If-Match while a session is open',
    code: 'precondition-needed',
    status: 428,
    send: (world) => world.call('PUT', flightRoute, flight),
  },
  {
    why: 'a put on another revision',
    code: 'revision-mismatch',
    status: 412,
    send: (world) => world.call('PUT', flightRoute, { ...flight, metres: 5 }, { 'If-Match': '"9"' }),
  },
  {
    why: 'an If-Match that is no entity tag',
    code: 'request-invalid',
    status: 400,
    send: (world) => world.call('PUT', flightRoute, flight, { 'If-Match': '9' }),
  },
  { why: 'a put without a value', code: 'body-not-json', status: 400, send: (world) => world.call('PUT', flightRoute) },
  {
    why: 'a body that is not JSON',
    code: 'body-not-json',
    status: 400,
    send: (world, session) => world.call('POST', `/v1/sessions/${session}/saves`, '{"number": 1,'),
  },
  {
    why: 'a body that is too large',
    code: 'body-too-large',
    status: 413,
    send: (world, session) =>
      save(world, session, { op: 'put', key: 'progress/climbs', value: 'x'.repeat(1024 * 1024) }),
  },
  {
    why: 'a body that is too deep',
    code: 'value-too-deep',
    status: 422,
    send: (world, session) =>
      world.call(
        'POST',
        `/v1/sessions/${session}/saves`,
        `{"number":1,"transactions":${'['.repeat(200_000)}${']'.repeat(200_000)}}`,
      ),
  },
  {
    why: 'a body that holds __proto__',
    code: 'name-forbidden',
    status: 422,
    send: (world, session) =>
      world.call(
        'POST',
        `/v1/sessions/${session}/saves`,
        '{"number":1,"transactions":[{"changes":[{"op":"merge","key":"progress/logbook","value":{"__proto__":{"a":1}}}]}]}',
      ),
  },
  {
    why: 'a member that is not known',
    code: 'request-invalid',
    status: 400,
    detail: 'transaction',
    send: (world, session) => world.call('POST', `/v1/sessions/${session}/saves`, { number: 1, transaction: [] }),
  },
  {
    why: 'a change that is not known',
    code: 'request-invalid',
    status: 400,
    send: (world, session) => save(world, session, { op: 'add', key: 'progress/climbs' }),
  },
  {
    why: 'an amount with a fraction',
    code: 'request-invalid',
    status: 400,
    send: (world, session) => save(world, session, { op: 'credit', key: 'currency/feather', amount: 1.5, reason: 'x' }),
  },
  {
    why: 'more changes than a save takes',
    code: 'too-many-changes',
    status: 413,
    send: (world, session) =>
      world.call('POST', `/v1/sessions/${session}/saves`, {
        number: 1,
        transactions: [
          { changes: Array.from({ length: 1_001 }, () => ({ op: 'increase', key: 'progress/climbs', by: 1 })) },
        ],
      }),
  },
  {
    why: 'a save number out of turn',
    code: 'save-out-of-order',
    status: 409,
    detail: 'expects 1',
    send: (world, session) => save(world, session, { op: 'put', key: 'progress/climbs', value: 1 }, 3),
  },
  {
    why: 'a route that is not there',
    code: 'route-unknown',
    status: 404,
    send: (world) => world.call('GET', '/v1/playrs'),
  },
];

describe('bad input', () => {
  let world: World;
  let session: string;
  before(async () => {
    world = await World.start();
    session = await world.joinPlainly('p-1');
  });
  after(() => world.close());

  for (const { why, code, status, detail, send } of cases) {
    it(`${why} is refused as ${code} and changes nothing`, async () => {
      const before = await world.operator.player('p-1');
      const answer = await send(world, session);
      const problem = answer.body as ProblemDetails;
      expect(problem.code).to.equal(code);
      expect(answer.status).to.equal(status);
      expect(answer.headers.get('Content-Type')).to.contain('application/problem+json');
      expect(problem.requestId).to.equal(answer.headers.get('X-Request-Id'));
      expect(problem.detail.length).to.be.greaterThan(10);
      if (detail !== undefined) expect(problem.detail).to.contain(detail);
      const { now: _now, ...after } = await world.operator.player('p-1');
      const { now: _then, ...same } = before;
      expect(after).to.deep.equal(same);
    });
  }

  it('a debit below the floor is refused in its transaction', async () => {
    const { body } = await save(world, await world.joinPlainly('p-poor'), {
      op: 'debit',
      key: 'currency/feather',
      amount: 41,
      reason: 'x',
    });
    expect(body).to.have.nested.property('transactions[0].problem.code', 'balance-too-low');
  });

  it('a record that is too large is refused in its transaction, by its bytes', async () => {
    const free = await World.start({ manifest: 'manifest: 1\ngame: highfell-gliders\nprogress: { chart: "" }\n' });
    const session = await free.joinPlainly('p-large');
    const put = (number: number, letter: string, bytes: number) => {
      // The quotes around it count too.
      const value = letter.repeat((bytes - 2) / Buffer.byteLength(letter));
      const changes = [{ op: 'put', key: 'progress/chart', value }];
      return free.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [{ changes }] });
    };
    const most = 256 * 1024;
    for (const [number, letter, bytes, outcome] of [
      [1, 'x', most, undefined],
      [2, 'x', most + 1, 'value-too-large'],
      // A third of the letters, of three bytes each.
      [3, '風', most - 2, undefined],
      [4, '風', most + 1, 'value-too-large'],
    ] as const) {
      const { body } = await put(number, letter, bytes);
      const [first] = (body as { transactions: { problem?: { code: string } }[] }).transactions;
      expect(first?.problem?.code, `${bytes} bytes of ${letter}`).to.equal(outcome);
    }
    await free.close();
  });

  it('a body is taken up to its bound, and not a byte more', async () => {
    const session = await world.joinPlainly('p-body');
    const send = (number: number, bytes: number) => {
      const body = `{"number":${number},"transactions":[]}`;
      return world.call('POST', `/v1/sessions/${session}/saves`, body.padEnd(bytes));
    };
    expect((await send(1, 1024 * 1024)).status).to.equal(200);
    const refused = await send(2, 1024 * 1024 + 1);
    expect([refused.status, (refused.body as ProblemDetails).code]).to.deep.equal([413, 'body-too-large']);
  });

  it('a save after leave is refused', async () => {
    const gone = await world.joinPlainly('p-gone');
    await world.call('POST', `/v1/sessions/${gone}/leave`);
    const answer = await save(world, gone, { op: 'increase', key: 'progress/climbs', path: '', by: 1 });
    expect(answer.status).to.equal(409);
    expect(answer.body).to.have.property('code', 'session-ended');
  });

  it('a number that was sent with other contents is refused', async () => {
    const again = await world.joinPlainly('p-differs');
    await save(world, again, { op: 'increase', key: 'progress/climbs', path: '', by: 1 });
    const answer = await save(world, again, { op: 'increase', key: 'progress/climbs', path: '', by: 2 });
    expect(answer.body).to.have.property('code', 'save-differs');
  });

  it('a revoked key is refused', async () => {
    const { key, id } = await world.operator.createKey('host-key');
    const asHost = { Authorization: `Bearer ${key}` };
    expect((await world.call('GET', '/v1/players/p-1', undefined, asHost)).status).to.equal(200);
    await world.operator.revokeKey(id);
    expect((await world.call('GET', '/v1/players/p-1', undefined, asHost)).body).to.have.property(
      'code',
      'credential-revoked',
    );
    expect((await world.operator.keys()).keys.filter((one) => one.revokedAt === null)).to.have.length(2);
  });

  it('an environment without a manifest takes no players', async () => {
    const { hostKey } = await world.operator.createEnvironment({ game: 'highfell-gliders', environment: 'bare' });
    const answer = await world.call(
      'POST',
      '/v1/players/p-1/join',
      { host: 'a' },
      { Authorization: `Bearer ${hostKey}` },
    );
    expect(answer.status).to.equal(409);
    expect(answer.body).to.have.property('code', 'manifest-not-installed');
  });

  it('a revoked token is refused', async () => {
    const { token } = await VekkonOperator.signIn(world.url, World.admin.email, World.admin.password);
    await new VekkonOperator({ url: world.url, token }).signOut();
    const answer = await world.call('GET', '/v1/operator', undefined, { Authorization: `Bearer ${token}` });
    expect(answer.body).to.have.property('code', 'credential-revoked');
  });

  it('a wrong password and an unknown e-mail are refused alike, and too many tries at all', async () => {
    const tried = [];
    for (let index = 0; index < 40; index++) {
      const email = index % 2 === 0 ? World.admin.email : 'nobody@highfell.example';
      tried.push(((await world.call('POST', '/v1/sign-in', { email, password: 'wrong' })).body as ProblemDetails).code);
    }
    expect(new Set(tried)).to.deep.equal(new Set(['sign-in-refused', 'too-many-requests']));
  });

  it('a manifest with mistakes makes no environment, and a taken name neither', async () => {
    const asAdmin = { Authorization: `Bearer ${world.operatorToken}` };
    const wrong = { manifest: 'manifest: 1\ngame: highfell-gliders\nprogres:\n  climbs: 0\n', environment: 'stage' };
    const { body } = await world.call('POST', '/v1/environments', wrong, asAdmin);
    expect(body).to.have.property('code', 'manifest-invalid');
    expect(body).to.have.deep.nested.property('mistakes[0].line', 3);
    const taken = { manifest: 'manifest: 1\ngame: highfell-gliders\n', environment: 'dev' };
    expect((await world.call('POST', '/v1/environments', taken, asAdmin)).body).to.have.property(
      'code',
      'environment-exists',
    );
  });

  it('faults are not told to callers, and none happened', async () => {
    const { readFileSync } = await import('node:fs');
    const lines = readFileSync(world.log, 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { level: number });
    expect(lines.filter(({ level }) => level >= 50)).to.deep.equal([]);
  });
});
