import { expect } from 'chai';
import type { ServiceRefused, VekkonOperator } from '@vekkon/client';
import type { JoinResponse, SaveResponse } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { failure } from './world/failure.js';
import { TestClock, World } from './world/world.js';

const player = 'p-10442';

describe("what a player's records held before", () => {
  const clock = new TestClock();
  let world: World;
  let operator: VekkonOperator;
  before(async () => {
    world = await World.start({ clock });
    operator = world.operator;
    const session = await world.host().join(player, { name: 'Maren' });
    for (const chapter of [2, 3, 4]) {
      clock.pass(60);
      session.put('flight', { chapter, charted: chapter > 2 ? ['gull-ridge'] : [], metres: 0 });
      session.credit('feather', 10, `climb ${chapter}`);
      await session.save();
    }
    await session.leave();
  });
  after(() => world.close());

  const refusedAs = async (call: Promise<unknown>) => ((await failure(call)) as ServiceRefused).problem.code;
  const stored = async (key: string) => (await operator.player(player)).records[key]!;

  it('is listed, the newest first, with who changed what, in words', async () => {
    const { revisions, next } = await operator.history.page(player, { key: 'progress/flight' });
    expect(revisions.map(({ revision, by, words }) => [revision, by, words])).to.deep.equal([
      [4, 'ridge-eu-1', ['chapter: 3 → 4']],
      [3, 'ridge-eu-1', ['chapter: 2 → 3', 'charted: + "gull-ridge"']],
      [2, 'ridge-eu-1', ['chapter: 1 → 2']],
      [1, 'ridge-eu-1', ['nothing → {"chapter":1,"charted":[],"metres":0}']],
    ]);
    expect(next).to.equal(null);
    expect(await refusedAs(operator.history.page(player, { key: 'progress/fligth' }))).to.equal('key-not-declared');
  });

  it('is listed page by page, what one commit wrote together, each once', async () => {
    const whole = await operator.history.page(player, { count: 200 });
    const paged: string[] = [];
    for (let before: number | null | undefined; before !== null;) {
      const page = await operator.history.page(player, { count: 1, ...(before !== undefined && { before }) });
      expect(new Set(page.revisions.map(({ seen }) => seen))).to.have.lengthOf(1);
      paged.push(...page.revisions.map(({ key, revision }) => `${key} ${revision}`));
      before = page.next;
    }
    expect(paged).to.deep.equal(whole.revisions.map(({ key, revision }) => `${key} ${revision}`));
    expect(paged.slice(0, 2)).to.deep.equal(['currency/feather 4', 'progress/flight 4']);
  });

  it('is read one revision at a time', async () => {
    const { value, removed, by } = await operator.history.revision(player, 'progress/flight', 3);
    expect([value, removed, by]).to.deep.equal([
      { chapter: 3, charted: ['gull-ridge'], metres: 0 },
      false,
      'ridge-eu-1',
    ]);
    expect(await refusedAs(operator.history.revision(player, 'progress/flight', 99))).to.equal('revision-unknown');
  });

  it('comes back as a new revision, only over the one that was read, and what stood there is in the trash', async () => {
    const restore = (key: string, revision: number, ifRevision: number) =>
      operator.history.restore(player, { key, revision, ifRevision });
    expect(await refusedAs(restore('progress/flight', 3, 3))).to.equal('revision-mismatch');
    expect(await restore('progress/flight', 3, 4)).to.deep.equal({ key: 'progress/flight', revision: 5 });
    expect((await stored('progress/flight')).value).to.have.property('chapter', 3);
    const [trashed] = (await operator.trash(player)).trash;
    expect([trashed?.value, trashed?.why]).to.deep.equal([
      { chapter: 4, charted: ['gull-ridge'], metres: 0 },
      'restore',
    ]);
    await restore('currency/feather', 2, 4);
    const [line] = (await operator.ledger(player)).lines;
    expect([line?.amount, line?.balance, line?.reason]).to.deep.equal([-20, 50, 'revision 2 again']);
    const { activity } = await operator.activity();
    expect(activity[0]).to.include({ what: 'restored', by: World.admin.email, detail: 'currency/feather, revision 2' });
  });

  it('is what a player had at a moment, and comes back as a whole unless they were changed since', async () => {
    const at = new Date(clock.wall - 30_000).toISOString();
    const { seen, records, differences } = await operator.history.asOf(player, at);
    expect(records['progress/flight']!.value).to.have.property('chapter', 3);
    expect(records['currency/feather']!.value).to.equal(60);
    expect(differences).to.deep.equal([{ key: 'currency/feather', words: ['50 → 60'] }]);
    const ifSeen = seen - 1;
    expect(await refusedAs(operator.history.restoreAsOf(player, { at, ifSeen }))).to.equal('player-changed');
    expect(await operator.history.restoreAsOf(player, { at, ifSeen: seen, keys: ['progress/climbs'] })).to.deep.equal({
      restored: [],
    });
    expect(await operator.history.restoreAsOf(player, { at, ifSeen: seen })).to.deep.equal({
      restored: ['currency/feather'],
    });
    expect((await stored('currency/feather')).value).to.equal(60);
    expect((await operator.history.asOf(player, at)).differences).to.deep.equal([]);
  });

  it('reaches a running session at once when it comes back', async () => {
    const session = await world.host('ridge-eu-2').join(player);
    const told = new Promise((resolve) => session.watch('progress/flight', (value, from) => resolve([value, from])));
    const { revision } = await stored('progress/flight');
    await operator.history.restore(player, { key: 'progress/flight', revision: 1, ifRevision: revision });
    expect(await told).to.deep.equal([{ chapter: 1, charted: [], metres: 0 }, 'outside']);
    await session.leave();
  });

  it('is exported as one document with everything else that is kept, in a stable order', async () => {
    const { exportedAt, activity: acts, ...whole } = await operator.history.export(player);
    expect([whole.format, whole.environment, whole.player.id]).to.deep.equal([
      'vekkon-player',
      'highfell-gliders/dev',
      player,
    ]);
    const { revisions } = await operator.history.page(player, { count: 200 });
    expect(whole.history).to.have.lengthOf(revisions.length);
    expect(whole.history.filter(({ key }) => key === 'progress/flight').map(({ revision }) => revision)).to.deep.equal(
      revisions
        .filter(({ key }) => key === 'progress/flight')
        .map(({ revision }) => revision)
        .toReversed(),
    );
    const held = new Map(whole.records.map(({ key, value }) => [key, value]));
    expect(held.get('progress/flight')).to.deep.equal((await stored('progress/flight')).value);
    expect(whole.ledger.map(({ reason }) => reason)).to.include.members(['climb 2', 'revision 2 again']);
    expect(whole.sessions.map(({ host }) => host)).to.deep.equal(['ridge-eu-1', 'ridge-eu-2']);
    expect(whole.trash).to.have.length.greaterThan(0);
    expect(acts.at(-1)).to.include({ what: 'exported', by: World.admin.email });
    expect(exportedAt).to.equal(new Date(clock.wall).toISOString());
    const { exportedAt: _, activity, ...again } = await operator.history.export(player);
    expect(again).to.deep.equal(whole);
    expect(activity).to.have.lengthOf(acts.length + 1);
  });

  it('is exported page by page, however much it is', async () => {
    const session = await world.host('ridge-eu-9').join('p-10444');
    for (let climb = 0; climb < 450; climb++) {
      session.increase('climbs', 1);
      session.credit('feather', 1, `climb ${climb}`);
      if (climb % 3 === 0) await session.save();
    }
    await session.leave();
    const { ledger, history } = await operator.history.export('p-10444');
    expect(ledger.filter(({ op }) => op === 'credit')).to.have.lengthOf(450);
    expect(new Set(ledger.map(({ reason }) => reason))).to.have.lengthOf(451);
    const climbs = history.filter(({ key }) => key === 'progress/climbs').map(({ revision }) => Number(revision));
    expect(climbs).to.deep.equal([...new Set(climbs)].toSorted((one, other) => one - other));
  });

  it('is not for whoever may only look to bring back', async () => {
    const viewer = await world.signInAs('ada@highfell.example', 'viewer');
    expect((await viewer.history.page(player)).revisions).to.have.length.greaterThan(3);
    const restoring = viewer.history.restore(player, { key: 'progress/flight', revision: 2, ifRevision: 6 });
    expect(await refusedAs(restoring)).to.equal('role-too-low');
  });
});

