/**
 * What the service does at a million players, beside what it does at a
 * thousand, in the same run. Writes docs/million.md.
 *
 *   npm run bench:million [-- --players 1000000] [-- --no-verify]
 */
import { execFileSync, spawn } from 'node:child_process';
import {
  createReadStream,
  createWriteStream,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import path from 'node:path';
import { createInterface } from 'node:readline';
import { finished } from 'node:stream/promises';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { verifyStore } from '@vekkon/store';
import { idOf, makePlayers, nameOf } from './make-players.js';
import { freePort, percentile, ServiceProcess } from './service-process.js';

const { values } = parseArgs({
  options: { players: { type: 'string', default: '1000000' }, 'no-verify': { type: 'boolean', default: false } },
});
const many = Number(values.players);
const few = 1_000;
const rounds = 300;
/** How many save at the same time while a manifest is installed, and how many players take turns in it. */
const lanes = 16;
const playersMeanwhile = 960;
/** How long as many save before it, in milliseconds: the yardstick. */
const calmFor = 15_000;
/** How many of those who were exported are imported into another environment. */
const mostImported = 20_000;

/** Runs a command of the command line. @returns how long it took, and how much memory it had at the most, in MiB */
async function runCommand(args: readonly string[], config: string) {
  const since = performance.now();
  const child = spawn(process.execPath, [path.join(import.meta.dirname, '../packages/cli/bin/vekkon.js'), ...args], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, VEKKON_CONFIG: config },
  });
  let memory = 0;
  const look = setInterval(() => {
    try {
      const peak = /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1];
      memory = Math.max(memory, Number(peak ?? 0) / 1024);
    } catch {
      // It has ended meanwhile.
    }
  }, 50);
  const code = await new Promise<number | null>((resolve) => child.once('exit', resolve));
  clearInterval(look);
  if (code !== 0) throw new Error(`vekkon ${args.join(' ')} ended with ${code}.`);
  return { took: performance.now() - since, memory };
}

/** The first lines of a file, as a file beside it. */
async function firstLines(file: string, count: number): Promise<string> {
  const first = file.replace(/\.ndjson$/, '-first.ndjson');
  const out = createWriteStream(first);
  let many = 0;
  for await (const line of createInterface({ input: createReadStream(file) })) {
    if (many++ >= count) break;
    out.write(`${line}\n`);
  }
  out.end();
  await finished(out);
  return first;
}

interface Measured {
  readonly [what: string]: number;
}

