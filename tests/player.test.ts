import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Manifest } from '@vekkon/core';
import { fileStorage } from '@vekkon/client/file-storage';
import {
  ChangeRefused,
  ServiceRefused,
  StorageUnreadable,
  VekkonPlayer,
  type Conflict,
  type Decision,
} from '@vekkon/client/player';
import { Device, until } from './world/device.js';
import { failure } from './world/failure.js';
import { FaultProxy } from './world/fault-proxy.js';
import { World } from './world/world.js';

describe('a game on a device', () => {
  let world: World;
  let proxy: FaultProxy;
  let manifest: Manifest;
  let device: Device;
  before(async () => {
    world = await World.start();
    proxy = await FaultProxy.start(world.url);
    ({ manifest } = await world.operator.manifest());
  });
  beforeEach(() => {
    device = new Device();
    proxy.fate = () => 'pass';
  });
  afterEach(() => device.killAll());
  after(async () => {
    await proxy.close();
    await world.close();
  });

  const open = (tab: string, options: object = {}) => device.open(world, tab, { url: proxy.url, ...options });
  async function started(tab = 'tab-1', options: object = {}): Promise<VekkonPlayer> {
    const player = open(tab, options);
    await player.start();
    return player;
  }
  const cutOff = () => (proxy.fate = () => 'drop-request');
  const reconnect = (player: VekkonPlayer) => {
    proxy.fate = () => 'pass';
    return until(player, () => player.status.connection === 'online' && player.pending === 0);
  };
  const goneOffline = (player: VekkonPlayer) => {
    cutOff();
    proxy.cutStreams();
    return until(player, () => player.status.connection === 'offline');
  };
  const stored = async (player: VekkonPlayer, key: string) => {
    const { records } = await world.operator.player(player.player!.id);
    return records[key]?.value;
  };
  const fromOutside = (player: VekkonPlayer, ...changes: object[]) =>
    world.call(
      'POST',
      `/v1/players/${player.player!.id}/changes`,
      { transactions: [{ changes }] },
      { 'Idempotency-Key': crypto.randomUUID() },
    );

  describe('online', () => {
    it('keeps one number', async () => {
      const first = await started();
      expect([first.isNew, first.value('landings')]).to.deep.equal([true, 0]);
      void first.increase('landings', 1);
      await first.leave();
      const second = await started('tab-2');
      expect([second.isNew, second.value('landings')]).to.deep.equal([false, 1]);
      expect(await stored(second, 'progress/landings')).to.equal(1);
    });

    it('saves by itself', async () => {
      const player = await started('tab-1', { autosave: 0.05 });
      void player.put('preference/invert-pitch', true);
      await until(player, () => player.pending === 0);
      expect(await stored(player, 'preference/invert-pitch')).to.equal(true);
    });

    it('refuses at once what is not the player’s, and typos', async () => {
      const player = await started();
      expect(() => player.credit('feather', 5, 'found'))
        .to.throw(ChangeRefused)
        .with.property('code', 'not-for-players');
      expect(() => player.increase('landing', 1)).to.throw(ChangeRefused, 'did you mean "progress/landings"?');
      expect(player.pending).to.equal(0);
    });

    it('is told of what the service refused, with where it waits', async () => {
      const player = await started();
      const told = new Promise((resolve) =>
        player.onRefused((one) => resolve([one.problem.code, typeof one.unsettled])),
      );
      // No validator is carried: the service checks.
      void player.put('preference/subtitle-size', 'enormous');
      expect((await player.save()).refused).to.have.length(1);
      expect(await told).to.deep.equal(['value-invalid', 'string']);
      expect(player.preference('subtitle-size')).to.equal('medium');
    });

    it('watches what comes from outside', async () => {
      const player = await started();
      const told = new Promise((resolve) => player.watch('currency/feather', (value, from) => resolve([value, from])));
      await fromOutside(player, { op: 'credit', key: 'currency/feather', amount: 5, reason: 'gift' });
      expect(await told).to.deep.equal([45, 'outside']);
    });

    it('starts a run over, and keeps what lasts for ever', async () => {
      const player = await started();
      void player.merge('drift', { feathers: 3, metres: 90 });
      void player.increase('landings', 1);
      void player.startOver();
      await player.save();
      expect(await stored(player, 'progress/drift')).to.deep.equal({ feathers: 0, metres: 0, height: 320 });
      expect(await stored(player, 'progress/landings')).to.equal(1);
    });

    it('knows its best and its last, and no score yet from a zero', async () => {
      const player = await started();
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
      const player = await started();
      const { token } = JSON.parse(device.kept.get('player')!) as { token: string };
      // Another token is shown first: the one that the game has is over.
      const { secret } = JSON.parse(device.kept.get('player')!) as { secret: string };
      const { body } = await world.call(
        'POST',
        '/v1/devices',
        { secret },
        { Authorization: `Bearer ${world.deviceKey}` },
      );
      await world.call('GET', '/v1/me', undefined, { Authorization: `Bearer ${(body as { token: string }).token}` });
      void player.increase('landings', 1);
      await player.save();
      expect(await stored(player, 'progress/landings')).to.equal(1);
      expect((JSON.parse(device.kept.get('player')!) as { token: string }).token).not.to.equal(token);
    });

    it('is told plainly when it was shut out', async () => {
      const player = await started();
      await player.leave();
      const id = player.player!.id;
      const { devices } = await world.operator.devices(id);
      await world.operator.revokeDevice(id, devices[0]!.device);
      const error = await failure(open('tab-2').start());
      expect(error).to.be.instanceOf(ServiceRefused).with.property('code', 'device-revoked');
    });
  });

  describe('two tabs', () => {
    it('hand the player over: the first saves and is told, the second finds everything', async () => {
      const first = await started('tab-1');
      void first.increase('landings', 1);
      const told = new Promise<string>((resolve) => first.onLost((reason) => resolve(reason.message)));
      const second = await started('tab-2');
      expect(await told).to.contain('another tab or device');
      expect(second.value('landings')).to.equal(1);
      expect(first.status.connection).to.equal('lost');
      expect(() => first.increase('landings', 1)).to.throw('another tab or device');
    });

    it('can take the player back', async () => {
      const first = await started('tab-1');
      const second = await started('tab-2');
      void second.increase('landings', 1);
      await first.start();
      expect(first.value('landings')).to.equal(1);
      await until(second, () => second.status.connection === 'lost');
    });

    it('take over what a tab left that was closed without a word', async () => {
      const first = await started('tab-1');
      await goneOffline(first);
      void first.increase('landings', 1);
      await first.put('preference/map-detail', 'winds');
      device.kill('tab-1');
      proxy.fate = () => 'pass';
      const second = await started('tab-2');
      await second.save();
      expect([await stored(second, 'progress/landings'), await stored(second, 'preference/map-detail')]).to.deep.equal([
        1,
        'winds',
      ]);
      expect([...device.kept.keys()].sort()).to.deep.equal(['player', 'tab-2']);
    });
  });

  describe('offline', () => {
    it('starts on what it last knew, plainly marked, and its changes wait', async () => {
      const first = await started();
      void first.increase('landings', 4);
      await first.leave();
      cutOff();
      const second = await started('tab-2');
      expect(second.status).to.include({ connection: 'offline' });
      expect(second.status.why).to.contain('No answer from');
      expect(second.value('landings')).to.equal(4);
      void second.increase('landings', 1);
      expect([second.value('landings'), second.pending]).to.deep.equal([5, 1]);
      await reconnect(second);
      expect(await stored(second, 'progress/landings')).to.equal(5);
    });

    it('goes on when the network goes in mid-game, and saves when it is back, under the same session', async () => {
      const player = await started();
      const { session } = player;
      await goneOffline(player);
      void player.increase('landings', 1);
      await reconnect(player);
      expect(player.session).to.equal(session);
      expect(await stored(player, 'progress/landings')).to.equal(1);
    });

    it('saves once what had its number when the answer was lost, over a reload too', async () => {
      const player = await started();
      void player.increase('landings', 1);
      proxy.next(
        /saves/,
        'drop-response',
        'drop-request',
        'drop-request',
        'drop-request',
        'drop-request',
        'drop-request',
      );
      await failure(player.save());
      device.kill('tab-1');
      proxy.fate = () => 'pass';
      const again = await started('tab-1');
      expect(again.value('landings')).to.equal(1);
      void again.increase('landings', 1);
      await again.save();
      expect(await stored(again, 'progress/landings')).to.equal(2);
    });

    it('joins again where its session was taken over meanwhile, and what waited goes into the new one', async () => {
      const player = await started();
      await goneOffline(player);
      void player.increase('landings', 1);
      const host = world.host('ridge-eu-1');
      // The device does not answer: its player is taken when its lease ends, or here, when it is ended from outside.
      const elsewhere = await world.call('POST', `/v1/sessions/${player.session}/leave`, {});
      expect(elsewhere.status).to.equal(200);
      const session = await host.join(player.player!.id);
      void session.increase('landings', 10);
      await session.leave();
      await reconnect(player);
      expect(await stored(player, 'progress/landings')).to.equal(11);
    });

    it('keeps as unsettled what had its number when the session was over, and says so', async () => {
      const player = await started();
      void player.increase('landings', 1);
      proxy.fate = () => 'drop-request';
      await failure(player.save());
      await world.call('POST', `/v1/sessions/${player.session}/leave`, {});
      const told = new Promise((resolve) => player.onRefused((one) => resolve(one.unsettled)));
      proxy.fate = () => 'pass';
      const unsettled = await told;
      const list = await world.operator.unsettled(player.player!.id);
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
        const player = await started('tab-1', onConflict === undefined ? {} : { onConflict });
        await player.leave();
        cutOff();
        const second = await started('tab-2', onConflict === undefined ? {} : { onConflict });
        void second.put('preference/map-detail', 'winds');
        void second.increase('landings', 1);
        await world.call('PUT', `/v1/players/${player.player!.id}/records/preference/map-detail`, '"plain"');
        await reconnect(second);
        if (decide !== undefined) {
          expect(conflicts).to.deep.equal([{ key: 'preference/map-detail', mine: 'winds', stored: 'plain' }]);
        }
        expect(second.preference('map-detail')).to.equal(expected);
        expect(await stored(second, 'preference/map-detail')).to.equal(expected);
        expect(await stored(second, 'progress/landings')).to.equal(1);
      });
    }

    it('asks nothing where only it has put the value', async () => {
      const asked: Conflict[] = [];
      const player = await started('tab-1', { onConflict: (one: Conflict) => (asked.push(one), 'stored') });
      void player.put('preference/map-detail', 'winds');
      await player.save();
      await goneOffline(player);
      void player.put('preference/map-detail', 'plain');
      await reconnect(player);
      expect([asked, await stored(player, 'preference/map-detail')]).to.deep.equal([[], 'plain']);
    });

    it('saves here and loads, and the service does the same when it is back', async () => {
      const player = await started();
      void player.merge('drift', { feathers: 3 });
      await player.checkpoint('gull ridge', { summary: '3 feathers' });
      await goneOffline(player);
      void player.merge('drift', { feathers: 9 });
      await player.checkpoint('salt col');
      void player.merge('drift', { feathers: 12 });
      await player.restore('gull ridge');
      expect(player.progress('drift')).to.include({ feathers: 3 });
      await player.restore('salt col');
      expect(player.progress('drift')).to.include({ feathers: 9 });
      await reconnect(player);
      expect(await stored(player, 'progress/drift')).to.include({ feathers: 9 });
      const list = await player.checkpoints();
      expect(list.map(({ name, summary }) => [name, summary])).to.deep.equal([
        ['salt col', null],
        ['gull ridge', '3 feathers'],
      ]);
    });

    it('loads a checkpoint of an earlier stay', async () => {
      const first = await started();
      void first.merge('drift', { feathers: 3 });
      await first.checkpoint('gull ridge');
      void first.merge('drift', { feathers: 9 });
      await first.leave();
      cutOff();
      const second = await started('tab-2');
      await second.restore('gull ridge');
      expect(second.progress('drift')).to.include({ feathers: 3 });
      await reconnect(second);
      expect(await stored(second, 'progress/drift')).to.include({ feathers: 3 });
    });

    it('refuses a checkpoint that is unknown, and asks which to give up for one too many', async () => {
      const player = await started();
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

  describe('at its first start offline', () => {
    it('needs a manifest to play on', async () => {
      cutOff();
      expect(await failure(open('tab-1').start())).to.have.property('name', 'ServiceUnreachable');
    });

    it('plays on starting values, and what was done is the new player’s first', async () => {
      cutOff();
      const player = await started('tab-1', { manifest });
      expect([player.status.connection, player.value('landings'), player.isNew]).to.deep.equal([
        'offline',
        0,
        undefined,
      ]);
      void player.increase('landings', 3);
      await reconnect(player);
      expect([player.isNew, await stored(player, 'progress/landings')]).to.deep.equal([true, 3]);
    });

    it('is new once, though the answer to its join was lost and the page loaded again', async () => {
      cutOff();
      const player = await started('tab-1', { manifest });
      await player.increase('landings', 3);
      const lost = new Promise<void>((resolve) => {
        proxy.fate = (request) => {
          if (!/join/.test(request.url ?? '')) return 'pass';
          resolve();
          return 'drop-response';
        };
      });
      await lost;
      device.kill('tab-1');
      proxy.fate = () => 'pass';
      const again = await started('tab-1', { manifest });
      await again.save();
      expect([again.isNew, await stored(again, 'progress/landings')]).to.deep.equal([true, 3]);
    });

    it('drops what was done where the player turns out not to be new, and tells the game', async () => {
      const elsewhere = await started('tab-1');
      void elsewhere.increase('landings', 40);
      await elsewhere.leave();
      const { form, secret } = JSON.parse(device.kept.get('player')!) as { form: number; secret: string };
      device.kept.clear();
      device.kept.set('player', JSON.stringify({ form, secret }));
      cutOff();
      const player = await started('tab-2', { manifest });
      const dropped = new Promise((resolve) => player.onDropped(resolve));
      void player.increase('landings', 3);
      await reconnect(player);
      expect(await dropped).to.have.length(1);
      expect([player.value('landings'), await stored(player, 'progress/landings')]).to.deep.equal([40, 40]);
    });
  });

  describe('with what it keeps', () => {
    let folder: string;
    beforeEach(() => (folder = mkdtempSync(path.join(tmpdir(), 'vekkon-device-'))));
    afterEach(() => rmSync(folder, { recursive: true }));

    const inFile = () => {
      const storage = fileStorage(path.join(folder, 'pilot.vekkon'), { sealWith: world.deviceKey });
      return new VekkonPlayer({ url: proxy.url, deviceKey: world.deviceKey, storage, autosave: 0, deadline: 300 });
    };

    it('in a file finds itself again, and what waited', async () => {
      const first = inFile();
      await first.start();
      await goneOffline(first);
      await first.increase('landings', 2);
      first.stop();
      proxy.fate = () => 'pass';
      const second = inFile();
      await second.start();
      await second.save();
      expect([second.player!.id, await stored(second, 'progress/landings')]).to.deep.equal([first.player!.id, 2]);
      await second.leave();
    });

    it('in a file that was edited by hand does not begin as somebody new, and leaves it as it is', async () => {
      const first = inFile();
      await first.start();
      await first.leave();
      const file = path.join(folder, 'pilot.vekkon');
      const text = readFileSync(file, 'utf8');
      expect(text).not.to.contain('landings');
      for (const edited of [text.replace(/.{8}\n$/, 'AAAAAAA=\n'), text.slice(0, -40), 'landings = 900\n', '']) {
        writeFileSync(file, edited);
        const error = await failure(inFile().start());
        expect(error, edited).to.be.instanceOf(StorageUnreadable);
        expect((error as Error).message).to.contain('Put a copy of it back');
        expect(readFileSync(file, 'utf8')).to.equal(edited);
      }
      writeFileSync(file, text);
      const again = inFile();
      await again.start();
      expect(again.player!.id).to.equal(first.player!.id);
      await again.leave();
    });

    it('sealed with another key is told apart', async () => {
      const first = inFile();
      await first.start();
      await first.leave();
      const storage = fileStorage(path.join(folder, 'pilot.vekkon'), { sealWith: 'vkd_another' });
      const other = new VekkonPlayer({ url: proxy.url, deviceKey: world.deviceKey, storage });
      expect(await failure(other.start())).to.be.instanceOf(StorageUnreadable);
    });

    it('nowhere goes on all the same, says so, and saves', async () => {
      const player = await started();
      expect(player.status.isKept).to.equal(true);
      device.full = new Error('QuotaExceededError');
      await player.increase('landings', 1);
      expect(player.status.isKept).to.equal(false);
      await player.save();
      expect(await stored(player, 'progress/landings')).to.equal(1);
      device.full = undefined;
      await player.increase('landings', 1);
      expect(player.status.isKept).to.equal(true);
    });

    it('that is damaged does not begin as somebody new', async () => {
      const player = await started();
      await player.leave();
      for (const damaged of ['{', '{}', '{"form":2}', 'null']) {
        device.kept.set('player', damaged);
        expect(await failure(open('tab-9').start()), damaged).to.be.instanceOf(StorageUnreadable);
        expect(device.kept.get('player')).to.equal(damaged);
      }
    });

    it('folds what waits, so that a day without a network stays small', async () => {
      const player = await started();
      await goneOffline(player);
      for (let index = 0; index < 1_000; index++) void player.increase('landings', 1);
      await player.increase('landings', 1);
      expect(device.kept.get('tab-1')!.length).to.be.below(20_000);
      await reconnect(player);
      expect(await stored(player, 'progress/landings')).to.equal(1_001);
    });
  });
});