describe('what one save writes over itself', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('was never on disk: the history tells from where it went to where, and what has its own word stays', async () => {
    const { operator } = world;
    const { body } = await world.call('POST', '/v1/players/p-busy/join', { host: 'ridge-eu-1' });
    const { session, seen } = body as JoinResponse;
    const climb = { op: 'increase', key: 'progress/climbs', path: '', by: 1 };
    const earn = (reason: string) => ({ op: 'credit', key: 'currency/feather', amount: 5, reason });
    const submit = (value: number) => ({ changes: [{ op: 'submit', key: 'score/gorge-run', value }] });
    const saved = await world.call('POST', `/v1/sessions/${session.id}/saves`, {
      number: 1,
      seen,
      transactions: [
        ...Array.from({ length: 30 }, () => ({ changes: [climb] })),
        { label: 'a storm', changes: [climb, earn('storm')] },
        { changes: [climb, earn('one')] },
        { changes: [climb, earn('two')] },
        { changes: [{ op: 'reset', key: 'currency/feather' }] },
        submit(62_000),
        submit(61_000),
        { changes: [{ op: 'put', key: 'progress/glider/heron', value: { span: 12, cloth: 'paper', wear: 0 } }] },
        { changes: [{ op: 'remove', key: 'progress/glider/heron' }] },
        { changes: [{ op: 'put', key: 'progress/glider/heron', value: { span: 14, cloth: 'paper', wear: 0 } }] },
      ],
    });
    const { records, transactions } = saved.body as SaveResponse;
    expect(transactions.every(({ applied }) => applied)).to.equal(true);
    expect(records['progress/climbs']).to.deep.equal({ revision: 34, value: 33 });

    const told = async (key: string) =>
      (await operator.history.page('p-busy', { key })).revisions
        .filter((one) => one.seen > seen)
        .map(({ revision, label, words, removed }) => [revision, label, removed ? 'removed' : words?.join()]);
    expect(await told('progress/climbs')).to.deep.equal([
      [34, null, '31 → 33'],
      [32, 'a storm', '30 → 31'],
      [31, null, '0 → 30'],
    ]);
    expect(await told('currency/feather')).to.deep.equal([
      [5, null, '55 → 40'],
      // It went to the trash, and is named there by its revision.
      [4, null, '45 → 55'],
      [2, 'a storm', '40 → 45'],
    ]);
    const { lines } = await operator.ledger('p-busy');
    expect(lines.map(({ reason }) => reason).slice(1, 4)).to.deep.equal(['two', 'one', 'storm']);
    expect((await told('score/gorge-run')).map(([revision]) => revision)).to.deep.equal([2, 1]);
    expect((await told('progress/glider/heron')).map(([revision, , words]) => [revision, words])).to.deep.equal([
      [3, 'nothing → {"span":14,"cloth":"paper","wear":0}'],
      [2, 'removed'],
      [1, 'nothing → {"span":12,"cloth":"paper","wear":0}'],
    ]);
    await world.call('POST', `/v1/sessions/${session.id}/leave`);
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
  });
});

