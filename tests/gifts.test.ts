import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client/operator';
import type { Gift, GiftRequest, PlayerDetails, ProblemDetails } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { failure } from './world/failure.js';
import { vekkon } from './world/process.js';
import { until } from './world/until.js';
import { TestClock, World } from './world/world.js';

const festival: Pick<GiftRequest, 'changes' | 'label'> = {
  label: 'ridge festival',
  changes: [
    { op: 'credit', key: 'currency/feather', amount: 100, reason: 'ridge festival' },
    { op: 'gain', key: 'inventory/pack', item: 'flare', count: 2 },
  ],
};

/** Waits until a gift is given, or taken back. */
async function ended(operator: VekkonOperator, number: number): Promise<Gift> {
  let gift = await operator.gifts.one(number);
  await until(async () => {
    gift = await operator.gifts.one(number);
    return gift.state !== 'giving' && gift.state !== 'taking-back';
  });
  return gift;
}

const balance = ({ records }: PlayerDetails) => records['currency/feather']?.value;
const flares = ({ records }: PlayerDetails) =>
  (records['inventory/pack']?.value as { stacks: { flare?: number } } | undefined)?.stacks.flare;

describe('a gift', () => {
  let world: World;
  let clock: TestClock;
  before(async () => {
    clock = new TestClock();
    world = await World.start({ clock });
  });
  after(() => world.close());

  /** Players of their own for each test, by the start of their ids. */
  const players = async (start: string, count: number) => {
    const ids = Array.from({ length: count }, (_, index) => `${start}-${index}`);
    for (const id of ids) await (await world.host().join(id)).leave();
    return ids;
  };

  it('is looked at before: whom it would change and how, and for whom it would not apply', async () => {
    const ids = await players('p-look', 3);
    await world.operator.change(ids[2]!, 'rich', [
      { changes: [{ op: 'credit', key: 'currency/feather', amount: 4_900, reason: 'prize' }] },
    ]);
    const foreseen = await world.operator.gifts.foresee({
      changes: [{ op: 'credit', key: 'currency/feather', amount: 200, reason: 'ridge festival' }],
      audience: { players: [...ids, 'p-none'] },
    });
    expect(foreseen).to.deep.include({ looked: 4, changed: 2, same: 0, refusals: 2 });
    expect(foreseen.examples).to.deep.equal([
      { player: 'p-look-0', name: null, words: 'currency/feather 40 → 240' },
      { player: 'p-look-1', name: null, words: 'currency/feather 40 → 240' },
    ]);
    expect(foreseen.refused.map(({ player, code }) => [player, code])).to.deep.equal([
      ['p-look-2', 'credit-limit'],
      ['p-none', 'player-unknown'],
    ]);
    expect(balance(await world.operator.player(ids[0]!))).to.equal(40);
    expect((await world.operator.gifts.list()).gifts).to.deep.equal([]);
  });

  it('reaches everybody once, tells the host of who is in a session, and is taken back from all', async () => {
    const away = await players('p-all', 60);
    const session = await world.host('ridge-eu-7').join('p-here');
    const heard = new Promise((resolve) => session.watch('currency/feather', (value, from) => resolve([value, from])));
    const { number } = await world.operator.gifts.give({ ...festival, audience: { everybody: true } });
    const gift = await ended(world.operator, number);
    expect([gift.state, gift.refused]).to.deep.equal(['given', 0]);
    expect(gift.given).to.equal(gift.asked);
    expect(await heard).to.deep.equal([140, 'outside']);
    for (const id of [...away, 'p-here']) {
      const player = await world.operator.player(id);
      expect([balance(player), flares(player)]).to.deep.equal([140, 2]);
    }
    const { lines } = await world.operator.ledger('p-all-7', { count: 1 });
    expect(lines[0]).to.include({
      amount: 100,
      reason: 'ridge festival',
      label: 'ridge festival',
      by: World.admin.email,
    });
    // One of them has spent too much by now.
    await world.operator.change('p-all-3', 'spent', [
      { changes: [{ op: 'debit', key: 'currency/feather', amount: 60, reason: 'silk' }] },
    ]);
    await world.operator.gifts.takeBack(number);
    const back = await ended(world.operator, number);
    expect(back).to.include({ state: 'taken-back', takenBack: gift.given - 1, kept: 1 });
    expect((await world.operator.gifts.players(number, { state: 'kept' })).players).to.have.nested.property(
      '[0].player',
      'p-all-3',
    );
    const one = await world.operator.player('p-all-7');
    expect([balance(one), flares(one)]).to.deep.equal([40, undefined]);
    // What is whole stays whole: the flares of who keeps the feathers are kept too.
    const keeper = await world.operator.player('p-all-3');
    expect([balance(keeper), flares(keeper)]).to.deep.equal([80, 2]);
    await session.leave();
  });

  it('reaches those who are found or named, each once, and nobody who comes later', async () => {
    const ids = await players('p-found', 4);
    await players('p-other', 1);
    const found = await world.operator.gifts.give({ ...festival, audience: { found: { search: 'p-found' } } });
    expect(await ended(world.operator, found.number)).to.include({
      asked: 4,
      given: 4,
      audience: 'those found: "p-found" in name or id',
    });
    const named = await world.operator.gifts.give({
      ...festival,
      audience: { players: [ids[0]!, ids[0]!, 'p-nobody'] },
    });
    expect(await ended(world.operator, named.number)).to.include({ asked: 2, given: 1, refused: 1 });
    const { players: refused } = await world.operator.gifts.players(named.number);
    expect(refused.map(({ player, code }) => [player, code])).to.deep.equal([['p-nobody', 'player-unknown']]);
    expect(
      await Promise.all([ids[0]!, ids[1]!, 'p-other-0'].map(async (id) => balance(await world.operator.player(id)))),
    ).to.deep.equal([240, 140, 40]);
  });

  it('of whole values leaves a copy of what was there, and whoever is in a session alone', async () => {
    const [id] = await players('p-whole', 1);
    await world.host().join('p-whole-in');
    const changes = [{ op: 'put' as const, key: 'progress/climbs', value: 7 }];
    const { number } = await world.operator.gifts.give({
      label: 'mended',
      changes,
      audience: { found: { search: 'p-whole' } },
    });
    expect(await ended(world.operator, number)).to.include({ given: 1, refused: 1 });
    const { checkpoints } = await world.operator.checkpoints(id!);
    expect(checkpoints[0]).to.include({ name: `before gift ${number}`, summary: 'mended' });
    expect((await world.operator.gifts.players(number)).players).to.have.nested.property(
      '[0].code',
      'player-in-session',
    );
    await world.operator.gifts.takeBack(number);
    await ended(world.operator, number);
    expect((await world.operator.player(id!)).records['progress/climbs']?.value).to.equal(0);
  });

  it('gives many what they had at a moment, but for their scores', async () => {
    const ids = await players('p-moment', 3);
    const asOf = new Date(clock.now()).toISOString();
    clock.pass(60);
    for (const id of ids) {
      await world.operator.change(id, `bug-${id}`, [
        {
          changes: [
            { op: 'debit', key: 'currency/feather', amount: 40, reason: 'a bug' },
            { op: 'submit', key: 'score/gorge-run', value: 71_000 },
          ],
        },
      ]);
    }
    const { number } = await world.operator.gifts.give({
      label: 'before the bug',
      asOf,
      audience: { found: { search: 'p-moment' } },
    });
    expect(await ended(world.operator, number)).to.include({ given: 3, refused: 0, asOf });
    const { records } = await world.operator.player(ids[1]!);
    expect(records['currency/feather']?.value).to.equal(40);
    expect(records['score/gorge-run']?.value).to.include({ best: 71_000 });
  });

  it('can be taken back for a day, and not what is one player’s own', async () => {
    await players('p-day', 1);
    const { number } = await world.operator.gifts.give({ ...festival, audience: { found: { search: 'p-day' } } });
    await ended(world.operator, number);
    clock.pass(25 * 60 * 60);
    expect(await failure(world.operator.gifts.takeBack(number))).to.have.property('code', 'gift-too-old');
    const submitted = await world.call(
      'POST',
      '/v1/gifts',
      { label: 'x', changes: [{ op: 'submit', key: 'score/gorge-run', value: 1 }], audience: { everybody: true } },
      { Authorization: `Bearer ${world.operatorToken}` },
    );
    expect((submitted.body as ProblemDetails).code).to.equal('op-not-for-kind');
    expect((await world.call('GET', '/v1/gifts')).status).to.equal(403);
  });

  it('is forgotten of a player who is erased', async () => {
    await players('p-erased', 2);
    const { number } = await world.operator.gifts.give({ ...festival, audience: { found: { search: 'p-erased' } } });
    await ended(world.operator, number);
    await world.operator.erase('p-erased-0');
    const { players: left } = await world.operator.gifts.players(number, { state: 'given' });
    expect(left.map(({ player }) => player)).to.deep.equal(['p-erased-1']);
  });
});

