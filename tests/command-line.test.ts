import Database from 'better-sqlite3';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { Device } from './world/device.js';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

describe('the command line', () => {
  let world: World;
  let environment: NodeJS.ProcessEnv;
  let config: string;

  const run = (...args: string[]) => vekkon(args, environment).ended;

  before(async () => {
    world = await World.start();
    config = mkdtempSync(path.join(tmpdir(), 'vekkon-config-'));
    environment = { VEKKON_CONFIG: config, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
    const session = await world.host().join('p-10442', { name: 'Maren Holt' });
    session.credit('feather', 2, 'climb');
    await session.leave();
    const signedIn = await run('sign-in', '--url', world.url, '--email', World.admin.email);
    expect(signedIn.out).to.contain('as Tobin (admin)');
    expect(signedIn.status).to.equal(0);
  });
  after(async () => {
    await world.close();
    rmSync(config, { recursive: true });
  });

  it('lists only those players who are in a session, joined lately, or have something unsettled', async () => {
    const session = await world.host('ridge-eu-8').join('p-10490', { name: 'Ada Moss' });
    const lines = async (...args: string[]) => (await run('player', 'list', ...args)).out;
    expect(await lines('--in-session'))
      .to.match(/p-10490 +Ada Moss +ridge-eu-8/)
      .and.not.contain('p-10442');
    expect(await lines('--joined-since', '1h'))
      .to.contain('p-10490')
      .and.contain('p-10442');
    await session.leave();
    expect(await lines('--in-session', '--search', 'moss')).to.equal('No player matches.\n');
    expect(await lines('--unsettled')).to.equal('No player matches.\n');
  });

  it('lists players', async () => {
    const { out, status } = await run('player', 'list', '--search', 'maren');
    expect(out)
      .to.match(/^PLAYER +NAME +IN SESSION ON +LAST JOINED/)
      .and.match(/p-10442 +Maren Holt/);
    expect(status).to.equal(0);
  });

  it('shows a player', async () => {
    const { out } = await run('player', 'show', 'p-10442');
    expect(out)
      .to.match(/currency\/feather +2 +42/)
      .and.match(/score\/gorge-run +0 +no result yet/);
    expect(out).to.match(/ridge-eu-1 +1 +left/);
  });

  it('prints JSON for programs', async () => {
    const { out } = await run('player', 'show', 'p-10442', '--json');
    const player = JSON.parse(out) as { records: Record<string, unknown>; sessions: unknown[] };
    expect(player.records['currency/feather']).to.deep.equal({ revision: 2, value: 42 });
    expect(player.sessions).to.have.length(1);
  });

  it('makes the first admin with the link, signs in with it, and out again', async () => {
    const data = mkdtempSync(path.join(tmpdir(), 'vekkon-first-'));
    const service = vekkon(['serve', '--data', data, '--port', '0']);
    const [, link] = await service.says(/(http:\S+#vki_\S+)/);
    const own = { ...environment, VEKKON_CONFIG: path.join(data, 'config'), VEKKON_PASSWORD: 'long-step-and-salt-col' };
    const first = (given: string) =>
      vekkon(['operator', 'first', given, '--email', 'maren@highfell.example', '--name', 'Maren'], own).ended;
    expect((await first(link!.slice(0, 30))).err).to.contain('This is not the whole link');
    expect((await first(link!)).out).to.contain('Maren is the first admin of');
    const again = await first(link!);
    expect([again.status, again.err]).to.deep.equal([
      1,
      'vekkon: A link works once, and there is an admin already: sign in instead. (invitation-invalid)\n',
    ]);
    expect((await vekkon(['game', 'list'], own).ended).status).to.equal(0);
    expect((await vekkon(['sign-out'], own).ended).out).to.contain('maren@highfell.example is signed out');
    expect((await vekkon(['game', 'list'], own).ended).err).to.contain('You are not signed in');
    await service.stop();
    rmSync(data, { recursive: true });
  });

  it('says in its own words what is wrong, and what to do', async () => {
    const wrong: readonly [args: readonly string[], status: number, says: string][] = [
      [['player', 'bring-back', 'p-10442', 'abc'], 2, "invalid for argument 'number'. Write a whole number from 1"],
      [['player', 'bring-back', 'p-10442', '99'], 1, 'Nothing with the number 99 is in the trash'],
      [['player', 'restore', 'p-10442', '99'], 1, 'has no checkpoint 99'],
      [['player', 'shut-out', 'p-10442', 'dev-1'], 1, 'has no device dev-1'],
      [['key', 'revoke', 'vkh_nobody'], 1, 'There is no key vkh_nobody… here'],
      [['activity', '--count', '0'], 2, 'Write a whole number from 1 to 500'],
      [['disturb', 'start'], 2, 'Say which faults'],
      [['rehearse', '--watch', 'ridge-nowhere'], 1, 'No session was ever opened by "ridge-nowhere"'],
      [['manifest', 'check', '/nowhere.yaml'], 2, "/nowhere.yaml can't be read: there is no such file or folder"],
      [['serve', '--data', config, '--port', new URL(world.url).port], 1, 'is taken by another process'],
    ];
    await Promise.all(
      wrong.map(async ([args, status, says]) => {
        const ended = await run(...args);
        expect([args.join(' '), ended.status]).to.deep.equal([args.join(' '), status]);
        expect(ended.err).to.contain(says);
      }),
    );
    const damaged = mkdtempSync(path.join(tmpdir(), 'vekkon-damaged-'));
    writeFileSync(path.join(damaged, 'signed-in.json'), '{}');
    const ended = await vekkon(['game', 'list'], { ...environment, VEKKON_CONFIG: damaged }).ended;
    expect([ended.status, ended.err]).to.deep.equal([
      2,
      `vekkon: ${path.join(damaged, 'signed-in.json')} is damaged: sign in again with "vekkon sign-in --url URL --email E-MAIL".\n`,
    ]);
    rmSync(damaged, { recursive: true });
  });

  it('lists games', async () => {
    expect((await run('game', 'list')).out).to.match(/highfell-gliders\/dev +Highfell Gliders +– +1/);
  });

  it('makes keys and revokes them, asked or told beforehand', async () => {
    const made = (await run('key', 'create', '--name', 'a-report', '--scope', 'read', 'boards')).out.trim();
    expect(made).to.match(/^vkh_/);
    const id = made.slice(0, 12);
    expect((await run('key', 'revoke', id)).status).to.equal(2);
    expect((await run('key', 'revoke', id, '--yes')).status).to.equal(0);
    expect((await run('key', 'list')).out).to.match(
      new RegExp(`${id}… +a-report +host-key +read, boards +\\S+ \\S+ +never +revoked \\d{4}-`),
    );
  });

  it('says every mistake in a manifest file, without a service', async () => {
    const file = path.join(config, 'mistaken.yaml');
    writeFileSync(
      file,
      'manifest: 1\ngame: highfell-gliders\nprogres:\n  climbs: 0\ncurrencies:\n  opal: { floor: low }\n',
    );
    const { out, status } = await vekkon(['manifest', 'check', file], { VEKKON_CONFIG: path.join(config, 'empty') })
      .ended;
    expect(out)
      .to.match(/:3:1 .*did you mean "progress"/)
      .and.match(/:6:11 .*must be a whole number/);
    expect(status).to.equal(1);
    const right = await run('manifest', 'check', 'packages/demo/highfell-gliders.yaml');
    expect([right.status, right.out]).to.deep.equal([
      0,
      [
        'packages/demo/highfell-gliders.yaml is right: highfell-gliders, 17 records, 3 items, 4 tunables.',
        ...['progress/landings', 'progress/drift', 'score/valley'].map(
          (key) => `Players may write ${key} ("player: write"): what it holds can be forged.`,
        ),
        '',
      ].join('\n'),
    ]);
  });

  it('shows the manifest that is installed', async () => {
    expect((await run('manifest', 'show')).out)
      .to.match(/currency\/feather +40 +always +read/)
      .and.match(/gorge-run +lower is better, best/);
  });

  it('says where unsettled ones pile up, and drops all that are meant, shown before it asks', async () => {
    const late = await world.joinPlainly('p-piled', 'ridge-eu-6');
    await world.joinPlainly('p-piled', 'ridge-eu-6');
    const credit = { op: 'credit', key: 'currency/feather', amount: 5, reason: 'gorge' };
    const transactions = [{ changes: [credit] }, { changes: [credit] }];
    await world.call('POST', `/v1/sessions/${late}/saves`, { number: 1, transactions });
    const sums = (await run('unsettled', 'sums')).out;
    expect(sums)
      .to.match(/2 transactions, 1 unlike/)
      .and.match(/session-ended +ridge-eu-6 +1 +2/);
    expect(sums).to.match(/p-piled +1 +2 +1 KiB/);
    const listed = (await run('unsettled', 'list', '--host', 'ridge-eu-6', '--since', '1h')).out;
    expect(listed).to.match(/p-piled +2 .+credit currency\/feather 10/);
    expect((await run('unsettled', 'drop')).err).to.contain('Name ids, or say which are meant');
    expect((await run('unsettled', 'drop', '--reason', 'credit-limit', '--yes')).out).to.contain('Nothing like that');
    const dry = await run('unsettled', 'drop', '--host', 'ridge-eu-6', '--dry-run');
    expect(dry.out).to.contain('1 unlike one, which hold 2 transactions');
    const asked = await run('unsettled', 'drop', '--host', 'ridge-eu-6');
    expect([asked.status, asked.err]).to.deep.include(2);
    expect(asked.err).to.contain('2 transactions will never be applied');
    expect((await run('unsettled', 'drop', '--host', 'ridge-eu-6', '--yes')).out).to.contain('1 unlike one is dropped');
  });

  it('lists what is unsettled, settles one and drops another', async () => {
    const late = await world.joinPlainly('p-late', 'ridge-eu-5');
    await world.joinPlainly('p-late', 'ridge-eu-5');
    const credit = { op: 'credit', key: 'currency/feather', amount: 5, reason: 'gorge' };
    const transactions = [{ label: 'gorge cleared', changes: [credit] }, { changes: [credit] }];
    await world.call('POST', `/v1/sessions/${late}/saves`, { number: 1, transactions });
    const listed = (await run('unsettled', 'list')).out;
    expect(listed).to.match(/p-late +1 +\S+ \S+ +session-ended +gorge cleared +credit currency\/feather/);
    const [one, other] = [...listed.matchAll(/uns_\S+/g)].map(([id]) => id) as [string, string];
    expect((await run('unsettled', 'settle', one)).status).to.equal(2);
    expect((await run('unsettled', 'settle', one, '--yes')).out).to.contain(`${one} is settled`);
    expect((await run('unsettled', 'drop', other, '--yes')).out).to.contain(`${other} is dropped`);
    expect((await run('unsettled', 'list')).out).to.equal('Nothing is unsettled.\n');
    expect((await run('unsettled', 'sums')).out).to.equal('Nothing is unsettled.\n');
    expect((await world.operator.player('p-late')).records['currency/feather']?.value).to.equal(45);
    expect((await run('activity')).out)
      .to.match(/unsettled-dropped/)
      .and.match(/unsettled-settled/);
  });

  it('starts, shows and stops a disturbance', async () => {
    const start = [
      'disturb',
      'start',
      '--refuse',
      '20%',
      '--delay',
      '50..400ms',
      '--lose-responses',
      '5%',
      '--for',
      '10m',
    ];
    expect((await run(...start)).out).to.contain(
      '20% of calls refused, each held up 50 to 400 ms, 5% of responses lost',
    );
    expect((await run('disturb', 'show')).out).to.contain('20% of calls refused');
    expect((await run('disturb', 'stop')).out).to.contain('Ended');
    expect((await run('disturb', 'show')).out).to.equal('No disturbance runs.\n');
    expect((await run('disturb', 'start', '--refuse', 'often')).status).to.equal(2);
  });

  it('ends with 1 when the service refuses', async () => {
    const { err, status } = await run('player', 'show', 'p-nobody');
    expect(err).to.contain('knows no player "p-nobody"').and.to.contain('player-unknown');
    expect(status).to.equal(1);
  });

  it('shows every mistake of a manifest that the service refuses', async () => {
    const file = path.join(config, 'wrong.yaml');
    writeFileSync(file, 'manifest: 1\ngame: highfell-gliders\nprogres:\n  climbs: 0\nboard: {}\n');
    const { err, status } = await run('game', 'create', file, '--environment', 'stage');
    expect(err)
      .to.match(/line 3, column 1: .*"progress"/)
      .and.match(/line 5, column 1: .*"boards"/);
    expect(status).to.equal(1);
  });

  it('ends with 2 when the command line is wrong', async () => {
    for (const args of [['player', 'shw'], ['player', 'show'], ['player', 'list', '--count', 'many'], ['fly']]) {
      const { err, status } = await run(...args);
      expect(status, args.join(' ')).to.equal(2);
      expect(err).to.contain('--help');
    }
  });

  it('ends with 2 when nobody is signed in', async () => {
    const { err, status } = await vekkon(['player', 'list'], { VEKKON_CONFIG: path.join(config, 'empty') }).ended;
    expect(err).to.contain('vekkon sign-in');
    expect(status).to.equal(2);
  });

  it('ends with 3 when the service is not reached', async () => {
    const { err, status } = await run('sign-in', '--url', 'http://127.0.0.1:9', '--email', World.admin.email);
    expect(err).to.contain('No answer from http://127.0.0.1:9');
    expect(status).to.equal(3);
  });

  it('lists checkpoints, and restores one when told so', async () => {
    const session = await world.host().join('p-10460');
    void session.credit('feather', 10, 'climb');
    await session.checkpoint('salt col', { summary: 'before the gorge' });
    void session.debit('feather', 45, 'wing');
    await session.leave();
    const { out } = await run('player', 'checkpoints', 'p-10460');
    expect(out)
      .to.match(/NUMBER +NAME +SUMMARY/)
      .and.match(/(\d+) +salt col +before the gorge .* ridge-eu-1 /);
    const number = /(\d+) +salt col/.exec(out)![1]!;
    const restored = await run('player', 'restore', 'p-10460', number, '--yes');
    expect(restored.out).to.contain('Restored: currency/feather.');
    const again = await run('player', 'restore', 'p-10460', number, '--yes');
    expect(again.out).to.contain('Everything was as the checkpoint holds it.');
    expect((await run('player', 'checkpoints', 'p-10442')).out).to.contain('There are no checkpoints.');
    const unknown = await run('player', 'restore', 'p-10460', '9999', '--yes');
    expect([unknown.status, unknown.err]).to.satisfy(
      ([status, err]: [number, string]) => status === 1 && err.includes('no checkpoint'),
    );
  });

  it('lists devices, and shuts one out', async () => {
    const device = new Device();
    const player = device.open(world, 'tab-1');
    await player.start();
    await player.leave();
    const { out } = await run('player', 'devices', player.player!.id);
    const id = /dev-[0-9a-f]+/.exec(out)![0];
    expect((await run('player', 'shut-out', player.player!.id, id, '--yes')).out).to.contain(`${id} is shut out.`);
    expect((await run('player', 'devices', player.player!.id)).out).to.match(/dev-\S+ +– +\d.* \d/);
  });

  it('says from which pages devices may call, and sets it', async () => {
    expect((await run('game', 'origins')).out).to.contain('Devices may call highfell-gliders/dev from any page.');
    const page = 'https://play.highfell.example';
    expect((await run('game', 'origins', '--allow', page)).out).to.contain(`from ${page}.`);
    expect((await run('game', 'origins', '--none')).out).to.contain('from no page but those that the service serves');
    const wrong = await run('game', 'origins', '--any', '--none');
    expect([wrong.status, wrong.err]).to.deep.equal([2, 'vekkon: Say one of --allow, --any and --none.\n']);
    expect((await run('game', 'origins', '--any')).out).to.contain('from any page');
  });
});

describe('the command line, for what a game keeps', () => {
  const config = mkdtempSync(path.join(tmpdir(), 'vekkon-manifests-'));
  const file = path.join(config, 'game.yaml');
  let world: World;
  const run = (...args: string[]) =>
    vekkon(args, { VEKKON_CONFIG: config, VEKKON_PASSWORD: World.admin.password }).ended;
  before(async () => {
    const init = ['init', '--title', 'Highfell Gliders', '--number', 'Climbs so far', '--currency', 'feather'];
    const { out } = await run(...init, '--file', file);
    expect(out).to.contain('vekkon game create');
    world = await World.start({ manifest: readFileSync(file, 'utf8') });
    await run('sign-in', '--url', world.url, '--email', World.admin.email);
    const session = await world.host().join('p-10442');
    session.increase('climbs-so-far', 12);
    session.credit('feather', 30, 'climb 8812');
    await session.leave();
  });
  after(async () => {
    await world.close();
    rmSync(config, { recursive: true });
  });

  it('writes a first manifest from three answers, and never over another file', async () => {
    expect(readFileSync(file, 'utf8')).to.contain('game: highfell-gliders').and.to.contain('climbs-so-far: 0');
    const again = await run('init', '--title', 'A', '--number', 'b', '--currency', 'none', '--file', file);
    expect([again.status, again.err]).to.deep.equal([
      2,
      `vekkon: ${file} is there already: choose another with --file.\n`,
    ]);
    const unasked = await run('init', '--file', `${file}.other`);
    expect([unasked.status, unasked.err.includes('--title')]).to.deep.equal([2, true]);
  });

  it('says what a file would change, installs it when told so, and shows its versions', async () => {
    const next = path.join(config, 'next.yaml');
    const text = readFileSync(file, 'utf8');
    writeFileSync(
      next,
      text.replace(
        'climbs-so-far: 0',
        'climbs: { formerly: [climbs-so-far], schema: { type: integer, maximum: 5, default: 0 } }',
      ),
    );
    const { out } = await run('manifest', 'diff', next);
    expect(out)
      .to.match(/renamed +progress\/climbs-so-far +now progress\/climbs/)
      .and.match(/progress\/climbs-so-far: 1\n +p-10442 .*must be <= 5/);
    expect((await run('manifest', 'install', next)).status).to.equal(2);
    const refused = await run('manifest', 'install', next, '--yes');
    expect([refused.status, refused.err.includes('manifest-misfits')]).to.deep.equal([1, true]);
    expect((await run('manifest', 'install', next, '--yes', '--accept-misfits')).out).to.equal(
      'Version 2 is installed.\n',
    );
    expect((await run('manifest', 'misfits')).out).to.match(/p-10442 +progress\/climbs-so-far +The value must be <= 5/);
    expect((await run('player', 'show', 'p-10442')).out).to.match(/progress\/climbs +2 +0 +\(misfit/);
    expect((await run('manifest', 'show')).out).to.match(/version 2, installed[^]*\n1 +\d{4}-/);
    expect((await run('manifest', 'show', '--version', '1')).out).to.contain('version 1, of 2');
    const same = await run('manifest', 'install', next);
    expect([same.status, same.out]).to.deep.equal([0, 'Version 2 says the same already: nothing changed.\n']);
  });

  it('pulls what was learned into a file, and asks before it overwrites one', async () => {
    expect((await run('manifest', 'learn', 'maybe')).status).to.equal(2);
    await run('manifest', 'learn', 'on');
    await world.call('PUT', '/v1/players/p-10442/records/preference/calm-air', 'true');
    const mine = path.join(config, 'mine.yaml');
    const pulled = await run('manifest', 'pull', mine);
    expect(pulled.out).to.contain('version 2').and.to.contain('learned: preferences/calm-air');
    expect(readFileSync(mine, 'utf8')).to.contain('calm-air: false').and.to.contain('# whole numbers');
    writeFileSync(mine, 'other');
    expect((await run('manifest', 'pull', mine)).status).to.equal(2);
    expect((await run('manifest', 'pull')).out).to.contain('calm-air');
    expect((await run('manifest', 'learn', 'off')).out).to.contain('no longer learns');
  });

  it("shows a ledger, empties a tester's records and brings one back", async () => {
    expect((await run('player', 'ledger', 'p-10442')).out)
      .to.match(/feather +\+30 +30 +climb 8812 +ridge-eu-1/)
      .and.match(/feather +0 +0 +starting value/);
    expect((await run('player', 'make-new', 'p-10442')).status).to.equal(2);
    expect((await run('player', 'make-new', 'p-10442', '--yes')).out).to.contain('the next join is their first');
    const number = /^(\d+) +currency\/feather +30 +made-new/m.exec((await run('player', 'trash', 'p-10442')).out)?.[1];
    expect((await run('player', 'bring-back', 'p-10442', number!, '--yes')).out).to.equal(
      'currency/feather is back.\n',
    );
    expect((await world.operator.player('p-10442')).records['currency/feather']?.value).to.equal(30);
  });

  it('empties an environment when told so', async () => {
    const asked = await run('game', 'empty');
    expect([asked.status, asked.err.includes('1 player loses all')]).to.deep.equal([2, true]);
    expect((await run('game', 'empty', '--yes')).out).to.equal('1 players are new.\n');
  });

  it('verifies a data folder beside its service, and finds what does not agree', async () => {
    expect((await run('verify', '--data', world.folder)).out).to.match(/^1 players, .*: everything agrees/);
    expect((await run('verify', '--data', config)).err).to.contain('holds no vekkon.sqlite');
    await world
      .host()
      .change('p-10442', 'gift', [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'x' }] }]);
    await world.stop();
    const database = new Database(path.join(world.folder, 'vekkon.sqlite'));
    database.exec("update records set value = '6' where key = 'currency/feather'");
    database.close();
    const { out, status } = await run('verify', '--data', world.folder);
    expect(out)
      .to.contain("currency/feather holds 6, and its ledger's sum is 5")
      .and.to.contain('is not what its history has');
    expect(status).to.equal(1);
    await world.restart();
  });
});

describe('the demo', () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-demo-'));
  const data = path.join(folder, 'data');
  after(() => rmSync(folder, { recursive: true }));

  const start = async (...args: string[]) => {
    const demo = vekkon(['demo', '--port', '0', '--data', data, '--history', '120', ...args]);
    await demo.says(/Ctrl-C ends the demo/);
    return demo;
  };

  it('starts with made-up pilots who play, and lands them at Ctrl-C', async () => {
    const demo = await start('--pilots', '3');
    expect(demo.out)
      .to.contain('120 pilots')
      .and.to.match(/Sign in +\S+@highfell\.example/)
      .and.to.match(/Host key +vkh_/);
    const { out, status } = await demo.stop('SIGINT');
    expect(out).to.match(/found something else: 0; failed: 0/);
    expect(status).to.equal(0);
  });

  it('keeps a folder that has data, and starts over when asked, after saying so', async () => {
    const kept = await start('--pilots', '0');
    expect(kept.out).to.not.contain('Writing forty days');
    await kept.stop('SIGINT');
    const fresh = await start('--pilots', '0', '--fresh');
    expect(fresh.out).to.match(/Starting over: all data in \S+ is thrown away/);
    await fresh.stop('SIGINT');
  });

  it('leaves a folder alone that is not its own', async () => {
    writeFileSync(path.join(folder, 'diary.txt'), 'not yours');
    const { err, status } = await vekkon(['demo', '--port', '0', '--data', folder]).ended;
    expect(err).to.contain('no demo');
    expect(status).to.equal(1);
  });
});
