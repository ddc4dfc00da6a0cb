import { expect } from 'chai';
import { limits, serviceLimits, type Transaction } from '@vekkon/core';
import type { ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { World } from './world/world.js';

const climb = (by = 1): Transaction => ({ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by }] });

/** What no service takes, let past the client's own check as a bug in it would. */
const malformed: Transaction = { changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: '' }] };

const wideManifest = `manifest: 1
game: highfell-gliders
progress:
  climbs: 0
  chart: { schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
  map: { family: { atMost: 30 }, schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
`;

describe('outcomes of saves', () => {
  let world: World;
  before(async () => {
    world = await World.start({ manifest: wideManifest });
  });
  after(() => world.close());

  const send = (session: string, number: number, more: object = {}) =>
    world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [climb(number)], ...more });
  const climbs = async (player: string) => (await world.operator.player(player)).records['progress/climbs']?.value;
  const withoutTime = ({ text }: { readonly text: string }) => {
    const { now: _, session: __, ...outcome } = JSON.parse(text) as SaveResponse & { status?: number };
    return JSON.stringify(outcome);
  };

  it('are given again for each number that the sender does not say it has, byte for byte', async () => {
    const session = await world.joinPlainly('p-many');
    const answers = [];
    for (let number = 1; number <= 9; number++) answers.push(await send(session, number, { answered: 0 }));
    for (const [index, answer] of answers.entries()) {
      expect(withoutTime(await send(session, index + 1, { answered: 0 }))).to.equal(withoutTime(answer));
    }
    expect(await climbs('p-many')).to.equal(45);
  });

  it('are given again after the session ended, and after another host took the player', async () => {
    const session = await world.joinPlainly('p-ended');
    const first = await send(session, 1);
    await send(session, 2);
    await world.call('POST', `/v1/sessions/${session}/leave`, { number: 3, transactions: [climb()] });
    await world.joinPlainly('p-ended', 'ridge-eu-2');
    expect(withoutTime(await send(session, 1))).to.equal(withoutTime(first));
    await world.restart();
    expect(withoutTime(await send(session, 1))).to.equal(withoutTime(first));
  });

  it('are forgotten once the sender says that it has them, in any later call', async () => {
    const session = await world.joinPlainly('p-told');
    for (const number of [1, 2, 3, 4, 5]) await send(session, number, { answered: 0 });
    const isKept = async (number: number) => (await send(session, number)).status === 200;
    await send(session, 6, { answered: 2 });
    expect([await isKept(2), await isKept(3)]).to.deep.equal([false, true]);
    await world.call('POST', `/v1/sessions/${session}/renew`, { answered: 3 });
    expect([await isKept(3), await isKept(4)]).to.deep.equal([false, true]);
    await world.call('POST', '/v1/hosts/ridge-eu-1/renew', { sessions: [{ session, answered: 4 }] });
    expect([await isKept(4), await isKept(5)]).to.deep.equal([false, true]);
    await world.call('POST', '/v1/saves', { saves: [{ session, number: 7, answered: 6, transactions: [] }] });
    expect([await isKept(6), (await send(session, 7, { transactions: [] })).status]).to.deep.equal([false, 200]);
    const refused = (await send(session, 6)).body as ProblemDetails;
    expect([refused.code, refused.expected]).to.deep.equal(['save-out-of-order', 8]);
  });

  it('are kept of the last twenty numbers for a sender that never says which it has', async () => {
    const session = await world.joinPlainly('p-curl');
    for (let number = 1; number <= 30; number++) await send(session, number);
    const statuses = [];
    for (let number = 9; number <= 30; number++) statuses.push((await send(session, number)).status);
    expect(statuses).to.deep.equal([409, 409, ...Array.from({ length: 20 }, () => 200)]);
  });

  it('bound how far a sender may be ahead: it takes its answers first, and goes on', async () => {
    const session = await world.joinPlainly('p-ahead');
    const saves = Array.from({ length: 203 }, (_, index) => ({
      session,
      number: index + 1,
      answered: 1,
      transactions: [climb()],
    }));
    const { body } = await world.call('POST', '/v1/saves', { saves });
    const { results } = body as { results: readonly (ProblemDetails & { status: number })[] };
    expect(results.slice(0, 201).every(({ status }) => status === 200)).to.equal(true);
    expect(results.slice(201).map(({ code }) => code)).to.deep.equal(['save-too-far-ahead', 'save-before-refused']);
    expect(results[201]?.answered).to.equal(1);
    expect((await send(session, 202, { answered: 201 })).status).to.equal(200);
  });

  it('are bounded in bytes, too', async () => {
    const session = await world.joinPlainly('p-bytes');
    const put = (index: number) => ({
      number: index,
      answered: 0,
      transactions: [{ changes: [{ op: 'put', key: 'progress/chart', value: sheets(index) }] }],
    });
    let number = 1;
    let refused: ProblemDetails | undefined;
    for (; number <= limits.savesAhead && refused === undefined; number++) {
      const answer = await world.call('POST', `/v1/sessions/${session}/saves`, put(number));
      if (answer.status !== 200) refused = answer.body as ProblemDetails;
    }
    expect(refused?.code).to.equal('save-too-far-ahead');
    const bytesEach = 100 * 1_000;
    expect(number)
      .to.be.greaterThan(2)
      .and.lessThan((1.2 * serviceLimits.outcomeBytesPerSession) / bytesEach + 3);
  });

  /** A hundred sheets of a thousand letters. */
  function sheets(index: number): readonly string[] {
    return Array.from({ length: 100 }, (_, place) => `${index} ${place} `.padEnd(1_000, 'n'));
  }
});

describe('saves in bulk that are not as they must be', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('are each one result among the others', async () => {
    const players = Array.from({ length: 200 }, (_, index) => `p-${index}`);
    const sessions = await Promise.all(players.map((player) => world.joinPlainly(player)));
    const saves: object[] = sessions.map((session) => ({ session, number: 1, transactions: [climb()] }));
    saves[7] = { session: 'not a session', number: 1, transactions: [] };
    saves[8] = { session: sessions[8], number: 1, transactions: [malformed] };
    saves[9] = { session: sessions[9], number: 0 };
    saves[10] = { session: sessions[10], number: 1, transactions: [{ label: 'a\0b', ...climb() }] };
    const { status, body } = await world.call('POST', '/v1/saves', { saves });
    const { results } = body as { results: readonly (ProblemDetails & { status: number })[] };
    expect(status).to.equal(200);
    expect(results).to.have.length(200);
    expect(results.flatMap((one, index) => (one.status === 200 ? [] : [[index, one.code]]))).to.deep.equal([
      [7, 'request-invalid'],
      [8, 'request-invalid'],
      [9, 'request-invalid'],
      [10, 'text-invalid'],
    ]);
    expect(results[8]?.issues?.[0]?.pointer).to.equal('/transactions/0/changes/0/reason');
    expect((await world.operator.player('p-11')).records['progress/climbs']?.value).to.equal(1);
  });

  it('refuse the next of their session, and no other', async () => {
    const session = await world.joinPlainly('p-next');
    const saves = [
      { session, number: 1, transactions: [malformed] },
      { session, number: 2, transactions: [] },
      null,
      17,
    ];
    const { body } = await world.call('POST', '/v1/saves', { saves });
    const { results } = body as { results: readonly ProblemDetails[] };
    expect(results.map(({ code }) => code)).to.deep.equal([
      'request-invalid',
      'save-before-refused',
      'request-invalid',
      'request-invalid',
    ]);
  });
});
