import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Manifest } from '@vekkon/core';
import { fileStorage } from '@vekkon/client/file-storage';
import { StorageUnreadable, VekkonPlayer } from '@vekkon/client/player';
import { DeviceWorld } from './world/device.js';
import { failure } from './world/failure.js';

describe('what a device keeps', () => {
  let at: DeviceWorld;
  let manifest: Manifest;
  before(async () => {
    at = await DeviceWorld.start();
    ({ manifest } = await at.world.operator.manifest());
  });
  beforeEach(() => at.begin());
  after(() => at.close());

  describe('at its first start offline', () => {
    it('needs a manifest to play on', async () => {
      at.cutOff();
      expect(await failure(at.open('tab-1').start())).to.have.property('name', 'ServiceUnreachable');
    });

    it('plays on starting values, and what was done is the new player’s first', async () => {
      at.cutOff();
      const player = await at.started('tab-1', { manifest });
      expect([player.status.connection, player.value('landings'), player.isNew]).to.deep.equal([
        'offline',
        0,
        undefined,
      ]);
      void player.increase('landings', 3);
      await at.reconnect(player);
      expect([player.isNew, await at.stored(player, 'progress/landings')]).to.deep.equal([true, 3]);
    });

    it('is new once, though the answer to its join was lost and the page loaded again', async () => {
      at.cutOff();
      const player = await at.started('tab-1', { manifest });
      await player.increase('landings', 3);
      const lost = new Promise<void>((resolve) => {
        at.proxy.fate = (request) => {
          if (!/join/.test(request.url ?? '')) return 'pass';
          resolve();
          return 'drop-response';
        };
      });
      await lost;
      at.device.kill('tab-1');
      at.reachable();
      const again = await at.started('tab-1', { manifest });
      await again.save();
      expect([again.isNew, await at.stored(again, 'progress/landings')]).to.deep.equal([true, 3]);
    });

    it('drops what was done where the player turns out not to be new, and tells the game', async () => {
      const elsewhere = await at.started('tab-1');
      void elsewhere.increase('landings', 40);
      await elsewhere.leave();
      const { form, secret } = JSON.parse(at.device.kept.get('player')!) as { form: number; secret: string };
      at.device.kept.clear();
      at.device.kept.set('player', JSON.stringify({ form, secret }));
      at.cutOff();
      const player = await at.started('tab-2', { manifest });
      const dropped = new Promise((resolve) => player.onDropped(resolve));
      void player.increase('landings', 3);
      await at.reconnect(player);
      expect(await dropped).to.have.length(1);
      expect([player.value('landings'), await at.stored(player, 'progress/landings')]).to.deep.equal([40, 40]);
    });
  });

  describe('with what it keeps', () => {
    let folder: string;
    beforeEach(() => (folder = mkdtempSync(path.join(tmpdir(), 'vekkon-device-'))));
    afterEach(() => rmSync(folder, { recursive: true }));

    const inFile = () => {
      const storage = fileStorage(path.join(folder, 'pilot.vekkon'), { sealWith: at.world.deviceKey });
      return new VekkonPlayer({
        url: at.proxy.url,
        deviceKey: at.world.deviceKey,
        storage,
        autosave: 0,
        deadline: 300,
      });
    };

    it('in a file finds itself again, and what waited', async () => {
      const first = inFile();
      await first.start();
      await at.goneOffline(first);
      await first.increase('landings', 2);
      first.stop();
      at.reachable();
      const second = inFile();
      await second.start();
      await second.save();
      expect([second.player!.id, await at.stored(second, 'progress/landings')]).to.deep.equal([first.player!.id, 2]);
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
      const other = new VekkonPlayer({ url: at.proxy.url, deviceKey: at.world.deviceKey, storage });
      expect(await failure(other.start())).to.be.instanceOf(StorageUnreadable);
    });

    it('nowhere goes on all the same, says so, and saves', async () => {
      const player = await at.started();
      expect(player.status.isKept).to.equal(true);
      at.device.full = new Error('QuotaExceededError');
      await player.increase('landings', 1);
      expect(player.status.isKept).to.equal(false);
      await player.save();
      expect(await at.stored(player, 'progress/landings')).to.equal(1);
      at.device.full = undefined;
      await player.increase('landings', 1);
      expect(player.status.isKept).to.equal(true);
    });

    it('nowhere stays who it is when it starts again: shut out, it is no new player', async () => {
      at.device.full = new Error('SecurityError');
      const player = await at.started();
      const { id } = player.player!;
      await player.leave();
      const { devices } = await at.world.operator.devices(id);
      await at.world.operator.revokeDevice(id, devices[0]!.device);
      expect(await failure(player.start())).to.have.property('code', 'device-revoked');
      expect(player.player!.id).to.equal(id);
    });

    it('that is damaged does not begin as somebody new', async () => {
      const player = await at.started();
      await player.leave();
      for (const damaged of ['{', '{}', '{"form":2}', 'null']) {
        at.device.kept.set('player', damaged);
        expect(await failure(at.open('tab-9').start()), damaged).to.be.instanceOf(StorageUnreadable);
        expect(at.device.kept.get('player')).to.equal(damaged);
      }
    });

    it('folds what waits, so that a day without a network stays small', async () => {
      const player = await at.started();
      await at.goneOffline(player);
      for (let index = 0; index < 1_000; index++) void player.increase('landings', 1);
      await player.increase('landings', 1);
      expect(at.device.kept.get('tab-1')!.length).to.be.below(20_000);
      await at.reconnect(player);
      expect(await at.stored(player, 'progress/landings')).to.equal(1_001);
    });
  });
});
