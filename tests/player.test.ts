import { expect } from 'chai';
import { ChangeRefused, ServiceRefused, type Conflict, type Decision } from '@vekkon/client/player';
import { DeviceWorld, until } from './world/device.js';
import { failure } from './world/failure.js';

describe('a game on a device', () => {
  let at: DeviceWorld;
  before(async () => {
    at = await DeviceWorld.start();
  });
  beforeEach(() => at.begin());
  after(() => at.close());

  describe('online', () => {
    it('keeps one number', async () => {
      const first = await at.started();
      expect([first.isNew, first.value('landings')]).to.deep.equal([true, 0]);
      void first.increase('landings', 1);
      await first.leave();
      const second = await at.started('tab-2');
      expect([second.isNew, second.value('landings')]).to.deep.equal([false, 1]);
      expect(await at.stored(second, 'progress/landings')).to.equal(1);
    });

    it('saves by itself', async () => {
      const player = await at.started('tab-1', { autosave: 0.05 });
      void player.put('preference/invert-pitch', true);
      await until(player, () => player.pending === 0);
      expect(await at.stored(player, 'preference/invert-pitch')).to.equal(true);
    });

    it('refuses at once what is not the player’s, and typos', async () => {
      const player = await at.started();
      expect(() => player.credit('feather', 5, 'found'))
        .to.throw(ChangeRefused)
        .with.property('code', 'not-for-players');
      expect(() => player.increase('landing', 1)).to.throw(ChangeRefused, 'did you mean "progress/landings"?');
      expect(() => player.increase('climbs', 1))
        .to.throw(ChangeRefused, 'progress/climbs is not for players to see')
        .with.property('code', 'not-for-players');
      expect(player.pending).to.equal(0);
    });

    it('refuses at once what is of another type, out of bounds, or none of the choices', async () => {
      const player = await at.started();
      for (const [name, value] of [
        ['landings', 'x'],
        ['preference/subtitle-size', 'enormous'],
      ] as const) {
        expect(() => player.put(name, value))
          .to.throw(ChangeRefused)
          .with.property('code', 'value-invalid');
      }
      expect([player.value('landings'), player.pending]).to.deep.equal([0, 0]);
    });

    it('is told of what the service refused, with where it waits', async () => {
      // It would be found here: whoever hands in another check of values is told by the service.
      const player = await at.started('tab-1', { check: () => undefined });
      const told = new Promise((resolve) =>
        player.onRefused((one) => resolve([one.problem.code, typeof one.unsettled])),
      );
      void player.put('preference/subtitle-size', 'enormous');
      expect((await player.save()).refused).to.have.length(1);
      expect(await told).to.deep.equal(['value-invalid', 'string']);
      expect(player.preference('subtitle-size')).to.equal('medium');
    });

    it('watches what comes from outside', async () => {
      const player = await at.started();
      const told = new Promise((resolve) => player.watch('currency/feather', (value, from) => resolve([value, from])));
      await at.fromOutside(player, { op: 'credit', key: 'currency/feather', amount: 5, reason: 'gift' });
      expect(await told).to.deep.equal([45, 'outside']);
    });

    it('starts a run over, and keeps what lasts for ever', async () => {
      const player = await at.started();
      void player.merge('drift', { feathers: 3, metres: 90 });
      void player.increase('landings', 1);
      void player.startOver();
      await player.save();
      expect(await at.stored(player, 'progress/drift')).to.deep.equal({
        feathers: 0,
        metres: 0,
        height: 320,
        seconds: 0,
      });
      expect(await at.stored(player, 'progress/landings')).to.equal(1);
    });

    it('knows its best and its last, and no score yet from a zero', async () => {
      const player = await at.started();
      expect(player.score('valley/gull')).to.include({ best: null, latest: null, count: 0 });
      for (const [value, name] of [
        [61.25, 'Maren'],
        [58.5, undefined],
        [70, 'M.'],
      ] as const) {
        void player.submit('valley/gull', value, name === undefined ? {} : { name });
      }
      await player.save();
      expect(player.score('valley/gull')).to.include({ best: 58.5, latest: 70, count: 3 });
      const { entries } = player.score('valley/gull');
      expect(entries?.map(({ value, name }) => [value, name])).to.deep.equal([
        [58.5, undefined],
        [61.25, 'Maren'],
        [70, 'M.'],
      ]);
      expect(player.score('valley/salt-col').best).to.equal(null);
    });

    it('gets another token when its own is over, without a word', async () => {
      const player = await at.started();
      const { token } = JSON.parse(at.device.kept.get('player')!) as { token: string };
      // Another token is shown first: the one that the game has is over.
      const { secret } = JSON.parse(at.device.kept.get('player')!) as { secret: string };
      const { body } = await at.world.call(
        'POST',
        '/v1/devices',
        { secret },
        { Authorization: `Bearer ${at.world.deviceKey}` },
      );
      await at.world.call('GET', '/v1/me', undefined, { Authorization: `Bearer ${(body as { token: string }).token}` });
      void player.increase('landings', 1);
      await player.save();
      expect(await at.stored(player, 'progress/landings')).to.equal(1);
      expect((JSON.parse(at.device.kept.get('player')!) as { token: string }).token).not.to.equal(token);
    });

    it('is told plainly when it was shut out', async () => {
      const player = await at.started();
      await player.leave();
      const id = player.player!.id;
      const { devices } = await at.world.operator.devices(id);
      await at.world.operator.revokeDevice(id, devices[0]!.device);
      const error = await failure(at.open('tab-2').start());
      expect(error).to.be.instanceOf(ServiceRefused).with.property('code', 'device-revoked');
    });
  });

  describe('two tabs', () => {
    it('hand the player over: the first saves and is told, the second finds everything', async () => {
      const first = await at.started('tab-1');
      void first.increase('landings', 1);
      const told = new Promise<string>((resolve) => first.onLost((reason) => resolve(reason.message)));
      const second = await at.started('tab-2');
      expect(await told).to.contain('another tab or device');
      expect(second.value('landings')).to.equal(1);
      expect(first.status.connection).to.equal('lost');
      expect(() => first.increase('landings', 1)).to.throw('another tab or device');
    });

    it('can take the player back', async () => {
      const first = await at.started('tab-1');
      const second = await at.started('tab-2');
      void second.increase('landings', 1);
      await first.start();
      expect(first.value('landings')).to.equal(1);
      await until(second, () => second.status.connection === 'lost');
    });

    it('take over what a tab left that was closed without a word', async () => {
      const first = await at.started('tab-1');
      await at.goneOffline(first);
      void first.increase('landings', 1);
      await first.put('preference/map-detail', 'winds');
      at.device.kill('tab-1');
      at.reachable();
      const second = await at.started('tab-2');
      await second.save();
      expect([
        await at.stored(second, 'progress/landings'),
        await at.stored(second, 'preference/map-detail'),
      ]).to.deep.equal([1, 'winds']);
      expect([...at.device.kept.keys()].sort()).to.deep.equal(['player', 'tab-2']);
    });
  });

  describe('offline', () => {
    it('starts on what it last knew, plainly marked, and its changes wait', async () => {
      const first = await at.started();
      void first.increase('landings', 4);
      await first.leave();
      at.cutOff();
      const second = await at.started('tab-2');
      expect(second.status).to.include({ connection: 'offline' });
      expect(second.status.why).to.contain('No answer from');
      expect(second.value('landings')).to.equal(4);
      void second.increase('landings', 1);
      expect([second.value('landings'), second.pending]).to.deep.equal([5, 1]);
      await at.reconnect(second);
      expect(await at.stored(second, 'progress/landings')).to.equal(5);
    });

    it('goes on when the network goes in mid-game, and saves when it is back, under the same session', async () => {
      const player = await at.started();
      const { session } = player;
      await at.goneOffline(player);
      void player.increase('landings', 1);
      await at.reconnect(player);
      expect(player.session).to.equal(session);
      expect(await at.stored(player, 'progress/landings')).to.equal(1);
    });

    it('saves once what had its number when the answer was lost, over a reload too', async () => {
      const player = await at.started();
      void player.increase('landings', 1);
      // As many tries as nobody makes within a deadline.
      at.proxy.next(/saves/, 'drop-response', ...Array.from({ length: 60 }, () => 'drop-request' as const));
      await failure(player.save());
      at.device.kill('tab-1');
      at.reachable();
      const again = await at.started('tab-1');
      expect(again.value('landings')).to.equal(1);
      void again.increase('landings', 1);
      await again.save();
      expect(await at.stored(again, 'progress/landings')).to.equal(2);
    });

    it('joins again where its session was taken over meanwhile, and what waited goes into the new one', async () => {
      const player = await at.started();
      await at.goneOffline(player);
      void player.increase('landings', 1);
      const host = at.world.host('ridge-eu-1');
      // The device does not answer: its player is taken when its lease ends, or here, when it is ended from outside.
      const elsewhere = await at.world.call('POST', `/v1/sessions/${player.session}/leave`, {});
      expect(elsewhere.status).to.equal(200);
      const session = await host.join(player.player!.id);
      void session.increase('landings', 10);
      await session.leave();
      await at.reconnect(player);
      expect(await at.stored(player, 'progress/landings')).to.equal(11);
    });

    it('keeps as unsettled what had its number when the session was over, and says so', async () => {
      const player = await at.started();
      void player.increase('landings', 1);
      at.proxy.fate = () => 'drop-request';
      await failure(player.save());
      await at.world.call('POST', `/v1/sessions/${player.session}/leave`, {});
      const told = new Promise((resolve) => player.onRefused((one) => resolve(one.unsettled)));
      at.reachable();
      const unsettled = await told;
      const list = await at.world.operator.unsettled(player.player!.id);
      expect(list.unsettled.map(({ id }) => id)).to.deep.equal([unsettled]);
    });

    for (const [what, decide, expected] of [
      ['lets what was put here hold where the game does not decide', undefined, 'winds'],
      ['lets what is stored hold where the game decides so', (): Decision => 'stored', 'plain'],
      ['takes what the game makes of both', (): Decision => ({ value: 'contours' }), 'contours'],
    ] as const) {
      it(`hands a conflict to the game: ${what}`, async () => {
        const conflicts: Conflict[] = [];
        const onConflict =
          decide &&
          ((conflict: Conflict): Decision => {
            conflicts.push(conflict);
            return decide();
          });
        const player = await at.started('tab-1', onConflict === undefined ? {} : { onConflict });
        await player.leave();
        at.cutOff();
        const second = await at.started('tab-2', onConflict === undefined ? {} : { onConflict });
        void second.put('preference/map-detail', 'winds');
        void second.increase('landings', 1);
        await at.world.call('PUT', `/v1/players/${player.player!.id}/records/preference/map-detail`, '"plain"');
        await at.reconnect(second);
        if (decide !== undefined) {
          expect(conflicts).to.deep.equal([{ key: 'preference/map-detail', mine: 'winds', stored: 'plain' }]);
        }
        expect(second.preference('map-detail')).to.equal(expected);
        expect(await at.stored(second, 'preference/map-detail')).to.equal(expected);
        expect(await at.stored(second, 'progress/landings')).to.equal(1);
      });
    }

    it('asks nothing where only it has put the value', async () => {
      const asked: Conflict[] = [];
      const player = await at.started('tab-1', { onConflict: (one: Conflict) => (asked.push(one), 'stored') });
      void player.put('preference/map-detail', 'winds');
      await player.save();
      await at.goneOffline(player);
      void player.put('preference/map-detail', 'plain');
      await at.reconnect(player);
      expect([asked, await at.stored(player, 'preference/map-detail')]).to.deep.equal([[], 'plain']);
    });

    it('saves here and loads, and the service does the same when it is back', async () => {
      const player = await at.started();
      void player.merge('drift', { feathers: 3 });
      await player.checkpoint('gull ridge', { summary: '3 feathers' });
      await at.goneOffline(player);
      void player.merge('drift', { feathers: 9 });
      await player.checkpoint('salt col');
      void player.merge('drift', { feathers: 12 });
      await player.restore('gull ridge');
      expect(player.progress('drift')).to.include({ feathers: 3 });
      await player.restore('salt col');
      expect(player.progress('drift')).to.include({ feathers: 9 });
      await at.reconnect(player);
      expect(await at.stored(player, 'progress/drift')).to.include({ feathers: 9 });
      const list = await player.checkpoints();
      expect(list.map(({ name, summary }) => [name, summary])).to.deep.equal([
        ['salt col', null],
        ['gull ridge', '3 feathers'],
      ]);
    });

    it('loads a checkpoint of an earlier stay', async () => {
      const first = await at.started();
      void first.merge('drift', { feathers: 3 });
      await first.checkpoint('gull ridge');
      void first.merge('drift', { feathers: 9 });
      await first.leave();
      at.cutOff();
      const second = await at.started('tab-2');
      await second.restore('gull ridge');
      expect(second.progress('drift')).to.include({ feathers: 3 });
      await at.reconnect(second);
      expect(await at.stored(second, 'progress/drift')).to.include({ feathers: 3 });
    });

    it('refuses a checkpoint that is unknown, and asks which to give up for one too many', async () => {
      const player = await at.started();
      expect(await failure(player.restore('nowhere'))).to.have.property('code', 'checkpoint-unknown');
      for (const name of ['a', 'b', 'c', 'd', 'e']) await player.checkpoint(name);
      const error = (await failure(player.checkpoint('f'))) as ChangeRefused;
      expect(error.code).to.equal('checkpoints-full');
      expect(error.problem.checkpoints).to.have.members(['a', 'b', 'c', 'd', 'e']);
      await player.checkpoint('f', { instead: 'c' });
      expect((await player.checkpoints()).map(({ name }) => name)).to.deep.equal(['f', 'e', 'd', 'b', 'a']);
      expect(player.pending).to.equal(0);
    });
  });
});
