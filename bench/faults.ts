/**
 * What is lost under faults: pilots who join, save and leave without pause,
 * while calls are refused, held up and cut, and the service is killed with
 * SIGKILL every few seconds and started again.
 *
 * The same pilots first play for a while in calm: the yardstick beside which
 * the figures stand.
 *
 *   npm run bench:faults [-- --pilots 200 --seconds 120 --calm 20]
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { SessionOver, VekkonError, VekkonHost, VekkonOperator, type HostSession } from '@vekkon/client';

const { values } = parseArgs({
  options: {
    pilots: { type: 'string', default: '200' },
    seconds: { type: 'string', default: '120' },
    calm: { type: 'string', default: '20' },
  },
});
const [pilots, seconds, calm] = [Number(values.pilots), Number(values.seconds), Number(values.calm)];

const manifest = `
manifest: 1
game: highfell-gliders
progress:
  climbed: { schema: { type: array, items: { type: integer }, default: [] } }
currencies:
  feather: 0
`;
const disturbance = { refuse: 0.1, delay: { from: 0, to: 100 }, loseResponses: 0.05, seconds: 600 };
const root = path.resolve(import.meta.dirname, '..');
const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-faults-'));

/** The service as a process of its own, always on the same port. */
class Victim {
  #child: ChildProcess | undefined;
  starts = 0;
  readonly port: number;

  constructor(port: number) {
    this.port = port;
  }

  /** @returns the link for the first admin, at the first start */
  async start(): Promise<string | undefined> {
    this.starts++;
    const args = [
      'packages/cli/bin/vekkon.js',
      'serve',
      '--data',
      folder,
      '--port',
      String(this.port),
      '--log',
      'json',
    ];
    this.#child = spawn(process.execPath, args, {
      cwd: root,
      stdio: ['ignore', 'pipe', 'inherit'],
      env: { ...process.env, VEKKON_LOG_LEVEL: 'info' },
    });
    let printed = '';
    return new Promise((resolve) => {
      this.#child?.stdout?.on('data', (text) => {
        if (printed.includes('"url"') && this.starts > 1) return;
        printed += text;
        const link = /first-admin#(\S+)/.exec(printed)?.[1];
        if (this.starts === 1 ? link !== undefined : printed.includes('"url"')) resolve(link);
      });
    });
  }

  async end(signal: NodeJS.Signals): Promise<void> {
    const ended = new Promise((resolve) => this.#child?.once('exit', resolve));
    this.#child?.kill(signal);
    await ended;
  }
}

/** What happened to all pilots in one stretch of time. */
class Tally {
  saves = 0;
  joins = 0;
  longestJoin = 0;
}

interface Pilot {
  readonly id: string;
  readonly acknowledged: Set<number>;
  readonly done: Set<number>;
}

async function fly(
  pilot: Pilot,
  hosts: readonly VekkonHost[],
  tally: () => Tally,
  isOver: () => boolean,
): Promise<void> {
  while (!isOver()) {
    let session: HostSession;
    const startedAt = performance.now();
    try {
      session = await oneOf(hosts).join(pilot.id, { wait: 10 });
    } catch (error) {
      if (!(error instanceof VekkonError)) throw error;
      continue;
    }
    tally().joins++;
    tally().longestJoin = Math.max(tally().longestJoin, performance.now() - startedAt);
    try {
      for (let legs = 3 + Math.floor(Math.random() * 5); legs > 0 && !isOver(); legs--) {
        const climb = pilot.done.size;
        session.transaction('climb', (draft) => {
          draft.collect('climbed', climb);
          draft.credit('feather', 1, 'climb');
        });
        pilot.done.add(climb);
        await pause(200 + Math.random() * 600);
        const upTo = [...pilot.done];
        await session.save();
        for (const one of upTo) pilot.acknowledged.add(one);
        tally().saves++;
      }
      await session.leave();
    } catch (error) {
      if (!(error instanceof VekkonError)) throw error;
      // Nothing is acknowledged that was not answered. A session that was lost goes on elsewhere.
      if (!(error instanceof SessionOver)) await session.leave().catch(() => undefined);
    }
  }
}

