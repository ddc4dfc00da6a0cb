import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

describe('the command line, for what a player had', () => {
  const config = mkdtempSync(path.join(tmpdir(), 'vekkon-mending-'));
  const environment = { VEKKON_CONFIG: config, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
  let world: World;
  const run = (...args: string[]) => vekkon(args, environment).ended;
  before(async () => {
    world = await World.start();
    await (await world.host().join('p-10442', { name: 'Maren Holt' })).leave();
    await run('sign-in', '--url', world.url, '--email', World.admin.email);
  });
  after(async () => {
    await world.close();
    rmSync(config, { recursive: true });
  });

  it('lists what records held before, and brings a revision or a moment back', async () => {
    const session = await world.host().join('p-10470');
    for (const chapter of [2, 3]) {
      session.put('flight', { chapter, charted: [], metres: 0 });
      await session.save();
    }
    await session.leave();
    const { out } = await run('player', 'history', 'p-10470', 'progress/flight');
    expect(out)
      .to.match(/WHEN +RECORD +REVISION +BY +LABEL +CHANGED/)
      .and.match(/progress\/flight +3 +ridge-eu-1 +– +chapter: 2 → 3/);
    const restored = await run(
      'player',
      'restore',
      'p-10470',
      '--record',
      'progress/flight',
      '--revision',
      '2',
      '--yes',
    );
    expect([restored.out, restored.err]).to.deep.equal([
      'Restored: progress/flight is at revision 4.\n',
      'progress/flight, revision 2: {"chapter":2,"charted":[],"metres":0}\n',
    ]);
    const moment = new Date().toISOString();
    expect((await run('player', 'edit', 'p-10470', '--set', 'progress/climbs=9', '--yes')).out).to.contain('Changed');
    const { out: then } = await run('player', 'as-of', 'p-10470', moment);
    expect(then).to.contain('progress/climbs\n  9 → 0');
    expect(then).to.contain(`vekkon player restore p-10470 --as-of ${moment}`);
    const asked = await run('player', 'restore', 'p-10470', '--as-of', moment);
    expect([asked.status, asked.err.includes('progress/climbs\n  9 → 0')]).to.deep.equal([2, true]);
    const back = await run('player', 'restore', 'p-10470', '--as-of', moment, '--yes');
    expect(back.out).to.equal('Restored: progress/climbs.\n');
    expect((await run('player', 'as-of', 'p-10470', moment)).out).to.contain('p-10470 has what they had');
    const both = await run('player', 'restore', 'p-10470', '1', '--as-of', moment);
    expect([both.status, both.err]).to.deep.equal([
      2,
      'vekkon: Say one of three: the number of a checkpoint, --record with --revision, or --as-of with a time.\n',
    ]);
  });

  it('edits records by hand: shown as a difference, sent as one, refused in words', async () => {
    await (await world.host().join('p-10480')).leave();
    const edit = (...args: string[]) => run('player', 'edit', 'p-10480', ...args);
    const sets = ['--set', 'progress/climbs=7', 'currency/feather=55', '--reason', 'lost in a storm'];
    const asked = await edit(...sets);
    expect([asked.status, asked.err]).to.satisfy(
      ([status, err]: [number, string]) => status === 2 && err.includes('currency/feather\n  40 → 55'),
    );
    expect((await edit(...sets, '--yes')).out).to.equal('Changed: progress/climbs, currency/feather.\n');
    expect((await edit(...sets, '--yes')).out).to.equal('Nothing is different: nothing was changed.\n');
    expect((await run('player', 'ledger', 'p-10480')).out).to.match(/15 +55 .*lost in a storm/);
    const wrong = await edit('--set', 'progress/climbs=many', '--yes');
    expect([wrong.status, wrong.err.includes('Nothing was changed: ')]).to.deep.equal([1, true]);
    expect((await edit('--set', 'score/gorge-run=1', '--yes')).err).to.contain('holds what its results make of it');
    expect((await edit('--set', 'progress/climbs')).status).to.equal(2);
    const inEditor = (script: string) =>
      vekkon(['player', 'edit', 'p-10480', '--yes'], { ...environment, VISUAL: `sed -i ${script}` }).ended;
    expect((await inEditor("'s#^progress/climbs: 7#progress/climbs: 8#'")).out).to.equal('Changed: progress/climbs.\n');
    expect((await inEditor("'s#^progress/climbs: 8#progress/climbs: [#'")).err).to.contain("can't be read as YAML");
    expect((await inEditor("'/x-nothing/d'")).out).to.contain('Nothing is different');
    expect((await run('player', 'show', 'p-10480')).out).to.match(/progress\/climbs +3 +8/);
  });

  it('exports everything that is kept of a player, and asks before it overwrites a file', async () => {
    const target = path.join(config, 'p-10442.json');
    expect((await run('player', 'export', 'p-10442', target)).out).to.match(/has everything of p-10442: \d+ records/);
    expect(JSON.parse(readFileSync(target, 'utf8'))).to.have.nested.property('player.name', 'Maren Holt');
    expect((await run('player', 'export', 'p-10442', target)).status).to.equal(2);
    expect((await run('player', 'export', 'p-10442', target, '--yes')).status).to.equal(0);
    expect(JSON.parse((await run('player', 'export', 'p-10442')).out)).to.include({ format: 'vekkon-player' });
  });
});