describe('a service that is killed while it gives', () => {
  const killing = path.join(import.meta.dirname, 'world/kill-at.mjs');

  for (const point of ['before the commit', 'after the commit', 'before the outcome leaves the thread']) {
    it(`${point} goes on when it starts, and each has it once`, async () => {
      const world = await World.start();
      const ids = Array.from({ length: 120 }, (_, index) => `p-${index}`);
      for (const id of ids) await world.call('PUT', `/v1/players/${id}/records/progress/climbs`, 1);
      await world.stop();
      const when = path.join(mkdtempSync(path.join(tmpdir(), 'vekkon-kill-')), 'now');
      const serve = async (environment: { readonly [name: string]: string }) => {
        const service = vekkon(['serve', '--data', world.folder, '--port', '0', '--log', 'json'], environment);
        const [, url] = await service.says(/"url":"([^"]+)"/);
        return { service, operator: new VekkonOperator({ url: url!, token: world.operatorToken }) };
      };
      const first = await serve({ NODE_OPTIONS: `--import ${killing}`, VEKKON_KILL_AT: point, VEKKON_KILL_WHEN: when });
      const { number } = await first.operator.gifts.give({ ...festival, audience: { everybody: true } });
      writeFileSync(when, '');
      // Whoever was too late to meet a step of it meets this.
      await first.operator
        .change('p-0', 'one more', [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }])
        .catch(() => undefined);
      await first.service.ended;
      expect(first.service.child.signalCode).to.equal('SIGKILL');
      const second = await serve({});
      expect(await ended(second.operator, number)).to.include({ state: 'given', given: 120, refused: 0 });
      for (const id of ids) expect([id, balance(await second.operator.player(id))]).to.deep.equal([id, 140]);
      await second.service.stop();
      expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
      await world.forget();
      rmSync(path.dirname(when), { recursive: true });
    });
  }
});