describe('a player who is mended by hand', () => {
  let world: World;
  before(async () => {
    world = await World.start();
    await (await world.host().join(player)).leave();
  });
  after(() => world.close());

  const put = (value: unknown, ifRevision?: number) => ({
    changes: [
      {
        op: 'put' as const,
        key: 'progress/climbs',
        value: value as number,
        ...(ifRevision !== undefined && { ifRevision }),
      },
    ],
  });

  it('is changed through the same rules, under the revision that was read, once for a token', async () => {
    const { operator } = world;
    const blind = (await failure(operator.change(player, 'mend-0', [put(7)]))) as ServiceRefused;
    expect(blind.problem.code).to.equal('precondition-needed');
    const credit = { op: 'credit' as const, key: 'currency/feather', amount: 30, reason: 'lost in a storm' };
    const both = [{ label: 'a storm', changes: [...put(7, 1).changes, credit] }];
    const { transactions, records } = await operator.change(player, 'mend-1', both);
    expect([transactions, records['progress/climbs']?.value]).to.deep.equal([[{ applied: true }], 7]);
    await operator.change(player, 'mend-1', both);
    expect((await operator.player(player)).records['currency/feather']?.value).to.equal(70);
    const [late] = (await operator.change(player, 'mend-2', [put(8, 1)])).transactions;
    expect(late).to.have.nested.property('problem.code', 'revision-mismatch');
    const { activity } = await operator.activity();
    expect(
      activity.filter(({ what }) => what === 'changed').map(({ by, player: who, detail }) => [by, who, detail]),
    ).to.deep.equal([[World.admin.email, player, 'currency/feather 40 → 70; progress/climbs 0 → 7']]);
  });

  it('is told from one whose next join found exactly what was left', async () => {
    const { operator } = world;
    const stay = async () => (await world.host('ridge-eu-7').join('p-10443')).leave();
    await stay();
    await stay();
    await operator.change('p-10443', 'mend-4', [
      { changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'a gift' }] },
    ]);
    await stay();
    const { sessions } = await operator.sessionsOf('p-10443');
    expect(sessions.map(({ changedAfter }) => changedAfter)).to.deep.equal([null, 1, 0]);
  });

  it('must be known', async () => {
    const refused = (await failure(world.operator.change('p-nobody', 'mend-3', [put(7, 0)]))) as ServiceRefused;
    expect(refused.problem.code).to.equal('player-unknown');
  });
});
