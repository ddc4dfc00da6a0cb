import { expect } from 'chai';
import type { Transaction } from '@vekkon/core';
import { DeviceWorld } from './world/device.js';
import { failure } from './world/failure.js';
import { until } from './world/until.js';

describe('a stay on a device', () => {
  let at: DeviceWorld;
  before(async () => {
    at = await DeviceWorld.start();
  });
  beforeEach(() => at.begin());
  after(() => at.close());

  describe('that is stopped', () => {
    it('while it joins does not come back to life when the answer arrives', async () => {
      let release = () => undefined as void;
      at.proxy.fate = (request) =>
        /join/.test(request.url ?? '') ? { until: new Promise<void>((resolve) => (release = resolve)) } : 'pass';
      const held = at.proxy.held;
      const player = at.open();
      const starting = failure(player.start());
      await until(() => at.proxy.held > held);
      player.stop();
      release();
      expect(String(await starting)).to.contain('the player was stopped');
      expect([player.status.connection, player.session]).to.deep.equal(['left', undefined]);
    });

    it('and started again delivers what had its number and no answer, once, before what is done then', async () => {
      const player = await at.started();
      void player.increase('landings', 1);
      at.proxy.fate = (request) => (/saves/.test(request.url ?? '') ? 'drop-response' : 'pass');
      await failure(player.save());
      player.stop();
      at.reachable();
      let failed = 0;
      player.onFailedTry(() => failed++);
      // It tries again as it did before it was stopped.
      at.proxy.fate = (request) => (failed === 0 && /join/.test(request.url ?? '') ? 'drop-request' : 'pass');
      await player.start();
      expect([player.status.connection, player.pending]).to.deep.equal(['online', 0]);
      void player.increase('landings', 2);
      await player.save();
      expect(await at.stored(player, 'progress/landings')).to.equal(3);
      await player.leave();
      const { unsettled } = await at.world.operator.unsettled(player.player?.id ?? '');
      expect(unsettled).to.deep.equal([]);
    });

    it('and started again says what became of each change, to the game and to whoever waits for it', async () => {
      const player = await at.started();
      const refused: string[] = [];
      player.onRefused(({ problem }) => refused.push(problem.code));
      const landed = player.transaction('landing', (draft) => draft.increase('landings', 1));
      const drifted = player.transaction('drift', (draft) => draft.put('drift', { metres: 3 }, { ifRevision: 1 }));
      at.proxy.fate = (request) => (/saves/.test(request.url ?? '') ? 'drop-request' : 'pass');
      await failure(player.save());
      player.stop();
      const route = `/v1/players/${player.player?.id ?? ''}/records/progress/drift`;
      await at.world.call('PUT', route, { metres: 9 }, { 'If-Match': '"1"' });
      at.reachable();
      await player.start();
      expect(landed.applied && (await landed.saved)).to.deep.equal({ applied: true });
      expect(drifted.applied && (await drifted.saved)).to.have.nested.property('problem.code', 'revision-mismatch');
      expect(refused).to.deep.equal(['revision-mismatch']);
      expect(player.value('landings')).to.equal(1);
      expect(player.value('drift')).to.have.property('metres', 9);
      await player.leave();
    });
  });

  it('takes no more changes once its last save has its number, and says so', async () => {
    const player = await at.started();
    void player.increase('landings', 1);
    const left = player.leave();
    expect(player.isLeaving).to.equal(true);
    await until(() => player.unanswered.length === 1 || player.status.connection === 'left');
    expect(() => player.transaction('late', (draft) => draft.increase('landings', 2))).to.throw(/leaving|player left/);
    await left;
    expect(await at.stored(player, 'progress/landings')).to.equal(1);
  });

  it('puts aside what the service will never take, tells the game, and goes on', async () => {
    const player = await at.started();
    const local = (player as unknown as { local: { takeForSave(): readonly Transaction[] } }).local;
    const { takeForSave } = local;
    let hasSlipped = false;
    local.takeForSave = function (this: typeof local) {
      const [first, ...others] = takeForSave.call(this);
      if (hasSlipped || first === undefined) return first === undefined ? [] : [first, ...others];
      hasSlipped = true;
      return [
        { label: 'slipped in', changes: [{ op: 'increase', key: 'progress/landings', path: '', by: 'one' as never }] },
        ...others,
      ];
    };
    const refused: string[] = [];
    player.onRefused(({ problem }) => refused.push(problem.code));
    for (const by of [1, 2, 4]) player.transaction(`by ${by}`, (draft) => draft.increase('landings', by));
    const saved = await player.save();
    expect([saved.refused.length, refused]).to.deep.equal([1, ['request-invalid']]);
    void player.increase('landings', 8);
    await player.save();
    expect([player.value('landings'), player.pending]).to.deep.equal([14, 0]);
    expect(await at.stored(player, 'progress/landings')).to.equal(14);
    expect(player.setAside.map(({ transaction }) => transaction.label)).to.deep.equal(['slipped in']);
    // Kept on the device, for whoever looks into it.
    at.device.kill('tab-1');
    const again = await at.started();
    expect(again.setAside).to.have.length(1);
    await again.leave();
  });
});
