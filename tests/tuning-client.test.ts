import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { TunableUnknown, type HostSession, type VekkonHost } from '@vekkon/client';
import type { Manifest } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import type { PutDraftRequest } from '@vekkon/protocol';
import { Device } from './world/device.js';
import { tunablesOfAllSorts } from './world/tunables-of-all-sorts.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

describe('a game that is tuned from afar', () => {
  let world: World;
  let host: VekkonHost;
  beforeEach(async () => {
    world = await World.start({ manifest: tunablesOfAllSorts });
    host = world.host('ridge-eu-1', { deadline: 5_000 });
  });
  afterEach(async () => {
    await host.close();
    expect(world.faults()).to.deep.equal([]);
    await world.close();
  });

  async function publish(tunable: string, tuned: Omit<PutDraftRequest, 'revision'>): Promise<void> {
    const { tuning } = world.operator;
    const { revision } = await tuning.draft();
    const put = await tuning.put(tunable, { ...tuned, revision });
    await tuning.publish({ note: 'a test of the wind', revision: put.revision });
  }

  /** What a watcher is told, as it comes. */
  function watched(session: Pick<HostSession, 'tuning'>, name: string) {
    const told: unknown[] = [];
    session.tuning.watch(name, (value) => told.push(value));
    return told;
  }

  const soon = (milliseconds: number) => new Date(Date.now() + milliseconds).toISOString();

  it('hears of a publication at once, for nobody in particular and for each session', async () => {
    const session = await host.join('p-maren', { attributes: { country: 'PT' } });
    const [forAll, forMaren] = [watched(host, 'thermal-strength'), watched(session, 'thermal-strength')];
    expect([host.tuning.get('thermal-strength'), session.tuning.get('thermal-strength')]).to.deep.equal([1, 1]);
    await publish('thermal-strength', {
      value: 2,
      adjustments: [{ value: 3, audience: { attribute: 'country', is: 'PT' } }],
    });
    await until(() => forAll.length > 0 && forMaren.length > 0);
    expect([forAll, forMaren, session.tuning.edition]).to.deep.equal([[2], [3], 1]);
  });

  it('follows what the player does before it is saved, and what it is told where it was not listening', async () => {
    await publish('thermal-strength', { adjustments: [{ value: 3, audience: { attribute: 'chapter', atLeast: 5 } }] });
    const session = await host.join('p-maren');
    const told = watched(session, 'thermal-strength');
    await until(() => host.tuning.edition === 1);
    session.merge('flight', { chapter: 5 });
    expect([told, session.tuning.get('thermal-strength')]).to.deep.equal([[3], 3]);
  });

  it('opens and closes a window on the second, without a network', async () => {
    const from = soon(3_000);
    const closes = new Date(Date.parse(from) + 700).toISOString();
    await publish('storm-warning', { adjustments: [{ value: true, window: { from, until: closes } }] });
    const session = await host.join('p-maren');
    const times: [unknown, number][] = [];
    session.tuning.watch('storm-warning', (value) => times.push([value, Date.now() - Date.parse(from)]));
    expect(session.tuning.nextChangeAt?.toISOString()).to.equal(from);
    await world.stop();
    await until(() => times.length === 2);
    expect(times.map(([value]) => value)).to.deep.equal([true, false]);
    // Never early; how late a busy machine makes it is the benchmark's to say.
    expect(times[0]?.[1]).to.be.at.least(0);
    expect(times[1]?.[1]).to.be.at.least(700);
    await world.startAgain();
  });

  it('holds values still for one round', async () => {
    const session = await host.join('p-maren');
    const told = watched(session, 'camp-note');
    const round = session.tuning.frozen();
    await publish('camp-note', { value: 'Soup at eight' });
    await until(() => told.length > 0);
    expect([round.get('camp-note'), session.tuning.get('camp-note')]).to.deep.equal(['', 'Soup at eight']);
    expect([round.edition, session.tuning.frozen().edition]).to.deep.equal([0, 1]);
  });

  it('says what is no tunable, and what was meant', async () => {
    const session = await host.join('p-maren');
    for (const look of [session.tuning, session.tuning.frozen()]) {
      expect(() => look.get('thermal-strenght')).to.throw(TunableUnknown, 'did you mean "thermal-strength"?');
    }
  });

  it('that never asks for a tunable opens no stream for it', async () => {
    const openStreams = async () => {
      const headers = { Authorization: `Bearer ${world.operatorToken}` };
      const text = await (await fetch(`${world.url}/metrics`, { headers })).text();
      return Number(/^vekkon_streams_open (\d+)$/m.exec(text)?.[1]);
    };
    const session = await host.join('p-maren');
    await until(async () => (await openStreams()) === 1);
    await session.save();
    expect(await openStreams()).to.equal(1);
    session.tuning.get('camp-note');
    await until(async () => (await openStreams()) === 2);
    await session.leave();
    await until(async () => (await openStreams()) === 0);
  });

  it('shows testers the draft, and can say so', async () => {
    const session = await host.join('p-maren');
    const told = watched(session, 'thermal-strength');
    const { tuning } = world.operator;
    await tuning.put('thermal-strength', { value: 4, revision: 0 });
    expect(session.tuning.isDraft).to.equal(false);
    await tuning.setTesters(['p-maren']);
    await until(() => session.tuning.isDraft);
    expect([told, session.tuning.get('thermal-strength'), host.tuning.get('thermal-strength')]).to.deep.equal([
      [4],
      4,
      1,
    ]);
    await tuning.setTesters([]);
    await until(() => !session.tuning.isDraft);
    expect(session.tuning.get('thermal-strength')).to.equal(1);
  });

  it('starts offline on what was last seen, and on the manifest where nothing was', async () => {
    const spool = mkdtempSync(path.join(tmpdir(), 'vekkon-spool-'));
    try {
      await publish('thermal-strength', { value: 2 });
      const first = world.host('ridge-eu-2', { deadline: 5_000, spool });
      await first.join('p-sol');
      await until(() => first.tuning.get('thermal-strength') === 2);
      await first.close();
      await world.stop();
      const second = world.host('ridge-eu-2', { deadline: 10, spool });
      expect(second.tuning.get('thermal-strength')).to.equal(2);
      await second.close();
      const third = world.host('ridge-eu-3', { deadline: 10, manifest: tunablesOfAllSorts });
      const unsaved = await third.joinOrPlayUnsaved('p-sol');
      expect(unsaved.tuning.get('thermal-strength')).to.equal(1);
      await third.close();
      await world.startAgain();
    } finally {
      rmSync(spool, { recursive: true });
    }
  });

  it('tells designers which tunables are asked for, and by which builds', async () => {
    const player = new Device().open(world, 'tab-1', { deadline: 5_000, attributes: { build: '1.8.0' } });
    await player.start();
    player.tuning.get('camp-note');
    // Said with the next renewal, such as when the stream comes back.
    await world.restart(Number(new URL(world.url).port));
    const asked = async () => (await world.operator.tuning.draft()).tunables['camp-note']?.asked ?? [];
    await until(async () => (await asked()).length > 0);
    expect((await asked())[0]?.build).to.equal('1.8.0');
    expect((await world.operator.tuning.draft()).tunables['storm-warning']?.asked).to.deep.equal([]);
    await player.leave();
  });

  describe('on a player’s own device', () => {
    const read = readManifestFile(tunablesOfAllSorts);
    const manifest = ('manifest' in read ? read.manifest : undefined) as Manifest;

    it('hears of a publication on the stream of its session', async () => {
      const player = new Device().open(world, 'tab-1', { deadline: 5_000 });
      await player.start();
      const told = watched(player, 'storm-warning');
      expect(player.tuning.get('storm-warning')).to.equal(false);
      await publish('storm-warning', { value: true });
      await until(() => told.length > 0);
      expect(told).to.deep.equal([true]);
      await player.leave();
    });

    it('starts offline on what it last saw, with its windows still to open', async () => {
      const device = new Device();
      const from = soon(3_000);
      await publish('thermal-strength', { value: 2 });
      await publish('storm-warning', { adjustments: [{ value: true, window: { from } }] });
      const player = device.open(world, 'tab-1', { deadline: 5_000 });
      await player.start();
      await player.leave();
      device.kill('tab-1');
      await world.stop();
      const again = device.open(world, 'tab-2');
      await again.start();
      const told = watched(again, 'storm-warning');
      expect([again.tuning.get('thermal-strength'), again.status.connection]).to.deep.equal([2, 'offline']);
      await until(() => told.length > 0 || again.tuning.get('storm-warning') === true);
      expect(Date.now()).to.be.at.least(Date.parse(from));
      again.stop();
      const first = new Device().open(world, 'tab-1', { manifest });
      await first.start();
      expect(first.tuning.get('thermal-strength')).to.equal(1);
      first.stop();
      await world.startAgain();
    });
  });
});
