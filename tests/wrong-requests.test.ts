import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import type { ProblemDetails } from '@vekkon/protocol';
import { World, type Answer } from './world/world.js';

const codeOf = (answer: Answer) => (answer.body as ProblemDetails).code;
const bearer = (token: string) => ({ Authorization: `Bearer ${token}` });

describe('what is wrong about a request', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const wrong: readonly [
    why: string,
    method: string,
    route: string,
    headers: { readonly [name: string]: string },
    body: string | undefined,
    status: number,
    code: string,
  ][] = [
    [
      'a body that is not what its encoding says',
      'POST',
      '/v1/saves',
      { 'Content-Encoding': 'gzip' },
      'x',
      400,
      'body-not-json',
    ],
    [
      'an encoding that nobody knows',
      'POST',
      '/v1/saves',
      { 'Content-Encoding': 'zip' },
      'x',
      415,
      'media-type-unsupported',
    ],
    [
      'a body in letters of another sort',
      'PUT',
      '/v1/players/p-1/records/preference/map-detail',
      { 'Content-Type': 'application/json; charset=no-such-letters' },
      '"high"',
      415,
      'media-type-unsupported',
    ],
    ['a file that is not there', 'GET', '/console/assets/nope.js', {}, undefined, 404, 'route-unknown'],
    [
      'a range past the end of a file',
      'GET',
      '/play/game.js',
      { Range: 'bytes=9999999-' },
      undefined,
      416,
      'range-not-satisfiable',
    ],
    ['an If-Match on a file', 'GET', '/play/game.js', { 'If-Match': '"1"' }, undefined, 412, 'precondition-failed'],
    [
      'headers that are too large',
      'GET',
      '/health',
      { 'X-Large': 'x'.repeat(20_000) },
      undefined,
      431,
      'headers-too-large',
    ],
    [
      'a manifest that is an alias of nothing',
      'POST',
      '/v1/manifest/diff',
      {},
      '{"manifest":"*a"}',
      422,
      'manifest-invalid',
    ],
  ];
  for (const [why, method, route, headers, body, status, code] of wrong) {
    it(`is told in problem details: ${why}`, async () => {
      const token = route.startsWith('/v1/manifest') ? world.operatorToken : world.hostKey;
      const answer = await world.call(method, route, body, { ...bearer(token), ...headers });
      expect([answer.status, codeOf(answer)]).to.deep.equal([status, code]);
      expect(answer.headers.get('Content-Type')).to.contain('application/problem+json');
      expect(readFileSync(world.log, 'utf8')).to.not.contain('"level":50');
    });
  }
});