/** Makes a folder with so many players, and measures. Times in milliseconds, memory in MiB. */
async function measure(players: number): Promise<Measured> {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-million-'));
  const port = await freePort();
  const service = new ServiceProcess(['serve', '--log', 'json'], folder, port, /first-admin#\S+/);
  await service.start();
  const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
  const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
  const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
  const operator = new VekkonOperator({ url: service.url, token });
  const { hostKey } = await operator.createEnvironment({ manifest: demoManifest(), environment: 'live', live: true });
  // One who has played: a dozen records with some revisions, a ledger, two sessions.
  for (let stay = 0; stay < 2; stay++) {
    const host = new VekkonHost({ url: service.url, hostKey, host: 'ridge-eu-1', autosave: 0 });
    const session = await host.join('template', { name: 'Template' });
    for (let climb = 0; climb < 3; climb++) {
      session.increase('climbs', 1);
      session.credit('feather', 10, `climb ${climb}`);
      await session.save();
    }
    await host.close();
  }
  await service.end('SIGTERM');
  const since = performance.now();
  makePlayers(folder, 'template', players);
  // What was written in bulk is on disk before anything is measured: it must not stand in the way of the first flushes.
  execFileSync('sync');
  const made = performance.now() - since;

  const measured: { [what: string]: number } = { made };
  const again = new ServiceProcess(['serve', '--log', 'json'], folder, port, /"url"/);
  const started = performance.now();
  await again.start();
  while (!(await fetch(`${again.url}/ready`)).ok) await pause(5);
  measured['start until ready'] = performance.now() - started;
  const headers = { Authorization: `Bearer ${hostKey}`, 'Content-Type': 'application/json' };
  const asOperator = { Authorization: `Bearer ${token}`, 'Vekkon-Environment': 'highfell-gliders/live' };

  async function timed(what: string, times: number, call: (index: number) => Promise<Response>): Promise<void> {
    const took: number[] = [];
    for (let index = 0; index < times; index++) {
      const begun = performance.now();
      const response = await call(index);
      await response.arrayBuffer();
      took.push(performance.now() - begun);
      if (!response.ok) throw new Error(`${what}: ${response.status}`);
    }
    measured[what] = percentile(took, 0.5);
    measured[`${what}, p99`] = percentile(took, 0.99);
  }
  const post = (route: string, body: unknown) =>
    fetch(again.url + route, { method: 'POST', headers, body: JSON.stringify(body) });
  const get = (route: string) => fetch(again.url + route, { headers: asOperator });
  /** Spread over all of them. */
  const someone = (index: number) => idOf((index * 104_729 + 17) % players);
  const changes = [
    { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
    { op: 'credit', key: 'currency/opal', amount: 1, reason: 'climb' },
  ];
  // As in a service that has run for a while: what is compiled and held first is nobody's figure.
  for (let index = rounds; index < 2 * rounds; index++) {
    const joined = await post(`/v1/players/${someone(index)}/join`, { host: 'ridge-eu-1' });
    const { session } = (await joined.json()) as { readonly session: { readonly id: string } };
    const transactions = [{ changes }];
    await (await post(`/v1/sessions/${session.id}/saves`, { number: 1, seen: 1_000, transactions })).arrayBuffer();
    await (await post(`/v1/sessions/${session.id}/leave`, {})).arrayBuffer();
  }
  const sessions: string[] = [];
  await timed('join', rounds, async (index) => {
    const response = await post(`/v1/players/${someone(index)}/join`, { host: 'ridge-eu-1' });
    sessions.push(((await response.clone().json()) as { session: { id: string } }).session.id);
    return response;
  });
  await timed('save', rounds, (index) =>
    post(`/v1/sessions/${sessions[index]}/saves`, { number: 1, seen: 1_000, transactions: [{ changes }] }),
  );
  await timed('leave', rounds, (index) => post(`/v1/sessions/${sessions[index]}/leave`, {}));
  await timed('list', 30, () => get('/v1/players'));
  await timed('find by start of name', 30, (index) => get(`/v1/players?search=${nameOf(index).slice(0, 4)}`));
  await timed('find by a part', 30, (index) => get(`/v1/players?search=${nameOf(index * 997).slice(3, 12)}`));
  await timed('find by two letters', 30, (index) => get(`/v1/players?search=${nameOf(index).slice(0, 2)}`));
  await timed('list by name', 30, () => get('/v1/players?sort=name&order=ascending'));
  await timed('overview', 30, () => get('/v1/overview'));
  await timed('activity page', 30, () => get('/v1/activity'));
  await timed("one player's page", 50, async (index) => {
    const id = someone(index);
    await Promise.all([get(`/v1/players/${id}/sessions`), get(`/v1/players/${id}/ledger`)]);
    return get(`/v1/players/${id}`);
  });
  await timed('ledger page', 50, (index) => get(`/v1/players/${someone(index)}/ledger`));

  const live = new VekkonOperator({ url: again.url, token, environment: 'highfell-gliders/live' });
  // By what they hold: what is stored is taken in first, beside a game that saves.
  const begun = performance.now();
  await live.setFoundBy(['currency/feather']);
  const meanwhile: number[] = [];
  for (let index = 0; (await live.foundBy()).foundBy.some(({ isReady }) => !isReady); index++) {
    const since = performance.now();
    const joined = await post(`/v1/players/${someone(index)}/join`, { host: 'ridge-eu-1' });
    const { session } = (await joined.json()) as { readonly session: { readonly id: string } };
    meanwhile.push(performance.now() - since);
    await (await post(`/v1/sessions/${session.id}/leave`, {})).arrayBuffer();
  }
  measured['taking in what players are found by'] = performance.now() - begun;
  measured['join meanwhile, p99'] = percentile(meanwhile, 0.99);
  await timed('find by a balance', 30, (index) => get(`/v1/players?by=currency/feather&from=${index}&to=1000`));
  await timed('find by a balance, last page', 30, () =>
    get(`/v1/players?by=currency/feather&after=${Buffer.from(JSON.stringify([70, 500])).toString('base64url')}`),
  );

  // A busy game plays on while a manifest is installed: many lanes, each save of another player than the last.
  const playing: { readonly session: string; number: number }[] = [];
  for (let index = 0; index < playersMeanwhile; index += lanes) {
    await Promise.all(
      Array.from({ length: lanes }, async (_, lane) => {
        const response = await post(`/v1/players/${someone(1_000_000 + index + lane)}/join`, { host: 'ridge-eu-2' });
        const { session } = (await response.json()) as { readonly session: { readonly id: string } };
        playing.push({ session: session.id, number: 0 });
      }),
    );
  }
  let turn = 0;
  /** So many save at the same time, until it is over. @returns how long each took */
  const saveOnAndOn = async (isOver: () => boolean): Promise<readonly number[]> => {
    const took: number[] = [];
    const lane = async (): Promise<void> => {
      while (!isOver()) {
        const one = playing[turn++ % playing.length];
        if (one === undefined) return;
        const begun = performance.now();
        const number = ++one.number;
        const body = { number, answered: number - 1, seen: 1_000, transactions: [{ changes }] };
        const response = await post(`/v1/sessions/${one.session}/saves`, body);
        await response.arrayBuffer();
        if (!response.ok) throw new Error(`A save during the install: ${response.status}`);
        took.push(performance.now() - begun);
      }
    };
    await Promise.all(Array.from({ length: lanes }, lane));
    return took;
  };
  const note = (when: string, saves: readonly number[]): void => {
    measured[`save ${when}`] = percentile(saves, 0.5);
    measured[`save ${when}, p99`] = percentile(saves, 0.99);
    measured[`save ${when}, the longest`] = Math.max(...saves);
  };
  const calmUntil = performance.now() + calmFor;
  note('before an install', await saveOnAndOn(() => performance.now() > calmUntil));
  let isInstalled = false;
  const installsFrom = performance.now();
  const next = demoManifest().replace(/chapter: \{ type: integer, minimum: 1, maximum: 40/, '$&0');
  if (next === demoManifest()) throw new Error('The manifest was to be changed.');
  const installing = live.installManifest(next).then(() => (isInstalled = true));
  const saves = await saveOnAndOn(() => isInstalled);
  await installing;
  measured['install'] = performance.now() - installsFrom;
  measured['saves a second during an install'] = saves.length / (measured['install'] / 1_000);
  note('during an install', saves);
  measured['memory'] = again.measured().memory;
  measured['memory of its own'] = again.measured().own;
  // What was needed for the install alone is given back by then.
  await pause(65_000);
  measured['memory a minute later'] = again.measured().memory;
  measured['memory of its own a minute later'] = again.measured().own;
  const config = path.join(folder, 'config');
  mkdirSync(config);
  const signedIn = { url: again.url, token, email: admin.email };
  writeFileSync(path.join(config, 'signed-in.json'), JSON.stringify(signedIn), { mode: 0o600 });
  const exported = await runCommand(['export', path.join(folder, 'players.ndjson'), '--yes'], config);
  measured['export'] = exported.took;
  measured['memory of the command that exports'] = exported.memory;
  measured['memory after an export'] = again.measured().memory;
  const fewer = await firstLines(path.join(folder, 'players.ndjson'), mostImported);
  rmSync(path.join(folder, 'players.ndjson'));
  await live.createEnvironment({ manifest: demoManifest(), environment: 'copy' });
  const imported = await runCommand(['import', fewer, '--yes', '--environment', 'highfell-gliders/copy'], config);
  measured[`import of ${mostImported.toLocaleString('en')} players`] = imported.took;
  measured['memory of the command that imports'] = imported.memory;
  measured['memory after an import'] = again.measured().memory;
  await again.end('SIGTERM');
  measured['disk'] = statSync(path.join(folder, 'vekkon.sqlite')).size / 1024 / 1024;
  if (!values['no-verify']) {
    const begun = performance.now();
    const { faults } = await verifyStore(folder);
    measured['verify'] = performance.now() - begun;
    if (faults.length > 0) throw new Error(`verify found ${JSON.stringify(faults.slice(0, 3))}`);
  }
  rmSync(folder, { recursive: true });
  return measured;
}

const small = await measure(few);
const large = await measure(many);
const lines: string[] = [];
for (const [what, figure] of Object.entries(large)) {
  const before = small[what] ?? Number.NaN;
  const unit = what.startsWith('memory') || what === 'disk' ? 'MiB' : what.startsWith('saves') ? 'a second' : 'ms';
  const inWords = (one: number) => `${one >= 100 ? Math.round(one).toLocaleString('en') : one.toFixed(1)} ${unit}`;
  lines.push(`| ${what} | ${inWords(before)} | ${inWords(figure)} | ${(figure / before).toFixed(2)} |`);
  console.log(`${what}: ${inWords(before)} at ${few}, ${inWords(figure)} at ${many.toLocaleString('en')}`);
}
const text = [
  '# At a million players',
  '',
  `Measured on ${new Date().toISOString().slice(0, 10)} by \`npm run bench:million\` on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}), Node ${process.versions.node}: a store of ${many.toLocaleString('en')} players beside one of ${few.toLocaleString('en')} in the same run. Each player has sixteen records with revisions, a ledger and two sessions. Calls come one after the other, after ${rounds} joins, saves and leaves of others that are not counted; medians, unless it says otherwise. While a manifest is installed, ${lanes} save at the same time, for ${playersMeanwhile} players in turn. "Memory of its own" leaves out the pages of the database file that the system shows to the process.`,
  '',
  `| what | at ${few.toLocaleString('en')} | at ${many.toLocaleString('en')} | ratio |`,
  '| --- | --- | --- | --- |',
  ...lines,
  '',
];
if (many >= 1_000_000) writeFileSync(path.join(import.meta.dirname, '../docs/million.md'), text.join('\n'));
