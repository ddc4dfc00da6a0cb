import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client';
import { root, vekkon, type Running } from './world/process.js';

/** The code blocks of the quick start, in order. */
function blocks(language: string): string[] {
  const text = readFileSync(path.join(root, 'docs/quick-start.md'), 'utf8');
  return [...text.matchAll(new RegExp(`\`\`\`${language}\\n(.*?)\`\`\``, 'gs'))].map(([, code]) => code!);
}

describe('the quick start', () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-quick-start-'));
  const gameFile = path.join(root, 'my-game.mjs');
  const [startDemo, readAccess, threeLines, oneLine, runGame, serve, makeGame] = blocks('sh') as [
    string,
    string,
    string,
    string,
    string,
    string,
    string,
  ];
  let demo: Running;

  const startTheDemo = async (port: number) => {
    const data = path.join(folder, 'demo-data');
    demo = vekkon(['demo', '--port', String(port), '--data', data, '--pilots', '0', '--history', '200']);
    return Number((await demo.says(/127\.0\.0\.1:(\d+)\/console/))[1]);
  };
  /** Runs lines of the page in a shell, after those that read the address and the key. */
  const run = (lines: string, environment: NodeJS.ProcessEnv = {}) => {
    const script = `set -e\n${readAccess.replaceAll('demo-data/', `${folder}/demo-data/`)}${lines}`;
    const { stdout, stderr, status } = spawnSync('bash', ['-c', script], {
      cwd: root,
      encoding: 'utf8',
      env: { ...process.env, ...environment },
    });
    expect(status, stderr).to.equal(0);
    return stdout;
  };

  let port = 0;
  before(async () => {
    expect(startDemo).to.equal('npm run demo\n');
    writeFileSync(gameFile, blocks('js')[0]!);
    port = await startTheDemo(0);
  });
  after(async () => {
    await demo.stop('SIGINT');
    rmSync(gameFile);
    rmSync(folder, { recursive: true });
  });

  it('saves with three lines of curl', () => {
    expect(run(threeLines)).to.contain('"progress/climbs":{"revision":2,"value":1}');
  });

  it('puts one value in one line', () => {
    expect(run(oneLine)).to.match(/"value":17\}17$/);
  });

  it('keeps the number of a ten-line game over a restart of everything', async () => {
    expect(run(runGame)).to.equal('Welcome back: 17 climbs.\nSaved: 18 climbs.\n');
    expect((await demo.stop('SIGINT')).status).to.equal(0);
    await startTheDemo(port);
    expect(run(runGame)).to.equal('Welcome back: 18 climbs.\nSaved: 19 climbs.\n');
  });

  /** Runs the program in a guide, then its command lines one by one. @returns what each said */
  function runGuide(name: string): { readonly program: string; readonly lines: readonly string[] } {
    const guide = readFileSync(path.join(root, 'docs', name), 'utf8');
    const [, example] = /```js\n(.*?)```/s.exec(guide)!;
    writeFileSync(gameFile, example!);
    const access = path.join(folder, 'demo-data/access.json');
    const { url, hostKey } = JSON.parse(readFileSync(access, 'utf8')) as { url: string; hostKey: string };
    const config = `${folder}/config`;
    const environment = { ...process.env, VEKKON_URL: url, VEKKON_HOST_KEY: hostKey, VEKKON_CONFIG: config };
    const node = (args: readonly string[]) =>
      spawnSync(process.execPath, args, { cwd: root, encoding: 'utf8', env: environment });
    const program = node([gameFile]);
    expect(program.stderr).to.equal('');
    const command = path.join(root, 'packages/cli/bin/vekkon.js');
    node([command, 'sign-in', '--access', access]);
    const lines = [...guide.matchAll(/```sh\n(.*?)```/gs)].flatMap(([, code]) => code!.trim().split('\n'));
    const said = lines.map((line) => node([command, ...line.split(' ').slice(1)]));
    expect(said.map(({ status, stderr }) => [status, stderr])).to.deep.equal(lines.map(() => [0, '']));
    return { program: program.stdout, lines: said.map(({ stdout }) => stdout) };
  }

  it('runs the examples of the guide to boards', () => {
    const { program, lines } = runGuide('boards.md');
    expect(program).to.match(/^New best! Before: none\. Rank 1 of \d+\.\nNo glide yet\.\nFirst: Maren, 0:39\.250\.\n$/);
    expect(lines).to.have.lengthOf(6);
    expect(lines[0]).to.match(/gorge-run +lower +best +milliseconds +weekly/);
    expect(lines[1]).to.match(/1 +p-docs +Maren +0:39\.250/);
    expect(lines[2]).to.match(/closed/);
    expect(lines[3]).to.contain('1 of opal');
    expect(lines[4]).to.match(/p-10433 +412,000 metres/);
    expect(lines[5]).to.contain('results from');
  });

  it('runs the examples of the guide to tuning', () => {
    const { program, lines } = runGuide('tuning.md');
    expect(program).to.match(/^Thermals at 1(\.\d+)?\.\nThis round: edition 4, 2 trades\.\nA storm is (near|far)\.\n$/);
    const [list, set, adjust, , publish, explain, , reissue, pull, trial] = lines;
    expect(list).to.match(/thermal-strength +1 +4 +–/);
    expect(set).to.match(/^storm-warning: false → true, .*\nEdition 5 is published\.\n$/);
    expect(adjust).to.contain('"Olá" for 50 % of players in Portugal or Ireland, with chapter at least 2');
    expect(publish).to.match(/Edition 6 is published\.\n$/);
    expect(explain).to.match(/storm-warning +true +“set on the command line”/);
    expect(reissue).to.equal('Edition 7 is published: edition 4 again.\n');
    expect(pull).to.match(/^item,price\nsilk-patch,\d+\nflare,\d+\n$/);
    expect(trial).to.contain('thermal-strength, measured by score/gorge-run');
  });

  it("runs the README's example, which ends by itself when everybody has left", () => {
    const readme = readFileSync(path.join(root, 'README.md'), 'utf8');
    const [, example] = /```js\n(.*?)```/s.exec(readme)!;
    const access = JSON.parse(readFileSync(path.join(folder, 'demo-data/access.json'), 'utf8')) as {
      url: string;
      hostKey: string;
    };
    const game = example!
      .replace('const host', `const url = '${access.url}', hostKey = '${access.hostKey}';\nconst host`)
      .replace('./spool', path.join(folder, 'spool'))
      .concat("console.log(session.value('glider/heron'), session.balance('feather'), session.pending);");
    const { stdout, stderr, status } = spawnSync(process.execPath, ['--input-type=module', '--eval', game], {
      cwd: root,
      encoding: 'utf8',
    });
    expect(stderr).to.equal('');
    expect(stdout).to.match(/^\{ span: 12.* \} \d+ 0\n$/);
    expect(status).to.equal(0);
  });

  it('leads to a game of your own', async () => {
    const [, ...args] = serve
      .trim()
      .replace('my-data', path.join(folder, 'my-data'))
      .replace('--port 4700', '--port 0')
      .split(' ');
    const service = vekkon(args.slice(1));
    const [, url, invitation] = await service.says(/(http:\S+)\/console\/first-admin#(\S+)/);
    const email = /--email (\S+)/.exec(makeGame)![1]!;
    const password = 'long-step-and-salt-col';
    await VekkonOperator.becomeFirstAdmin(url!, { email, password, name: 'You', invitation: invitation! });
    writeFileSync(path.join(folder, 'my-game.yaml'), blocks('yaml')[0]!);
    const lines = makeGame
      .replace('http://127.0.0.1:4700', url!)
      .replace('my-game.yaml', path.join(folder, 'my-game.yaml'));
    const printed = run(lines, { VEKKON_CONFIG: path.join(folder, 'config'), VEKKON_PASSWORD: password });
    expect(printed)
      .to.match(/my-game\/dev is made/)
      .and.match(/Host key +vkh_/);
    expect((await service.stop()).status).to.equal(0);
  });
});
