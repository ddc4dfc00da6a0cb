import { expect } from 'chai';
import { verifyStore } from '@vekkon/store';
import type { ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { World, TestClock } from './world/world.js';

/** Refused, since it is more than the limit lets in, and kept. */
const tooMuch = (amount: number, more: object = {}) => ({
  keep: true,
  changes: [{ op: 'credit', key: 'currency/feather', amount: 5_000 + amount, reason: `climb ${amount}` }],
  ...more,
});

describe('unsettled transactions', () => {
  let world: World;
  const clock = new TestClock();
  beforeEach(async () => {
    world = await World.start({ clock });
  });
  afterEach(async () => {
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    await world.close();
  });

  const save = (session: string, number: number, transactions: readonly object[]) =>
    world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions });

  /** Fills all the room that a player has. */
  async function fill(player: string): Promise<string> {
    const session = await world.joinPlainly(player);
    const unlike = Array.from({ length: 100 }, (_, index) => tooMuch(1, { label: `no. ${index}` }));
    expect((await save(session, 1, unlike)).status).to.equal(200);
    return session;
  }

  it('are one where they are alike, which counts how often and adds up', async () => {
    const session = await world.joinPlainly('p-alike');
    const first = await save(session, 1, [tooMuch(1), tooMuch(2)]);
    clock.pass(60);
    const second = await save(session, 2, [tooMuch(3)]);
    const ids = [first, second].flatMap(({ body }) =>
      (body as SaveResponse).transactions.map((one) => (one as { unsettled: string }).unsettled),
    );
    expect(new Set(ids).size).to.equal(1);
    const list = await world.operator.unsettled('p-alike');
    expect([list.total, list.transactions, list.isCapped]).to.deep.equal([1, 3, false]);
    const [one] = list.unsettled;
    expect(one).to.include({ id: ids[0], count: 3, number: 2, reason: 'credit-limit' });
    expect(Date.parse(one!.at) - Date.parse(one!.firstAt)).to.equal(60_000);
    expect(one!.transaction.changes).to.deep.equal([
      { op: 'credit', key: 'currency/feather', amount: 15_006, reason: 'climb 1 and others', count: 3 },
    ]);
  });

  it('of one player that fill their room hold up nobody else, and nothing else of that player', async () => {
    const session = await fill('p-full');
    const another = await save(session, 2, [tooMuch(1, { label: 'one more' })]);
    expect([another.status, (another.body as ProblemDetails).code]).to.deep.equal([503, 'unsettled-full']);
    expect(another.headers.get('Retry-After')).to.equal('60');
    // An alike one needs no room, and what is applied needs none.
    const climb = { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] };
    expect((await save(session, 2, [climb, tooMuch(1, { label: 'no. 7' })])).status).to.equal(200);
    const calm = await world.joinPlainly('p-calm');
    expect((await save(calm, 1, [tooMuch(1)])).status).to.equal(200);
    const { unsettled } = await world.operator.unsettled({ player: 'p-full', count: 500 });
    expect(unsettled).to.have.length(100);
    await world.operator.drop(unsettled[0]!.id);
    expect((await save(session, 3, [tooMuch(1, { label: 'one more' })])).status).to.equal(200);
  });

  it('of one player take 256 KiB together, but the first save has room in any case', async () => {
    const session = await world.joinPlainly('p-large');
    const large = (bytes: number, label: string) => ({
      keep: true,
      label,
      changes: [{ op: 'put', key: 'progress/flight', value: { chapter: 99, charted: ['x'.repeat(bytes)] } }],
    });
    expect((await save(session, 1, [large(300_000, 'a')])).status).to.equal(200);
    expect((await save(session, 2, [large(10, 'b')])).body).to.have.property('code', 'unsettled-full');
    const larger = await world.joinPlainly('p-two-at-once');
    expect((await save(larger, 1, [large(200_000, 'a'), large(200_000, 'b')])).status).to.equal(200);
    const other = await world.joinPlainly('p-larger');
    expect((await save(other, 1, [large(200_000, 'a')])).status).to.equal(200);
    expect((await save(other, 2, [large(100_000, 'b')])).body).to.have.property('code', 'unsettled-full');
    expect((await save(other, 2, [large(10_000, 'b')])).status).to.equal(200);
  });

  it('that came too late are kept once, however often they come, also after they were settled', async () => {
    const session = await world.joinPlainly('p-late');
    await world.joinPlainly('p-late');
    const climb = { changes: [{ op: 'credit', key: 'currency/feather', amount: 30, reason: 'climb' }] };
    const late = async (number: number) => ((await save(session, number, [climb])).body as ProblemDetails).unsettled;
    const [id] = (await late(1)) ?? [];
    expect([await late(1), await late(2), await late(2)]).to.deep.equal([[id], [id], [id]]);
    expect((await world.operator.unsettled('p-late')).unsettled).to.have.nested.property('[0].count', 2);
    await world.operator.settle(id!);
    expect(await late(1)).to.deep.equal([id]);
    expect((await world.operator.unsettled('p-late')).total).to.equal(0);
    expect((await world.operator.player('p-late')).records['currency/feather']?.value).to.equal(100);
  });

  it('that came too late under one number with other contents are all kept, each once', async () => {
    const session = await world.joinPlainly('p-late');
    await world.joinPlainly('p-late');
    const late = async (label: string) => {
      const answer = await save(session, 1, [
        { label, changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] },
      ]);
      return [answer.status, (answer.body as ProblemDetails).unsettled] as const;
    };
    const first = await late('over the gorge');
    const other = await late('under the gorge');
    expect([first[0], other[0]]).to.deep.equal([409, 409]);
    expect(first[1]).to.not.deep.equal(other[1]);
    expect([await late('over the gorge'), await late('under the gorge')]).to.deep.equal([first, other]);
    expect((await world.operator.unsettled('p-late')).total).to.equal(2);
  });

  it('of a leave that came too late are kept once, also where they come again as a plain save', async () => {
    const session = await world.joinPlainly('p-late');
    await world.joinPlainly('p-late');
    const transactions = [{ label: 'landed', changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }];
    const left = await world.call('POST', `/v1/sessions/${session}/leave`, { number: 1, transactions });
    const saved = await save(session, 1, transactions);
    expect((left.body as ProblemDetails).unsettled).to.have.lengthOf(1);
    expect((saved.body as ProblemDetails).unsettled).to.deep.equal((left.body as ProblemDetails).unsettled);
    expect((await world.operator.unsettled('p-late')).unsettled).to.have.nested.property('[0].count', 1);
  });

  it('are found page by page, by player, host, reason and time, and counted by their sums', async () => {
    for (const index of [1, 2, 3]) {
      const session = await world.joinPlainly(`p-${index}`, `ridge-eu-${index % 2}`);
      clock.pass(60);
      await save(session, 1, [tooMuch(1), tooMuch(1, { label: 'gorge' })]);
    }
    const late = await world.joinPlainly('p-4', 'ridge-eu-0');
    await world.joinPlainly('p-4', 'ridge-eu-0');
    const since = new Date(clock.now()).toISOString();
    await save(late, 1, [{ changes: [{ op: 'submit', key: 'score/gorge-run', value: 61_000 }] }]);
    const playersBy = async (query: object) => {
      const { unsettled, total } = await world.operator.unsettled(query);
      expect(unsettled).to.have.length(total);
      return unsettled.map(({ player }) => player);
    };
    expect(await playersBy({ host: 'ridge-eu-1' })).to.deep.equal(['p-3', 'p-3', 'p-1', 'p-1']);
    expect(await playersBy({ reason: 'session-ended' })).to.deep.equal(['p-4']);
    expect(await playersBy({ host: 'ridge-eu-1', reason: 'session-ended' })).to.deep.equal([]);
    expect(await playersBy({ since })).to.have.members(['p-3', 'p-3', 'p-4']);
    expect(await playersBy({ until: since, reason: 'credit-limit' })).to.deep.equal(['p-2', 'p-2', 'p-1', 'p-1']);
    expect(await playersBy({ player: 'p-unknown' })).to.deep.equal([]);
    const those = async (query: object) =>
      (await world.operator.players({ hasUnsettled: 'true', ...query })).players.map(({ id }) => id);
    expect(await those({})).to.have.members(['p-1', 'p-2', 'p-3', 'p-4']);
    expect(await those({ search: 'p-4' })).to.deep.equal(['p-4']);
    expect(await those({ joinedSince: new Date(clock.now() + 1_000).toISOString() })).to.deep.equal([]);
    const pages: string[] = [];
    for (let after: string | null | undefined; after !== null;) {
      const page = await world.operator.unsettled({ count: 2, ...(after !== undefined && { after }) });
      pages.push(...page.unsettled.map(({ id }) => id));
      after = page.next;
    }
    expect([pages.length, new Set(pages).size]).to.deep.equal([7, 7]);
    const { total, sums, players } = await world.operator.unsettledSummary();
    expect(total).to.equal(7);
    expect(sums).to.deep.equal([
      { reason: 'credit-limit', host: 'ridge-eu-1', unlike: 4, transactions: 4 },
      { reason: 'credit-limit', host: 'ridge-eu-0', unlike: 2, transactions: 2 },
      { reason: 'session-ended', host: 'ridge-eu-0', unlike: 1, transactions: 1 },
    ]);
    expect(players.map(({ player, unlike }) => `${player} ${unlike}`))
      .to.include('p-1 2')
      .and.have.length(4);
  });

  it('are settled or dropped all at once, after a dry run; those that are refused stay', async () => {
    await fill('p-many');
    const late = await world.joinPlainly('p-late');
    await world.joinPlainly('p-late');
    await save(late, 1, [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 2 }] }]);
    const { operator } = world;
    const dry = await operator.dealWithUnsettled('settle', { all: true, dryRun: true });
    expect([dry.found, dry.transactions, dry.done, dry.examples.length]).to.deep.equal([101, 101, 0, 5]);
    expect((await operator.unsettled()).total).to.equal(101);
    // Each credit is one more than an hour takes.
    const settled = await operator.dealWithUnsettled('settle', { all: true });
    expect([settled.done, settled.refused.length, settled.refused[0]?.code]).to.deep.equal([1, 100, 'credit-limit']);
    expect((await operator.player('p-late')).records['progress/climbs']?.value).to.equal(2);
    const dropped = await operator.dealWithUnsettled('drop', { reason: 'credit-limit' });
    expect([dropped.done, dropped.refused]).to.deep.equal([100, []]);
    expect((await operator.unsettled()).total).to.equal(0);
  });

  it('are among the figures that a collector reads, for operators', async () => {
    await fill('p-figures');
    const read = await world.call('GET', '/metrics', undefined, { Authorization: `Bearer ${world.operatorToken}` });
    expect(read.headers.get('Content-Type')).to.contain('text/plain');
    const labels = 'environment="highfell-gliders/dev",reason="credit-limit"';
    expect(read.text)
      .to.contain(`vekkon_unsettled_transactions{${labels}} 100`)
      .and.contain('vekkon_unsettled_unlike_of_one_player{environment="highfell-gliders/dev"} 100')
      .and.contain('vekkon_store_writable 1')
      .and.match(/process_resident_memory_bytes \d+/);
    expect((await world.call('GET', '/metrics')).status).to.equal(403);
  });

  it('are not dealt with where nobody says which', async () => {
    const answer = await world.call(
      'POST',
      '/v1/unsettled/drop',
      {},
      { Authorization: `Bearer ${world.operatorToken}` },
    );
    expect([answer.status, (answer.body as ProblemDetails).detail]).to.deep.equal([
      400,
      'In the body: must name which are meant: player, host, reason, since, until, or all.',
    ]);
  });

  it('of an erased player are gone, and not counted', async () => {
    await fill('p-erased');
    await world.operator.erase('p-erased');
    expect(await world.operator.unsettledSummary()).to.deep.equal({ total: 0, transactions: 0, sums: [], players: [] });
  });
});

describe('the limit of credits', () => {
  it('is of the last hour to the millisecond, and counts by minutes in between', async () => {
    const clock = new TestClock();
    clock.wall += 30_500;
    const world = await World.start({ clock });
    const session = await world.joinPlainly('p-1');
    let number = 0;
    const credited = async (amount: number) => {
      const changes = [{ op: 'credit', key: 'currency/feather', amount, reason: 'climb' }];
      const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, {
        number: ++number,
        transactions: [{ changes }],
      });
      return (body as SaveResponse).transactions[0]!.applied;
    };
    expect(await credited(2_000)).to.equal(true);
    clock.pass(10);
    expect(await credited(1_000)).to.equal(true);
    clock.pass(600);
    expect([await credited(2_001), await credited(2_000), await credited(1)]).to.deep.equal([false, true, false]);
    // Up to the last millisecond of the hour after the first.
    clock.pass(3_600 - 610 - 0.001);
    expect(await credited(1)).to.equal(false);
    clock.pass(0.001);
    expect([await credited(2_001), await credited(2_000), await credited(1)]).to.deep.equal([false, true, false]);
    clock.pass(10);
    expect([await credited(1_001), await credited(1_000)]).to.deep.equal([false, true]);
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    await world.close();
  });
});
