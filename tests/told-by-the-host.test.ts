import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import {
  ChangeRefused,
  HostClosing,
  SessionLeaving,
  type Delivery,
  type HostSession,
  type RefusedTransaction,
  type VekkonHostOptions,
} from '@vekkon/client';
import type { Transaction } from '@vekkon/core';
import { failure } from './world/failure.js';
import { FaultProxy } from './world/fault-proxy.js';
import { vekkon } from './world/process.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

/** What no service takes, let past the client's own check as a bug in it would. */
const malformed: Transaction = { changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: '' }] };

const wideManifest = `manifest: 1
game: highfell-gliders
progress:
  climbs: 0
  chart: { schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
  map: { family: { atMost: 30 }, schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
`;

describe('what a host has told the game', () => {
  let world: World;
  let proxy: FaultProxy;
  let folder: string;
  beforeEach(async () => {
    world = await World.start();
    proxy = await FaultProxy.start(world.url);
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-told-'));
  });
  afterEach(async () => {
    await proxy.close();
    await world.close();
    rmSync(folder, { recursive: true });
  });

  const host = (options: Partial<VekkonHostOptions> = {}) => world.host('ridge-eu-1', { url: proxy.url, ...options });
  const stored = async (player: string, key = 'progress/climbs') =>
    (await world.operator.player(player)).records[key]?.value;
  const cutOff = () => (proxy.fate = () => 'drop-request');
  const reachable = () => (proxy.fate = () => 'pass');

  /** Saves that queued while the service was out, applied in bulk, and their answer lost. */
  async function loseBulkAnswer(one = host({ deadline: 60, spool: folder })) {
    const [session, other] = await Promise.all([one.join('p-1'), one.join('p-2')]);
    void session.increase('climbs', 1);
    await session.save();
    cutOff();
    for (let index = 0; index < 4; index++) {
      session.transaction(`climb ${index}`, (draft) => draft.increase('climbs', 1));
      await failure(session.save());
    }
    void other.increase('climbs', 1);
    let isApplied = false;
    proxy.fate = (request) => {
      if (request.url !== '/v1/saves' || isApplied) return 'drop-request';
      isApplied = true;
      return 'drop-response';
    };
    while (!isApplied) await Promise.all([failure(session.save()), failure(other.save())]);
    return { one, session };
  }

  it('is saved after a bulk whose answer was lost, in this start', async () => {
    const { one, session } = await loseBulkAnswer();
    expect(await stored('p-1')).to.equal(5);
    reachable();
    void session.increase('climbs', 10);
    expect((await session.save()).refused).to.deep.equal([]);
    expect([await stored('p-1'), session.pending]).to.deep.equal([15, 0]);
    expect(await one.close()).to.deep.equal({ left: ['p-1', 'p-2'], spooled: [], lost: [] });
  });

  it('is saved after a bulk whose answer was lost, by the next start', async () => {
    const { one, session } = await loseBulkAnswer();
    void session.increase('climbs', 10);
    expect((await one.close({ within: 100 })).spooled).to.have.members(['p-1', 'p-2']);
    reachable();
    const next = host({ spool: folder });
    const deliveries: Delivery[] = [];
    next.onDelivery((delivery) => deliveries.push(delivery));
    expect((await next.join('p-1')).value('climbs')).to.equal(15);
    expect(deliveries.map(({ refused, unsettled, waiting }) => [refused, unsettled, waiting])).to.deep.equal([
      [[], [], []],
    ]);
    await next.close();
  });

  it('stays in the spool over a start during the outage, and closing lists it', async () => {
    const one = host({ spool: folder, deadline: 50 });
    const session = await one.join('p-1');
    cutOff();
    for (let index = 0; index < 7; index++) session.transaction('climb', (draft) => draft.increase('climbs', 1));
    expect((await one.close({ within: 100 })).spooled).to.deep.equal(['p-1']);
    for (let start = 0; start < 2; start++) {
      const during = host({ spool: folder, deadline: 50 });
      await failure(during.join('p-1'));
      expect(await during.close({ within: 100 })).to.deep.equal({ left: [], spooled: ['p-1'], lost: [] });
    }
    reachable();
    const next = host({ spool: folder });
    expect((await next.join('p-1')).value('climbs')).to.equal(7);
    await next.close();
  });

  it('is not held up by what another player left in the spool and the service refuses for now', async () => {
    const one = host({ spool: folder, deadline: 50 });
    void (await one.join('p-1')).increase('climbs', 1);
    cutOff();
    await one.close({ within: 50 });
    // Between the two a proxy answers that one save is to wait.
    proxy.fate = (request) => (request.url === '/v1/saves' ? { answer: waiting } : 'pass');
    const next = host({ spool: folder });
    const deliveries: Delivery[] = [];
    next.onDelivery((delivery) => deliveries.push(delivery));
    expect((await next.join('p-2')).value('climbs')).to.equal(0);
    expect(deliveries[0]?.waiting).to.deep.equal([{ player: 'p-1', reason: 'Somebody must settle some first.' }]);
    expect((await next.close({ within: 200 })).spooled).to.deep.equal(['p-1']);
    reachable();
    // A newer start has joined since, so that a person decides: it waits for them.
    const last = host({ spool: folder });
    last.onDelivery((delivery) => deliveries.push(delivery));
    await last.join('p-2');
    expect(deliveries.at(-1)?.unsettled).to.have.length(1);
    expect((await world.operator.unsettled('p-1')).total).to.equal(1);
    expect(await last.close()).to.deep.equal({ left: ['p-2'], spooled: [], lost: [] });
  });
  const waiting = {
    now: '2026-11-23T12:00:00Z',
    results: [{ status: 503, code: 'unsettled-full', detail: 'Somebody must settle some first.', retryAfter: 60 }],
  };

  it('holds a game loop that goes on while it closes: all that was accepted is saved', async () => {
    const one = host({ spool: folder, journal: true });
    const sessions = await Promise.all(Array.from({ length: 20 }, (_, index) => one.join(`p-${index}`)));
    const accepted = new Map<string, number>();
    const refusals: unknown[] = [];
    let isPlaying = true;
    const loop = (session: HostSession) =>
      (async () => {
        while (isPlaying) {
          try {
            await session.increase('climbs', 1);
            accepted.set(session.player.id, (accepted.get(session.player.id) ?? 0) + 1);
          } catch (error) {
            refusals.push(error);
            return;
          }
          await new Promise((resolve) => setImmediate(resolve));
        }
      })();
    const loops = sessions.map(loop);
    await until(() => accepted.size === sessions.length);
    for (const session of sessions) session.save().catch(() => undefined);
    const closed = await one.close();
    isPlaying = false;
    await Promise.all(loops);
    expect(closed.left).to.have.length(20);
    expect(refusals).to.have.length(20);
    for (const refusal of refusals) expect(String(refusal)).to.match(/SessionLeaving|SessionOver/);
    for (const [player, count] of accepted) expect(await stored(player), player).to.equal(count);
  });

  it('is that a session leaves: changes go along until the last save has its number, and are refused from then on', async () => {
    const one = host();
    const session = await one.join('p-1');
    void session.increase('climbs', 1);
    let release = () => undefined as void;
    proxy.fate = (request) =>
      /saves/.test(request.url ?? '') ? { until: new Promise<void>((resolve) => (release = resolve)) } : 'pass';
    const saving = session.save();
    const leaving = session.leave();
    void session.increase('climbs', 2);
    expect(session.isLeaving).to.equal(true);
    await until(() => proxy.held > 0);
    reachable();
    release();
    await saving;
    await leaving;
    expect(await failure(Promise.resolve().then(() => session.increase('climbs', 4)))).to.be.instanceOf(Error);
    expect(await stored('p-1')).to.equal(3);
  });

  it('is refused with an error that says so, once the leave is on its way', async () => {
    const one = host({ deadline: 50 });
    const session = await one.join('p-1');
    cutOff();
    const leaving = failure(session.leave());
    await until(() => session.unanswered.length === 1);
    expect(await failure(Promise.resolve().then(() => session.increase('climbs', 1)))).to.be.instanceOf(SessionLeaving);
    expect(() => session.transaction('late', (draft) => draft.increase('climbs', 1))).to.throw(SessionLeaving);
    await leaving;
    reachable();
    await session.leave();
    expect(await stored('p-1')).to.equal(0);
  });

  it('is that it closes: nobody is joined any more, and one who was on the way leaves again', async () => {
    const one = host();
    await one.join('p-1');
    let release = () => undefined as void;
    proxy.fate = (request) =>
      /p-late\/join/.test(request.url ?? '') ? { until: new Promise<void>((resolve) => (release = resolve)) } : 'pass';
    const late = failure(one.join('p-late'));
    await until(() => proxy.held > 0);
    const closing = one.close();
    expect(one.isClosing).to.equal(true);
    expect(await failure(one.join('p-2'))).to.be.instanceOf(HostClosing);
    await closing;
    release();
    expect(await late).to.be.instanceOf(HostClosing);
    expect((await world.operator.sessionsOf('p-late')).sessions[0]?.end).to.equal('left');
  });

  describe('is checked before it is accepted', () => {
    const wrong: readonly (readonly [what: string, act: (session: HostSession) => unknown, code: string])[] = [
      ['no reason', (session) => session.credit('feather', 1, undefined as never), 'request-invalid'],
      ['an empty reason', (session) => session.credit('feather', 1, ''), 'request-invalid'],
      ['a reason that is too long', (session) => session.credit('feather', 1, 'r'.repeat(201)), 'request-invalid'],
      ['a reason with NUL', (session) => session.credit('feather', 1, 'a\0b'), 'text-invalid'],
      ['NaN', (session) => session.increase('climbs', NaN), 'request-invalid'],
      ['an amount of a half', (session) => session.credit('feather', 0.5, 'x'), 'request-invalid'],
      ['NaN in a value', (session) => session.merge('flight', { metres: NaN }), 'number-out-of-range'],
      ['a Map', (session) => session.merge('flight', new Map() as never), 'request-invalid'],
      ['a function', (session) => session.merge('flight', { metres: (() => 1) as never }), 'request-invalid'],
      ['half a surrogate pair', (session) => session.collect('flight', '\ud800', '/charted'), 'text-invalid'],
      ['an op that is not known', (session) => session.make({ op: 'double' } as never), 'request-invalid'],
      [
        'a member that is not known',
        (session) => session.make({ op: 'start-over', now: 1 } as never),
        'request-invalid',
      ],
      ['an item of no length', (session) => session.gain('pack', '' as never), 'request-invalid'],
      [
        'a note that is too long',
        (session) => session.submit('gorge-run', 61_000, { note: 'n'.repeat(1_001) }),
        'request-invalid',
      ],
    ];
    for (const [what, act, code] of wrong) {
      it(`against ${what}`, async () => {
        const session = await host().join('p-1');
        const refused = await failure((async () => act(session))());
        expect(refused).to.be.instanceOf(ChangeRefused);
        expect((refused as ChangeRefused).code).to.equal(code);
        expect(session.pending).to.equal(0);
      });
    }

    it('against labels and tokens that are too long, too many changes, and too many bytes', async () => {
      const session = await host().join('p-1');
      const code = (label: string, count: number, once?: string, note = 'x') => {
        const outcome = session.transaction(
          label,
          (draft) => {
            for (let index = 0; index < count; index++) draft.collect('flight', `${index} ${note}`, '/charted');
          },
          once,
        );
        return outcome.applied ? 'applied' : outcome.problem.code;
      };
      expect(code('l'.repeat(201), 1)).to.equal('request-invalid');
      expect(code('', 1)).to.equal('request-invalid');
      expect(code('label', 1, 'o'.repeat(201))).to.equal('request-invalid');
      expect(code('label', 1_001)).to.equal('too-many-changes');
      expect(code('label', 100, undefined, 'n'.repeat(11_000))).to.equal('body-too-large');
      expect(session.pending).to.equal(0);
    });

    it('in bytes of UTF-8: wide text that is accepted is saved', async () => {
      const wideWorld = await World.start({ manifest: wideManifest });
      const session = await wideWorld.host('ridge-eu-1', { deadline: 5_000 }).join('p-wide');
      // A letter of three bytes: 80,000 of them are 240 kB, 90,000 are above what a record may take.
      const wide = (count: number) => Array.from({ length: 100 }, () => '風'.repeat(count / 100));
      await session.put('chart', wide(80_000));
      expect(await failure((async () => session.put('chart', wide(90_000)))())).to.have.property(
        'code',
        'value-too-large',
      );
      // In many saves and bulks, each of which must fit in bytes.
      for (let map = 0; map < 16; map++) {
        session.transaction(`map ${map}`, (draft) => draft.put(`map/sheet-${map}`, wide(80_000)));
      }
      const tooMuch = session.transaction('map 16', (draft) => draft.put('map/sheet-16', wide(80_000)));
      expect(tooMuch.applied ? '' : tooMuch.problem.code).to.equal('player-too-large');
      expect((await session.save()).refused).to.deep.equal([]);
      const { records } = await wideWorld.operator.player('p-wide');
      expect(Object.keys(records).filter((key) => key.startsWith('progress/map/'))).to.have.length(16);
      // The service measures as the client does.
      const { body } = await wideWorld.call('POST', '/v1/players/p-wide/changes', {}, { 'Idempotency-Key': 'wide' });
      expect(body).to.have.property('code', 'request-invalid');
      const put = { op: 'put', key: 'progress/map/sheet-17', value: wide(80_000) };
      const outside = await wideWorld.call(
        'POST',
        '/v1/players/p-wide/changes',
        { transactions: [{ changes: [{ ...put, ifRevision: 0 }] }] },
        { 'Idempotency-Key': 'wider' },
      );
      expect(outside.body).to.have.nested.property('transactions[0].problem.code', 'player-too-large');
      await session.leave();
      await wideWorld.close();
    });
  });

  describe('is told again where the service refuses it for its shape all the same', () => {
    /** Lets what the client would never accept past it, as a bug in it would. */
    function slipIn(session: HostSession): void {
      const local = (session as unknown as { local: { waiting: Transaction[] } }).local;
      const { takeForSave } = local as unknown as { takeForSave(): readonly Transaction[] };
      let hasSlipped = false;
      Object.assign(local, {
        takeForSave() {
          const taken = takeForSave.call(local);
          if (hasSlipped) return taken;
          hasSlipped = true;
          const [, ...changes] = taken;
          return [{ ...malformed, label: 'slipped in' }, ...changes];
        },
      });
    }

    it('it is put aside with its reason, and what is around it and after it goes on', async () => {
      const one = host({ spool: folder });
      const [session, other] = await Promise.all([one.join('p-1'), one.join('p-2')]);
      slipIn(session);
      for (const by of [1, 2, 4]) session.transaction(`climb ${by}`, (draft) => draft.increase('climbs', by));
      void other.increase('climbs', 8);
      const told: RefusedTransaction[] = [];
      session.onRefused((refused) => told.push(refused));
      const [{ refused }] = await Promise.all([session.save(), other.save()]);
      expect(refused.map(({ problem }) => problem.code)).to.deep.equal(['request-invalid']);
      expect(told.map(({ transaction }) => transaction.label)).to.deep.equal(['slipped in']);
      void session.increase('climbs', 16);
      await session.save();
      expect([await stored('p-1'), await stored('p-2')]).to.deep.equal([22, 8]);
      expect([session.value('climbs'), session.pending]).to.deep.equal([22, 0]);
      const closed = await one.close();
      expect(closed.left).to.have.members(['p-1', 'p-2']);
      expect(closed.setAside?.map(({ player, number }) => [player, number])).to.deep.equal([['p-1', 1]]);

      // Another start, and another player's join, go on; and it is still there to be looked at.
      const next = host({ spool: folder });
      expect((await next.join('p-3')).value('climbs')).to.equal(0);
      await next.close();
      const { out, status } = await vekkon(['spool', 'show', folder, '--key', world.hostKey, '--json']).ended;
      const { spooled } = JSON.parse(out) as {
        spooled: { player: string; save: number; setAside: { reason: string }; transactions: Transaction[] }[];
      };
      expect(status).to.equal(0);
      expect(spooled.map(({ player, save, transactions }) => [player, save, transactions[0]?.label])).to.deep.equal([
        ['p-1', 1, 'slipped in'],
      ]);
      expect(spooled[0]?.setAside.reason).to.contain('/transactions/0/changes/0/reason');
      expect(out).to.not.contain(world.hostKey);
    });

    it('without a spool closing says so', async () => {
      const one = host();
      const session = await one.join('p-1');
      slipIn(session);
      session.transaction('climb', (draft) => draft.increase('climbs', 1));
      await session.save();
      expect((await one.close()).lost.map(({ player }) => player)).to.deep.equal(['p-1']);
    });

    it('a spool from before is taken apart in the same way', async () => {
      const one = host({ spool: folder, deadline: 50 });
      const session = await one.join('p-1');
      slipIn(session);
      for (const by of [1, 2, 4]) session.transaction(`climb ${by}`, (draft) => draft.increase('climbs', by));
      cutOff();
      await failure(session.save());
      session.transaction('after', (draft) => draft.increase('climbs', 8));
      expect((await one.close({ within: 50 })).spooled).to.deep.equal(['p-1']);
      reachable();
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      await next.join('p-2');
      expect(deliveries[0]?.putAside.map(({ player, number }) => [player, number])).to.deep.equal([['p-1', 1]]);
      expect(await stored('p-1')).to.equal(14);
      await next.close();
      const { out } = await vekkon(['spool', 'show', folder], { VEKKON_HOST_KEY: world.hostKey }).ended;
      expect(out).to.contain('Set aside').and.to.contain('slipped in').and.to.contain('p-1');
    });
  });

  it('is shown by a command that changes nothing', async () => {
    const one = host({ spool: folder, deadline: 50 });
    const session = await one.join('p-1');
    cutOff();
    session.transaction('gorge cleared', (draft) => draft.credit('feather', 60, 'gorge'));
    await one.close({ within: 50 });
    const file = path.join(folder, 'ridge-eu-1.spool');
    const before = readFileSync(file, 'utf8');
    const { out, status } = await vekkon(['spool', 'show', folder, '--key', world.hostKey]).ended;
    expect(out).to.match(/To be delivered.*ridge-eu-1 +p-1 +1 +gorge cleared \(credit currency\/feather\)/s);
    expect([status, readFileSync(file, 'utf8')]).to.deep.equal([0, before]);
    const wrong = await vekkon(['spool', 'show', folder, '--key', 'vkh_another']).ended;
    expect([wrong.status, wrong.out.includes('none of the host keys')]).to.deep.equal([1, true]);
    expect((await vekkon(['spool', 'show', folder]).ended).err).to.contain('VEKKON_HOST_KEY');
    expect((await vekkon(['spool', 'show', `${folder}/none`, '--key', 'x']).ended).status).to.equal(2);
    reachable();
    const next = host({ spool: folder });
    await next.join('p-1');
    await next.close();
    expect((await vekkon(['spool', 'show', folder, '--key', world.hostKey]).ended).out).to.contain('Nothing waits');
  });
});
