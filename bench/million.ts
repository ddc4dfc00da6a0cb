/**
 * What the service does at a million players, beside what it does at a
 * thousand, in the same run. Writes docs/million.md.
 *
 *   npm run bench:million [-- --players 1000000] [-- --no-verify]
 */
import { spawn } from 'node:child_process';
import {
  createReadStream,
  createWriteStream,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  statfsSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { cpus } from 'node:os';
import path from 'node:path';
import { createInterface } from 'node:readline';
import { finished } from 'node:stream/promises';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { demoManifest } from '@vekkon/demo';
import { verifyStore } from '@vekkon/store';
import { nameOf } from './make-players.js';
import { admin, Side } from './million-side.js';
import { percentile } from './service-process.js';

const { values } = parseArgs({
  options: { players: { type: 'string', default: '1000000' }, 'no-verify': { type: 'boolean', default: false } },
});
const many = Number(values.players);
const few = 1_000;
const rounds = 300;
/** How many calls one side takes before it is the other's turn. */
const inTurn = 10;
/** How many save at the same time while a manifest is installed, and how many players take turns in it. */
const lanes = 16;
const playersMeanwhile = 960;
/** How long as many save before it, in milliseconds: the yardstick. */
const calmFor = 15_000;
/** A file system in memory. */
const inMemory = '/dev/shm';
/** What a player takes of the database, with room to spare. */
const bytesAPlayer = 10_000;
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

/**
 * Makes calls on both sides in turns, some at a time: what else the machine
 * does meanwhile meets both alike.
 */
async function timed(
  sides: readonly Side[],
  what: string,
  times: number,
  call: (side: Side, index: number) => Promise<Response>,
): Promise<void> {
  const took = new Map(sides.map((side) => [side, [] as number[]]));
  for (let from = 0, turn = 0; from < times; from += inTurn, turn++) {
    for (const side of turn % 2 === 0 ? sides : sides.toReversed()) {
      for (let index = from; index < Math.min(from + inTurn, times); index++) {
        const begun = performance.now();
        const response = await call(side, index);
        await response.arrayBuffer();
        took.get(side)?.push(performance.now() - begun);
        if (!response.ok) throw new Error(`${what}: ${response.status}`);
      }
    }
  }
  for (const side of sides) side.noteCalls(what, took.get(side) ?? []);
}

async function measureCalls(sides: readonly Side[]): Promise<void> {
  // As in a service that has run for a while: what is compiled and held first is nobody's figure.
  for (const side of sides) {
    for (let index = rounds; index < 2 * rounds; index++) {
      const session = await side.join(index);
      await (await side.save(session, 1)).arrayBuffer();
      await (await side.leave(session)).arrayBuffer();
    }
  }
  await timed(sides, 'join', rounds, async (side, index) => {
    const response = await side.post(`/v1/players/${side.someone(index)}/join`, { host: 'ridge-eu-1' });
    const { session } = (await response.clone().json()) as { readonly session: { readonly id: string } };
    side.sessions[index] = session.id;
    return response;
  });
  await timed(sides, 'save', rounds, (side, index) => side.save(side.sessions[index], 1));
  await timed(sides, 'leave', rounds, (side, index) => side.leave(side.sessions[index]));
  const page = (what: string, route: (index: number) => string) =>
    timed(sides, what, 30, (side, index) => side.get(route(index)));
  await page('list', () => '/v1/players');
  await page('find by start of name', (index) => `/v1/players?search=${nameOf(index).slice(0, 4)}`);
  await page('find by a part', (index) => `/v1/players?search=${nameOf(index * 997).slice(3, 12)}`);
  await page('find by two letters', (index) => `/v1/players?search=${nameOf(index).slice(0, 2)}`);
  await page('list by name', () => '/v1/players?sort=name&order=ascending');
  await page('overview', () => '/v1/overview');
  await page('activity page', () => '/v1/activity');
  await timed(sides, "one player's page", 50, async (side, index) => {
    const id = side.someone(index);
    await Promise.all([side.get(`/v1/players/${id}/sessions`), side.get(`/v1/players/${id}/ledger`)]);
    return side.get(`/v1/players/${id}`);
  });
  await timed(sides, 'ledger page', 50, (side, index) => side.get(`/v1/players/${side.someone(index)}/ledger`));
}

/** By what they hold: what is stored is taken in first, beside a game that saves. */
async function measureFoundBy(side: Side): Promise<void> {
  const begun = performance.now();
  await side.live.setFoundBy(['currency/feather']);
  const meanwhile: number[] = [];
  for (let index = 0; (await side.live.foundBy()).foundBy.some(({ isReady }) => !isReady); index++) {
    const since = performance.now();
    const session = await side.join(index);
    meanwhile.push(performance.now() - since);
    await (await side.leave(session)).arrayBuffer();
  }
  side.note('taking in what players are found by', performance.now() - begun);
  side.note('join meanwhile, p99', percentile(meanwhile, 0.99));
}

interface Installing {
  /** What stands behind the name of each figure. */
  readonly where: string;
  /** How long each lane rests after a save, in milliseconds. */
  readonly rest: number;
  /** What the manifest's highest chapter is, which is 40. */
  readonly chapters: number;
}

/** A busy game plays on while a manifest is installed: many lanes, each save of another player than the last. */
async function measureInstall(side: Side, { where, rest, chapters }: Installing): Promise<void> {
  const playing: { readonly session: string; number: number }[] = [];
  for (let index = 0; index < playersMeanwhile; index += lanes) {
    await Promise.all(
      Array.from({ length: lanes }, async (_, lane) => {
        playing.push({ session: await side.join(1_000_000 + index + lane, 'ridge-eu-2'), number: 0 });
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
        const response = await side.save(one.session, ++one.number);
        await response.arrayBuffer();
        if (!response.ok) throw new Error(`A save during the install: ${response.status}`);
        took.push(performance.now() - begun);
        if (rest > 0) await pause(rest);
      }
    };
    await Promise.all(Array.from({ length: lanes }, lane));
    return took;
  };
  const note = (when: string, saves: readonly number[]): void => {
    side.noteCalls(`save ${when}${where}`, saves);
    side.note(`save ${when}${where}, the longest`, Math.max(...saves));
  };
  const calmUntil = performance.now() + calmFor;
  note('before an install', await saveOnAndOn(() => performance.now() > calmUntil));
  let isInstalled = false;
  const since = performance.now();
  const next = demoManifest().replace(
    /chapter: \{ type: integer, minimum: 1, maximum: 40/,
    `chapter: { type: integer, minimum: 1, maximum: ${chapters}`,
  );
  if (next === demoManifest()) throw new Error('The manifest was to be changed.');
  const installing = side.live.installManifest(next).then(() => (isInstalled = true));
  const saves = await saveOnAndOn(() => isInstalled);
  await installing;
  const took = performance.now() - since;
  side.note(`install${where}`, took);
  side.note(`saves a second during an install${where}`, saves.length / (took / 1_000));
  note('during an install', saves);
}

async function measureMemory(side: Side): Promise<void> {
  side.noteMemory('');
  // What was needed for the install alone is given back by then.
  await pause(65_000);
  side.noteMemory('a minute later');
}

/**
 * How long an install stops saves: on a file system in memory, and with rests
 * between saves, so that neither the disk nor a queue is what is measured.
 */
async function measureStops(side: Side): Promise<void> {
  const onDisk = side.folder;
  await side.moveTo(mkdtempSync(path.join(inMemory, 'vekkon-million-')));
  await measureInstall(side, { where: ', in memory', rest: 40, chapters: 4_000 });
  await side.service.end('SIGTERM');
  rmSync(side.folder, { recursive: true });
  side.folder = onDisk;
}

async function measureTransfer(side: Side): Promise<void> {
  const { folder, service, token } = side;
  const config = path.join(folder, 'config');
  mkdirSync(config);
  const signedIn = { url: service.url, token, email: admin.email };
  writeFileSync(path.join(config, 'signed-in.json'), JSON.stringify(signedIn), { mode: 0o600 });
  const exported = await runCommand(['export', path.join(folder, 'players.ndjson'), '--yes'], config);
  side.note('export', exported.took);
  side.note('memory of the command that exports', exported.memory);
  side.note('memory after an export', service.measured().memory);
  const fewer = await firstLines(path.join(folder, 'players.ndjson'), mostImported);
  rmSync(path.join(folder, 'players.ndjson'));
  await side.live.createEnvironment({ manifest: demoManifest(), environment: 'copy' });
  const imported = await runCommand(['import', fewer, '--yes', '--environment', 'highfell-gliders/copy'], config);
  side.note(`import of ${mostImported.toLocaleString('en')} players`, imported.took);
  side.note('memory of the command that imports', imported.memory);
  side.note('memory after an import', service.measured().memory);
}

/** Looks at what the service has left, and takes it away. */
async function measureFolder(side: Side): Promise<void> {
  side.note('disk', statSync(path.join(side.folder, 'vekkon.sqlite')).size / 1024 / 1024);
  if (!values['no-verify']) {
    const begun = performance.now();
    const { faults } = await verifyStore(side.folder);
    side.note('verify', performance.now() - begun);
    if (faults.length > 0) throw new Error(`verify found ${JSON.stringify(faults.slice(0, 3))}`);
  }
  rmSync(side.folder, { recursive: true });
}

const { bavail, bsize } = statfsSync(inMemory);
const needed = many * bytesAPlayer;
if (bavail * bsize < needed) throw new Error(`${inMemory} has no room for ${needed} bytes: a part of this needs it.`);
const small = await Side.make(few);
const large = await Side.make(many);
const sides = [small, large];
for (const side of sides) await side.start();
await measureCalls(sides);
for (const side of sides) await measureFoundBy(side);
await timed(sides, 'find by a balance', 30, (side, index) =>
  side.get(`/v1/players?by=currency/feather&from=${index}&to=1000`),
);
await timed(sides, 'find by a balance, last page', 30, (side) =>
  side.get(`/v1/players?by=currency/feather&after=${Buffer.from(JSON.stringify([70, 500])).toString('base64url')}`),
);
for (const side of sides) {
  await measureInstall(side, { where: '', rest: 0, chapters: 400 });
  await measureMemory(side);
  await measureTransfer(side);
  await measureStops(side);
  await measureFolder(side);
}
const lines: string[] = [];
for (const [what, figure] of large.measured) {
  const before = small.measured.get(what) ?? Number.NaN;
  const unit = what.startsWith('memory') || what === 'disk' ? 'MiB' : what.startsWith('saves') ? 'a second' : 'ms';
  const inWords = (one: number) => `${one >= 100 ? Math.round(one).toLocaleString('en') : one.toFixed(1)} ${unit}`;
  lines.push(`| ${what} | ${inWords(before)} | ${inWords(figure)} | ${(figure / before).toFixed(2)} |`);
  console.log(`${what}: ${inWords(before)} at ${few}, ${inWords(figure)} at ${many.toLocaleString('en')}`);
}
const text = [
  '# At a million players',
  '',
  `Measured on ${new Date().toISOString().slice(0, 10)} by \`npm run bench:million\` on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}), Node ${process.versions.node}: a store of ${many.toLocaleString('en')} players beside one of ${few.toLocaleString('en')} in the same run. Each player has sixteen records with revisions, a ledger and two sessions. Calls come one after the other, ${inTurn} to the one service and then ${inTurn} to the other, after ${rounds} joins, saves and leaves of others that are not counted; medians, unless it says otherwise. While a manifest is installed, ${lanes} save at the same time, for ${playersMeanwhile} players in turn; "in memory" each of the ${lanes} rests 40 ms after a save, on a file system in memory, so that neither the disk nor a queue for it is what is measured. "Memory of its own" leaves out the pages of the database file that the system shows to the process.`,
  '',
  `| what | at ${few.toLocaleString('en')} | at ${many.toLocaleString('en')} | ratio |`,
  '| --- | --- | --- | --- |',
  ...lines,
  '',
];
if (many >= 1_000_000) writeFileSync(path.join(import.meta.dirname, '../docs/million.md'), text.join('\n'));
