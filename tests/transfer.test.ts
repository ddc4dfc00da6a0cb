import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { gunzipSync } from 'node:zlib';
import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client/operator';
import { demoManifest } from '@vekkon/demo';
import { verifyStore } from '@vekkon/store';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

describe('players who go elsewhere, and come from there', () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-transfer-'));
  const environment = { VEKKON_CONFIG: folder, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
  const inFolder = (name: string) => path.join(folder, name);
  let world: World;
  let here: string;
  const run = (...args: string[]) => vekkon(args, environment).ended;
  before(async () => {
    world = await World.start();
    here = 'highfell-gliders/dev';
    await run('sign-in', '--url', world.url, '--email', World.admin.email);
    for (const [id, name] of [
      ['p-10442', 'Maren Holt'],
      ['p-10470', '=cmd(1)'],
      ['Ünlü', '王小明'],
    ] as const) {
      const session = await world.host().join(id, { name });
      session.put('flight', { chapter: 3, charted: ['gull-ridge'], metres: 1200.5 });
      session.credit('feather', 30, 'climb');
      session.gain('pack', 'flare', 2);
      await session.leave();
    }
    await world
      .host()
      .change('p-unborn', 'gift', [
        { changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'gift' }] },
      ]);
  });
  after(async () => {
    await world.close();
    rmSync(folder, { recursive: true });
  });

  const balance = async (id: string) => (await world.operator.player(id)).records['currency/feather']?.value;

  it('are one document a line, in the order of ids; erased and imported again, they are the same bytes', async () => {
    const file = inFolder('all.ndjson.gz');
    const { out } = await run('export', file, '--environment', here);
    expect(out).to.equal(`${file} has 4 players.\n`);
    const text = gunzipSync(readFileSync(file)).toString();
    const lines = text
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as { player: string; records: object });
    expect(lines.map(({ player }) => player)).to.deep.equal(['p-10442', 'p-10470', 'p-unborn', 'Ünlü']);
    expect(lines[0]?.records).to.deep.include({ 'currency/feather': 70 });
    for (const { player } of lines) await world.operator.erase(player);
    const refused = await run('import', file, '--yes', '--environment', here);
    expect(refused.out).to.contain('4 would be refused').and.to.contain('player-erased');
    const imported = await run('import', file, '--revive', '--yes', '--environment', here);
    expect([imported.status, imported.err, imported.out.includes('4 were made')]).to.deep.equal([0, '', true]);
    const again = inFolder('again.ndjson');
    await run('export', again, '--environment', here);
    expect(readFileSync(again, 'utf8')).to.equal(text);
    const { activity } = await world.operator.activity({ what: 'imported' });
    expect(activity.map(({ by, detail }) => `${by}: ${detail}`)).to.deep.equal([
      `${World.admin.email}: 4 players made, 0 changed`,
    ]);
    // Once more changes nothing, and says so.
    const twice = await run('import', again, '--yes', '--environment', here);
    expect(twice.out).to.contain('4 have the same already').and.to.contain('Nothing is left to take in.');
    // Who had joined before is known, and who had not is new.
    expect((await world.host().join('p-10442')).player.isNew).to.equal(false);
    const unborn = await world.host().join('p-unborn');
    expect([unborn.player.isNew, unborn.balance('feather')]).to.deep.equal([true, 45]);
    for (const id of ['p-10442', 'p-unborn']) await (await world.host().join(id)).leave();
  });

  it('are a table of chosen columns, whose cells no spreadsheet runs', async () => {
    const file = inFolder('some.csv');
    const columns = ['player', 'name', 'currency/feather', 'progress/flight#/chapter'];
    await run('export', file, '--columns', ...columns, '--environment', here);
    const [head, ...rows] = readFileSync(file, 'utf8').split('\r\n');
    expect(head).to.equal(columns.join(','));
    expect(rows).to.include("p-10470,'=cmd(1),70,3");
    const wrong = await run('export', inFolder('x.csv'), '--columns', 'feather', '--environment', here);
    expect([wrong.status, wrong.err.includes('There is no column "feather"')]).to.deep.equal([2, true]);
  });

  it('come from a table of another making by a mapping, with what is wrong by its line', async () => {
    writeFileSync(
      inFolder('foreign.csv'),
      [
        'user_id,nick,coins,level,sound',
        'u-1,Wren,120,4,yes',
        'u-2,"Holt, Thea",twelve,2,no',
        ',Nobody,1,1,no',
        'u-4,Bram,90,99,no',
        'u-5,,,,',
        'p-10442,Maren,1,1,no',
      ].join('\n'),
    );
    writeFileSync(
      inFolder('mapping.yaml'),
      [
        'player: user_id',
        'name: nick',
        'records:',
        '  currency/feather: { from: coins, as: number }',
        '  progress/flight#/chapter: { from: level, as: number }',
        '  preference/invert-pitch: { from: sound, as: yes-no }',
      ].join('\n'),
    );
    const args = ['import', inFolder('foreign.csv'), '--mapping', inFolder('mapping.yaml'), '--environment', here];
    const { out } = await run(...args, '--dry-run', '--json');
    const told = JSON.parse(out) as { counts: object; faults: { line: number; code: string; detail: string }[] };
    expect(told.counts).to.include({ new: 2, refused: 4 });
    expect(told.faults.map(({ line, code }) => [line, code])).to.deep.equal([
      [3, 'line-unreadable'],
      [4, 'line-unreadable'],
      [5, 'record-misfit'],
      [7, 'player-exists'],
    ]);
    expect(told.faults[0]?.detail).to.equal('"coins" is "twelve", which is no number');
    await run(...args, '--yes');
    const { records, name } = await world.operator.player('u-1');
    expect([name, records['progress/flight']?.value, records['preference/invert-pitch']?.value]).to.deep.equal([
      'Wren',
      { chapter: 4, charted: [], metres: 0 },
      true,
    ]);
    const { lines } = await world.operator.ledger('u-1');
    expect(lines[0]).to.include({ op: 'restore', reason: 'imported', balance: 120, by: World.admin.email });
    const bare = await run('import', inFolder('foreign.csv'), '--environment', here);
    expect([bare.status, bare.err.includes('--mapping')]).to.deep.equal([2, true]);
  });

  it('who are there already are refused, kept or changed, and left alone while they are in a session', async () => {
    const lines = [{ player: 'p-10442', records: { 'currency/feather': 1 } }];
    const become = async (existing: 'refuse' | 'keep' | 'update') =>
      (await world.operator.transfer.import({ lines, existing })).results.map(({ outcome, code }) => code ?? outcome);
    expect(await become('refuse')).to.deep.equal(['player-exists']);
    expect(await become('keep')).to.deep.equal(['kept']);
    const session = await world.host().join('p-10442');
    expect(await become('update')).to.deep.equal(['player-in-session']);
    await session.leave();
    expect(await balance('p-10442')).to.equal(70);
    expect(await become('update')).to.deep.equal(['updated']);
    expect(await balance('p-10442')).to.equal(1);
    expect((await world.operator.trash('p-10442')).trash[0]).to.include({ key: 'currency/feather', value: 70 });
    expect(await become('update')).to.deep.equal(['same']);
    const host = await world.call('GET', '/v1/export');
    expect(host.status).to.equal(403);
  });

  it('are copied into another environment', async () => {
    await world.operator.createEnvironment({ manifest: demoManifest(), environment: 'stage' });
    const args = [
      'player',
      'copy',
      'p-10470',
      '--to',
      'highfell-gliders/stage',
      '--as',
      'p-fault',
      '--environment',
      here,
    ];
    const asked = await run(...args);
    expect([asked.status, asked.err.includes('p-fault is made in highfell-gliders/stage')]).to.deep.equal([2, true]);
    expect((await run(...args, '--yes')).out).to.equal('p-fault in highfell-gliders/stage has what p-10470 has.\n');
    const stage = new VekkonOperator({
      url: world.url,
      token: world.operatorToken,
      environment: 'highfell-gliders/stage',
    });
    expect((await stage.player('p-fault')).records['currency/feather']?.value).to.equal(70);
    expect((await run(...args, '--yes')).out).to.contain('has the same already');
  });
});

