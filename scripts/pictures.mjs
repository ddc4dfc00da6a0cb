// Takes the pictures in docs/screenshots from the demo's data: the console in
// headless Chromium, the command line in a terminal window under Xvfb.
// Needs: chromium, xvfb, xterm, imagemagick (Debian's packages).
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { chromium } from 'playwright-core';

const root = path.resolve(import.meta.dirname, '..');
const target = path.resolve(process.argv[2] ?? path.join(root, 'docs/screenshots'));
const only = process.argv[3];
const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-pictures-'));
const vekkon = path.join(root, 'packages/cli/bin/vekkon.js');
const demo = spawn(process.execPath, [vekkon, 'demo', '--port', '0', '--data', `${folder}/data`, '--pilots', '6'], {
  stdio: ['ignore', 'pipe', 'inherit'],
});
await new Promise((resolve) => {
  let output = '';
  demo.stdout.on('data', (text) => {
    output += text;
    if (output.includes('Ctrl-C')) resolve();
  });
});
const access = JSON.parse(readFileSync(`${folder}/data/access.json`, 'utf8'));
const environment = { ...process.env, VEKKON_CONFIG: `${folder}/config` };
spawnSync(process.execPath, [vekkon, 'sign-in', '--access', `${folder}/data/access.json`], { env: environment });