function oneOf<T>(list: readonly T[]): T {
  return list[Math.floor(Math.random() * list.length)] as T;
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });
}

const victim = new Victim(await freePort());
const url = `http://127.0.0.1:${victim.port}`;
const invitation = await victim.start();
const { token } = await VekkonOperator.becomeFirstAdmin(url, {
  invitation: invitation ?? '',
  email: 'tobin@highfell.example',
  name: 'Tobin',
  password: 'over-the-gorge',
});
const operator = new VekkonOperator({ url, token });
const { hostKey } = await operator.createEnvironment({ manifest, environment: 'dev' });
const hosts = ['ridge-eu-1', 'ridge-eu-2', 'ridge-us-1'].map(
  (host) => new VekkonHost({ url, hostKey, host, autosave: 0, deadline: 60_000, spool: path.join(folder, 'spools') }),
);
const flock = Array.from({ length: pilots }, (_, index): Pilot => ({
  id: `p-${index}`,
  acknowledged: new Set(),
  done: new Set(),
}));

let tally = new Tally();
let isOver = false;
const flying = flock.map((pilot) =>
  fly(
    pilot,
    hosts,
    () => tally,
    () => isOver,
  ),
);

console.log(`${pilots} pilots, ${calm} s of calm …`);
await pause(calm * 1000);
const inCalm = tally;
tally = new Tally();

console.log(`${seconds} s of faults: 10% refused, up to 100 ms late, 5% of responses lost, killed every few seconds …`);
const until = performance.now() + seconds * 1000;
let kills = 0;
while (performance.now() < until) {
  await operator.startDisturbance(disturbance);
  await pause(3_000 + Math.random() * 4_000);
  await victim.end('SIGKILL');
  kills++;
  await victim.start();
}
const inFaults = tally;
isOver = true;
await Promise.all(flying);
const closed = await Promise.all(hosts.map((host) => host.close({ within: 30_000 })));

let [lost, twice, unsettledClimbs] = [0, 0, 0];
for (const pilot of flock) {
  const { records } = await operator.player(pilot.id);
  const climbed = (records['progress/climbed']?.value ?? []) as number[];
  const { unsettled } = await operator.unsettled(pilot.id);
  unsettledClimbs += unsettled.length;
  const stored = new Set(climbed);
  // A save may have acknowledged what a lost session kept as unsettled: that is not lost either.
  const kept = new Set(
    unsettled.flatMap(({ transaction }) =>
      transaction.changes.map((change) => ('value' in change ? change.value : -1)),
    ),
  );
  for (const climb of pilot.acknowledged) if (!stored.has(climb) && !kept.has(climb)) lost++;
  // `collect` keeps a value once; the balance counts how often it was really applied.
  twice += Number(records['currency/feather']?.value ?? 0) - climbed.length;
}
await victim.end('SIGTERM');
rmSync(folder, { recursive: true });

const perSecond = (count: number, time: number) => count / time;
const calmRate = perSecond(inCalm.saves, calm);
const faultRate = perSecond(inFaults.saves, seconds);
const rows: readonly (readonly [string, string, string])[] = [
  ['', 'calm', 'faults'],
  ['service killed', '0', String(kills)],
  ['joins', String(inCalm.joins), String(inFaults.joins)],
  ['saves acknowledged', String(inCalm.saves), String(inFaults.saves)],
  ['  a second', calmRate.toFixed(1), `${faultRate.toFixed(1)}  (${(faultRate / calmRate).toFixed(2)} of calm)`],
  ['saves lost', '', String(lost)],
  ['changes applied twice', '', String(twice)],
  ['kept as unsettled', '', String(unsettledClimbs)],
  [
    'longest until joined',
    `${(inCalm.longestJoin / 1000).toFixed(2)} s`,
    `${(inFaults.longestJoin / 1000).toFixed(2)} s`,
  ],
  ['players lost at close', '', String(closed.reduce((sum, one) => sum + one.lost.length, 0))],
];
for (const row of rows) console.log(row.map((cell, index) => cell.padEnd(index === 0 ? 24 : 12)).join(''));
process.exitCode = lost === 0 && twice === 0 ? 0 : 1;