describe('a service that is killed while players come in', () => {
  const killing = path.join(import.meta.dirname, 'world/kill-at.mjs');

  for (const point of ['before the commit', 'after the commit']) {
    it(`${point}, has each once when the import that waited for it is over`, async () => {
      const world = await World.start();
      const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-import-'));
      const file = path.join(folder, 'many.ndjson');
      const ids = Array.from({ length: 600 }, (_, index) => `p-${String(index).padStart(3, '0')}`);
      writeFileSync(
        file,
        ids.map((player) => JSON.stringify({ player, records: { 'currency/feather': 100 } })).join('\n'),
      );
      const port = new URL(world.url).port;
      const environment = { VEKKON_CONFIG: folder, VEKKON_PASSWORD: World.admin.password };
      await vekkon(['sign-in', '--url', world.url, '--email', World.admin.email], environment).ended;
      await world.stop();
      const when = path.join(folder, 'now');
      const serve = async (more: { readonly [name: string]: string }) => {
        const service = vekkon(['serve', '--data', world.folder, '--port', port, '--log', 'json'], more);
        await service.says(/"url":"([^"]+)"/);
        return service;
      };
      const first = await serve({ NODE_OPTIONS: `--import ${killing}`, VEKKON_KILL_AT: point, VEKKON_KILL_WHEN: when });
      const importing = vekkon(['import', file, '--yes'], environment);
      // What it would do is looked at without a commit: the first kills it.
      writeFileSync(when, '');
      await first.ended;
      const second = await serve({});
      const { status, out } = await importing.ended;
      expect([status, out.includes('were made') || out.includes('have the same already')]).to.deep.equal([0, true]);
      const operator = new VekkonOperator({ url: world.url, token: world.operatorToken });
      let players = 0;
      for await (const line of operator.transfer.export()) {
        expect(line).to.contain('"currency/feather":100');
        players++;
      }
      expect(players).to.equal(600);
      expect((await operator.ledger('p-000')).lines).to.have.length(1);
      await second.stop();
      expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
      await world.forget();
      rmSync(folder, { recursive: true });
    });
  }
});