const browser = await chromium.launch({
  executablePath: spawnSync('which', ['chromium'], { encoding: 'utf8' }).stdout.trim(),
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const wanted = (name) => only === undefined || name.includes(only);
async function picture(name) {
  if (wanted(name)) await page.screenshot({ path: path.join(target, `${name}.png`) });
}

await page.goto(`${access.url}/console/`);
await page.getByLabel('E-mail').fill(access.operator.email);
await page.getByLabel('Password').fill(access.operator.password);
await page.getByRole('button', { name: 'Sign in' }).click();
await page.getByRole('heading', { name: 'Overview' }).waitFor();
await page.goto(`${access.url}/console/players`);
await page.getByRole('heading', { name: 'Players' }).waitFor();
// Long enough for every pilot to have joined, and some to have left again.
await page.waitForTimeout(9_000);
await page.getByRole('combobox', { name: 'Ordered by' }).click();
await page.getByRole('option', { name: 'currency/feather' }).click();
await page.getByLabel('At most').fill('900');
await page.waitForTimeout(1_500);
await picture('console-players');
if (wanted('console-access')) {
  await makeAccounts();
  await page.goto(`${access.url}/console/access`);
  await page.getByText('maren@highfell.example', { exact: false }).first().waitFor();
  await page.waitForTimeout(600);
  await picture('console-access');
}
if (wanted('console-overview')) {
  await page.goto(`${access.url}/console/overview`);
  await page.getByText('in a session now').waitFor();
  // A few minutes of play, so that there is something to draw.
  await page.waitForTimeout(200_000);
  await page.getByRole('region', { name: 'Hosts' }).getByText('ridge-eu-1').waitFor();
  await picture('console-overview');
}
await page.goto(`${access.url}/console/gifts`);
await page.getByRole('button', { name: 'New gift' }).click();
await page.getByLabel('What is it?').fill('ridge festival');
await page.getByRole('button', { name: 'Look what it would do' }).click();
await page.getByText('players it would change').waitFor();
await picture('console-gifts');
await page.goto(`${access.url}/console/players/p-10402`);
await page.getByRole('heading', { name: 'Progress' }).waitFor();
await picture('console-player');
await page.getByRole('tab', { name: 'Change', exact: true }).click();
await page.getByRole('button', { name: 'Change currency/feather' }).click();
await page.getByLabel('Balance of currency/feather').click();
await page.keyboard.press('Control+A');
await page.keyboard.type('340');
await page.getByRole('button', { name: 'Change inventory/pack' }).click();
await page.getByLabel('Why?').fill('lost in a storm');
await page.getByRole('heading', { level: 1 }).scrollIntoViewIfNeeded();
await page.waitForTimeout(600);
await picture('console-change');
await page.goto(`${access.url}/console/manifest`);
await page.getByRole('heading', { name: 'What is declared' }).waitFor();
const nextVersion = readFileSync(path.join(root, 'packages/demo/highfell-gliders.yaml'), 'utf8')
  .replace('chapter: { type: integer, minimum: 1, maximum: 40', 'chapter: { type: integer, minimum: 1, maximum: 3')
  .replace('flare: { about: Seen', 'signal-flare: { formerly: [flare], about: Seen')
  .replace('accepts: [silk-patch, flare, wing]', 'accepts: [silk-patch, signal-flare, wing]');
await page.getByLabel('Manifest file').fill(nextVersion);
await page.getByRole('button', { name: 'Check and compare' }).click();
await page.getByText('would no longer fit').waitFor();
await picture('console-manifest');

await page.goto(`${access.url}/console/boards?board=metres-climbed`);
await page.getByLabel('Find a player').fill('p-10402');
await page.getByRole('button', { name: 'Find', exact: true }).click();
await page.locator('tr.marked').waitFor();
await page.waitForTimeout(4_500);
await picture('console-boards');
await page.goto(`${access.url}/console/boards?board=gorge-run`);
await page.getByRole('tab', { name: 'Seasons' }).click();
await page.getByRole('button', { name: 'Close now …' }).click();
await page.getByText('Closing it now gives').waitFor();
await page.waitForTimeout(600);
await picture('console-seasons');

await page.goto(`${access.url}/console/tuning?look=tunables&tunable=thermal-strength`);
await page.getByText('Weekend of the sea cliffs').first().waitFor();
await page.waitForTimeout(600);
await picture('console-tuning');
await page.goto(`${access.url}/console/tuning?look=calendar`);
await page.getByRole('button', { name: 'Switch to dark' }).click();
await page.getByText('The autumn storm').waitFor();
await page.waitForTimeout(600);
await picture('console-tuning-calendar');
await page.getByRole('button', { name: 'Switch to light' }).click();

// Something to settle, and a disturbance to be told of.
const asHost = { Authorization: `Bearer ${access.hostKey}` };
const post = (route, body) =>
  fetch(access.url + route, { method: 'POST', headers: asHost, body: JSON.stringify(body) }).then((answer) =>
    answer.json(),
  );
const { session } = await post('/v1/players/p-10500/join', { host: 'ridge-us-1' });
await post('/v1/players/p-10500/join', { host: 'ridge-us-1' });
await post(`/v1/sessions/${session.id}/saves`, {
  number: 1,
  transactions: [
    {
      label: 'gorge cleared',
      changes: [
        { op: 'credit', key: 'currency/feather', amount: 120, reason: 'gorge' },
        { op: 'submit', key: 'score/gorge-run', value: 61250 },
      ],
    },
    { changes: [{ op: 'collect', key: 'progress/flight', path: '/charted', value: 'salt-col' }] },
  ],
});
spawnSync(
  process.execPath,
  [vekkon, 'disturb', 'start', '--refuse', '20%', '--delay', '50..400ms', '--lose-responses', '5%', '--for', '1m'],
  { env: environment },
);
await page.getByRole('link', { name: 'Activity' }).click();
await page.getByText('gorge cleared').waitFor();
await page.getByText('A disturbance runs here').waitFor();
await picture('console-activity');
spawnSync(process.execPath, [vekkon, 'disturb', 'stop'], { env: environment });

// The game at /play, in mid-flight, with two places to go back to and a time to beat.
if (wanted('play')) {
  const game = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await game.goto(`${access.url}/play/`);
  const button = (name) => game.getByRole('button', { name, exact: true });
  await button('Fly').click();
  for (const wait of [2_500, 3_500]) {
    await game.waitForTimeout(wait);
    await button('Save here').click();
  }
  await game.keyboard.down('ArrowUp');
  await game.waitForTimeout(1_200);
  await game.screenshot({ path: path.join(target, 'play.png') });
  await game.keyboard.up('ArrowUp');
  await game.close();
}
await browser.close();

/** Runs a command line in a terminal window and takes its picture. */
async function terminal(name, command, wait = 5_000) {
  if (!wanted(name)) return;
  const display = ':97';
  const screen = spawn('Xvfb', [display, '-screen', '0', '1280x800x24'], { stdio: 'ignore' });
  await new Promise((resolve) => setTimeout(resolve, 1_000));
  const window = spawn(
    'xterm',
    [
      '-geometry',
      '140x44+0+0',
      '-fa',
      'DejaVu Sans Mono',
      '-fs',
      '11',
      '-bg',
      '#fdf8ea',
      '-fg',
      '#22352f',
      '-e',
      'sh',
      '-c',
      `vekkon() { ${process.execPath} ${vekkon} "$@"; }; printf '$ %s\\n' '${command.replaceAll(`${folder}/`, '')}'; ${command}; sleep 30`,
    ],
    { env: { ...environment, DISPLAY: display, TERM: 'xterm-256color' }, stdio: 'ignore' },
  );
  await new Promise((resolve) => setTimeout(resolve, wait));
  spawnSync('import', ['-window', 'root', path.join(target, `${name}.png`)], {
    env: { ...environment, DISPLAY: display },
  });
  window.kill();
  screen.kill();
}
await terminal('terminal-player-show', 'vekkon player show p-10402; vekkon player history p-10402 --count 2');
writeFileSync(`${folder}/next.yaml`, nextVersion);
await terminal('terminal-manifest-diff', `vekkon manifest diff ${folder}/next.yaml`);
await terminal('terminal-tuning', 'vekkon tuning explain p-10402; vekkon tuning trial thermals-in-the-gorge', 6_000);
await terminal('terminal-rehearse', `vekkon rehearse --faults --url ${access.url} --key ${access.hostKey}`, 16_000);
if (wanted('terminal-spool')) await fillSpool(`${folder}/spool`);
environment.VEKKON_HOST_KEY = access.hostKey;
await terminal('terminal-spool', `vekkon spool show ${folder}/spool`);
if (wanted('terminal-verify')) damageCopy(`${folder}/data`, `${folder}/copy`);
await terminal('terminal-verify', `vekkon verify --data ${folder}/copy`, 9_000);

/** Players with accounts, so that there is somebody to look after. */
async function makeAccounts() {
  const call = async (route, token, body) => {
    const headers = { Authorization: `Bearer ${token}`, 'Content-Type': 'application/json' };
    return (await fetch(access.url + route, { method: 'POST', headers, body: JSON.stringify(body) })).json();
  };
  for (const name of ['ada', 'maren.ashgrove', 'silas', 'wren']) {
    const secret = `a-device-for-pictures-of-${name.padEnd(20, '-').replace('.', '-')}`;
    const { token } = await call('/v1/devices', access.deviceKey, { secret });
    await call('/v1/account', token, { email: `${name}@highfell.example`, password: 'a-warm-thermal' });
  }
}

/** A host that could not deliver, and a change that no service takes. */
async function fillSpool(spoolFolder) {
  const { Spool } = await import(path.join(root, 'packages/client/dist/host/index.js'));
  const { spool } = await Spool.open(spoolFolder, 'ridge-eu-1', access.hostKey);
  const credit = (amount, reason) => ({ op: 'credit', key: 'currency/feather', amount, reason });
  const collect = { op: 'collect', key: 'progress/flight', path: '/charted', value: 'salt-col' };
  const save = { is: 'save', rest: [], leave: true };
  await spool.add({
    ...save,
    session: 'ses_of-maren-ashgrove',
    player: 'p-10400',
    number: 7,
    transactions: [{ label: 'salt-col charted', changes: [collect, credit(25, 'charted salt-col')] }],
  });
  await spool.add({
    ...save,
    session: 'ses_of-silas-larkhill',
    player: 'p-10401',
    number: 3,
    transactions: [{ changes: [credit(120, 'gorge')] }],
  });
  await spool.add({
    is: 'aside',
    session: 'ses_of-wren-hawes',
    player: 'p-10410',
    number: 2,
    transactions: [{ label: 'thermal climbed', changes: [credit(30, '')] }],
    rest: [],
    reason: 'In the save at /transactions/0/changes/0/reason: must be text of 1 to 200 characters.',
    at: new Date().toISOString(),
  });
  await spool.close();
}

/** A copy of the demo's data in which somebody has been with another tool. */
function damageCopy(from, to) {
  cpSync(from, to, { recursive: true });
  const database = new Database(`${to}/vekkon.sqlite`);
  const of = (id) => `(select number from players where id = '${id}')`;
  database.exec(`delete from records where key = 'currency/opal' and player = ${of('p-10402')}`);
  database.exec(
    `update history set value = '9' where key = 'progress/climbs' and revision = 2 and player = ${of('p-10417')}`,
  );
  database.exec(`update records set value = '100000' where key = 'currency/feather' and player = ${of('p-10423')}`);
  database.close();
}

demo.kill('SIGINT');
await new Promise((resolve) => demo.once('exit', resolve));
rmSync(folder, { recursive: true });
