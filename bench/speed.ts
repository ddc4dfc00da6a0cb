/**
 * How fast the service is, each figure beside its yardstick in the same run:
 * medians of five rounds, load from a process of its own. Writes docs/bench.md.
 *
 *   npm run bench [-- --rounds 5] [-- --seconds 3] [-- --only save] [-- --profile /tmp/profiles]
 */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { bareRowsPerSecond } from './bare-rows.js';
import { Helper } from './helper.js';
import { freePort, ServiceProcess } from './service-process.js';
import type { Connection, Loaded, Sending } from './speed-load.js';

const { values } = parseArgs({
  options: {
    rounds: { type: 'string', default: '5' },
    seconds: { type: 'string', default: '3' },
    only: { type: 'string' },
    /** A folder for profiles of the service's threads. */
    profile: { type: 'string' },
  },
});
const rounds = Number(values.rounds);
const milliseconds = Number(values.seconds) * 1000;

const connections = 64;
const bulkConnections = 8;
const bulkSaves = 100;

const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-speed-'));
const profiled = ['bash', '-c', `exec "$0" --cpu-prof --cpu-prof-dir=${values.profile} "$@"`];
const service = new ServiceProcess(
  ['serve', '--log', 'json'],
  folder,
  await freePort(),
  /first-admin#\S+/,
  values.profile === undefined ? [] : profiled,
);
await service.start();
const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
// Marked live, as where speed matters: its log says less.
const { hostKey } = await new VekkonOperator({ url: service.url, token }).createEnvironment({
  manifest: demoManifest(),
  environment: 'live',
  live: true,
});
const headers = { Authorization: `Bearer ${hostKey}` };

const bare = new Helper('bare-express.ts');
const { port: barePort } = await bare.hear<{ readonly port: number }>();
const load = new Helper('speed-load.ts');

async function call(method: string, route: string, body?: unknown) {
  const response = await fetch(service.url + route, {
    method,
    headers: { ...headers, 'Content-Type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const answer = (await response.json()) as { readonly session: { readonly id: string } };
  if (!response.ok) throw new Error(JSON.stringify(answer));
  return answer;
}

const changes = [
  { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
  { op: 'credit', key: 'currency/opal', amount: 1, reason: 'climb' },
];
// Whoever saves knows of what they saved before.
const save = { number: '#n', seen: '#n', answered: '#p', transactions: [{ changes }] };
const textOf = (body: object) => JSON.stringify(body).replaceAll('"#n"', '#n').replaceAll('"#p"', '#p');

async function sessionsOf(prefix: string, count: number): Promise<readonly string[]> {
  const host = new VekkonHost({ url: service.url, hostKey, host: prefix, autosave: 0 });
  const ids = Array.from({ length: count }, (_, index) => `${prefix}-${index}`);
  return Promise.all(ids.map(async (id) => (await host.join(id)).id));
}

const singles = await sessionsOf('p-single', connections);
const inBulk = await sessionsOf('p-bulk', bulkConnections * bulkSaves);
await sessionsOf('p-join', connections);
const post = (route: string, body: string, from: number): Connection => ({
  method: 'POST',
  path: route,
  headers,
  body,
  from,
});
const get = (route: string, more: Connection['headers'] = {}): Connection => ({
  method: 'GET',
  path: route,
  headers: { ...headers, ...more },
  body: null,
  from: 1,
});

let singlesAt = 1;
let bulkAt = 1;
const cases: { readonly [name: string]: () => readonly Connection[] } = {
  save: () => singles.map((id) => post(`/v1/sessions/${id}/saves`, textOf(save), singlesAt)),
  refused: () =>
    singles.map((id, index) =>
      index % 5 === 0
        ? post(`/v1/sessions/${id}/saves`, textOf({ ...save, number: 900_000_000 }), 1)
        : post(`/v1/sessions/${id}/saves`, textOf(save), singlesAt),
    ),
  bulk: () =>
    Array.from({ length: bulkConnections }, (_, index) => {
      const ids = inBulk.slice(index * bulkSaves, (index + 1) * bulkSaves);
      return post('/v1/saves', textOf({ saves: ids.map((session) => ({ session, ...save })) }), bulkAt);
    }),
  join: () =>
    Array.from({ length: connections }, (_, index) =>
      post(`/v1/players/p-join-${index}/join`, JSON.stringify({ host: 'p-join' }), 1),
    ),
  record: () =>
    Array.from({ length: connections }, (_, index) => get(`/v1/players/p-single-${index}/records/progress/climbs`)),
  unchanged: () =>
    Array.from({ length: connections }, (_, index) =>
      get(`/v1/players/p-join-${index}/records/progress/climbs`, { 'If-None-Match': '"1"' }),
    ),
};

async function run(port: number, name: string): Promise<Loaded> {
  const sending: Sending = { port, connections: cases[name]?.() ?? [], milliseconds };
  const loaded = await load.ask<Loaded>(sending);
  if (port !== barePort) {
    if (name === 'save' || name === 'refused') singlesAt = Math.max(...loaded.next.map(Number).filter((n) => n < 9e8));
    if (name === 'bulk') bulkAt = Math.max(...loaded.next);
  }
  return loaded;
}

/** All sessions of a case must stand at the same number: those behind are brought up by saves of nothing. */
async function level(ids: readonly string[], at: number, next: readonly number[], skip: (index: number) => boolean) {
  await Promise.all(
    ids.map(async (id, index) => {
      for (let number = next[index] ?? at; number < at && !skip(index); number++) {
        await call('POST', `/v1/sessions/${id}/saves`, { number, answered: number - 1, transactions: [] });
      }
    }),
  );
}

const perSecond = ({ requests, milliseconds: took }: Loaded) => (requests * 1000) / took;
const median = (list: readonly number[]) => list.toSorted((a, b) => a - b)[Math.floor(list.length / 2)] ?? Number.NaN;

/** What the gauge of the event loop shows when it is never late: it looks every 10 ms. */
const looksEvery = 10;

/** How late the service's event loop runs by what it says itself, the 99th percentile in milliseconds since it was last asked. */
async function loopDelay(): Promise<number> {
  const text = await (await fetch(`${service.url}/metrics`, { headers: { Authorization: `Bearer ${token}` } })).text();
  return Number(/^nodejs_eventloop_lag_p99_seconds (\S+)/m.exec(text)?.[1]) * 1000 - looksEvery;
}

interface Row {
  readonly what: string;
  readonly ours: string;
  readonly yardstick: string;
  readonly ratio: number;
  readonly aim: string;
  readonly isReached: boolean;
}
const rows: Row[] = [];
const whole = (figure: number) => Math.round(figure).toLocaleString('en');
const isChosen = (name: string) => values.only === undefined || values.only === name;

// What the yardstick returns is what the service returns.
await bare.ask({
  name: 'save',
  answer: await call('POST', `/v1/sessions/${singles[0]}/saves`, { ...save, number: 1, seen: 1, answered: 0 }),
});
await level(
  singles,
  2,
  singles.map((_, index) => (index === 0 ? 2 : 1)),
  () => false,
);
singlesAt = 2;
await bare.ask({ name: 'join', answer: await call('POST', '/v1/players/p-join-0/join', { host: 'p-join' }) });
await bare.ask({ name: 'record', answer: 17 });
{
  const saves = inBulk
    .slice(0, bulkSaves)
    .map((session) => ({ session, number: 1, seen: 1, transactions: [{ changes }] }));
  await bare.ask({ name: 'bulk', answer: await call('POST', '/v1/saves', { saves }) });
  const more = inBulk.slice(bulkSaves).map((session) => ({ session, number: 1, seen: 1, transactions: [{ changes }] }));
  for (let at = 0; at < more.length; at += bulkSaves)
    await call('POST', '/v1/saves', { saves: more.slice(at, at + bulkSaves) });
  bulkAt = 2;
}

const aims: { readonly [name: string]: { readonly what: string; readonly aim: number } } = {
  save: { what: 'durable saves, one a request, 64 connections', aim: 0.7 },
  join: { what: 'join with a dozen records', aim: 0.6 },
  record: { what: 'one record by key', aim: 0.7 },
  unchanged: { what: 'the same with If-None-Match', aim: 0.7 },
};
for (const [name, { what, aim }] of Object.entries(aims)) {
  if (!isChosen(name)) continue;
  const ours: Loaded[] = [];
  const theirs: Loaded[] = [];
  const delays: number[] = [];
  for (let round = 0; round < rounds; round++) {
    theirs.push(await run(barePort, name === 'unchanged' ? 'record' : name));
    await loopDelay();
    const loaded = await run(service.port, name);
    delays.push(await loopDelay());
    ours.push(loaded);
    if (name === 'save') await level(singles, singlesAt, loaded.next, () => false);
  }
  const [mine, bares] = [median(ours.map(perSecond)), median(theirs.map(perSecond))];
  push(what, `${whole(mine)}/s`, `bare Express: ${whole(bares)}/s`, mine / bares, aim);
  if (name !== 'save') continue;
  const [p99, bareP99] = [median(ours.map((one) => one.p99)), median(theirs.map((one) => one.p99))];
  pushMost('the same: p99', `${p99.toFixed(1)} ms`, `bare Express: ${bareP99.toFixed(1)} ms`, p99 / bareP99, 3);
  const delay = median(delays);
  pushMost('the event loop meanwhile: p99 delay', `${delay.toFixed(1)} ms`, '20 ms', delay / 20, 1);
}
if (isChosen('refused') || isChosen('save')) {
  const calm: number[] = [];
  const refused: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const one = await run(service.port, 'save');
    await level(singles, singlesAt, one.next, () => false);
    calm.push(perSecond(one));
    const other = await run(service.port, 'refused');
    // Those that were refused stand where they stood.
    const next = other.next.map((number, index) =>
      index % 5 === 0 ? one.next.reduce((a, b) => Math.max(a, b)) : number,
    );
    await level(singles, singlesAt, next, () => false);
    refused.push(perSecond(other));
  }
  const [mine, none] = [median(refused), median(calm)];
  push('saves while one in five is refused', `${whole(mine)}/s`, `none refused: ${whole(none)}/s`, mine / none, 0.8);
}
if (isChosen('bulk')) {
  const ours: number[] = [];
  const theirs: number[] = [];
  const alone: number[] = [];
  for (let round = 0; round < rounds; round++) {
    theirs.push(perSecond(await run(barePort, 'save')));
    const loaded = await run(service.port, 'bulk');
    ours.push(perSecond(loaded) * bulkSaves);
    for (const [index, next] of loaded.next.entries()) {
      for (let number = next; number < bulkAt; number++) {
        const ids = inBulk.slice(index * bulkSaves, (index + 1) * bulkSaves);
        const saves = ids.map((session) => ({ session, number, answered: number - 1, transactions: [] }));
        await call('POST', '/v1/saves', { saves });
      }
    }
    alone.push(bareRowsPerSecond(path.join(folder, 'vekkon.sqlite'), bulkSaves, bulkConnections, milliseconds));
  }
  const [mine, rowsAlone, express] = [median(ours), median(alone), median(theirs)];
  push(
    'durable saves in bulk, 100 a request',
    `${whole(mine)}/s`,
    `better-sqlite3 alone: ${whole(rowsAlone)}/s`,
    mine / rowsAlone,
    0.6,
  );
  push('the same', `${whole(mine)}/s`, `bare Express: ${whole(express)}/s`, mine / express, 2);
}
await service.end('SIGTERM');
if (isChosen('slow disk')) await slowDisk();
rmSync(folder, { recursive: true });
report();
// The helpers end with this process.
process.exit();

/** The service on a disk whose every flush takes 10 ms more, as a tracer makes it. */
async function slowDisk(): Promise<void> {
  const tracer = ['strace', '-f', '--seccomp-bpf', '-qq', '-o', '/dev/null', '-e', 'trace=fsync,fdatasync'];
  const delayed = [...tracer, '-e', 'inject=fsync,fdatasync:delay_exit=10000'];
  const reads = { swift: [] as number[], slow: [] as number[] };
  const saves = { swift: [] as number[], slow: [] as number[] };
  const reading = new Helper('speed-load.ts');
  for (const speed of ['swift', 'slow'] as const) {
    const under = speed === 'slow' ? delayed : [...tracer];
    const one = new ServiceProcess(['serve', '--log', 'json'], folder, service.port, /"url"/, under);
    await one.start();
    for (let round = 0; round < rounds; round++) {
      const written = load.ask<Loaded>({ port: one.port, connections: cases['save']?.() ?? [], milliseconds });
      const connectionsOf = (cases['record']?.() ?? []).slice(0, 16);
      const read = await reading.ask<Loaded>({ port: one.port, connections: connectionsOf, milliseconds });
      const loaded = await written;
      singlesAt = Math.max(...loaded.next);
      await level(singles, singlesAt, loaded.next, () => false);
      reads[speed].push(perSecond(read));
      saves[speed].push(perSecond(loaded));
    }
    await one.end('SIGTERM');
  }
  const [slow, swift] = [median(reads.slow), median(reads.swift)];
  push('a slow disk: reads beside saves', `${whole(slow)}/s`, `a swift disk: ${whole(swift)}/s`, slow / swift, 0.9);
  const written = median(saves.slow);
  // One save a flush would be 100 a second.
  push('a slow disk: saves', `${whole(written)}/s`, 'one a flush of 10 ms: 100/s', written / 100, 2);
}

function push(what: string, ours: string, yardstick: string, ratio: number, aim: number): void {
  add({ what, ours, yardstick, ratio, aim: `at least ${aim}`, isReached: ratio >= aim });
}

function pushMost(what: string, ours: string, yardstick: string, ratio: number, aim: number): void {
  add({ what, ours, yardstick, ratio, aim: `at most ${aim}`, isReached: ratio <= aim });
}

function add(row: Row): void {
  rows.push(row);
  const { what, ours, yardstick, ratio, aim, isReached } = row;
  console.log(`${what}: ${ours}; ${yardstick}; ${ratio.toFixed(2)} (${aim})${isReached ? '' : ' NOT REACHED'}`);
}

function report(): void {
  if (values.only !== undefined) return;
  const day = new Date().toISOString().slice(0, 10);
  const lines = rows.map(
    ({ what, ours, yardstick, ratio, aim, isReached }) =>
      `| ${what} | ${ours} | ${yardstick} | ${ratio.toFixed(2)} | ${aim} | ${isReached ? 'yes' : 'no'} |`,
  );
  const text = [
    '# How fast it is',
    '',
    `Measured on ${day} by \`npm run bench\` on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}), Node ${process.versions.node}: medians of ${rounds} rounds of ${milliseconds / 1000} seconds, each figure beside its yardstick in the same run, the load from a process of its own on the same machine. A save holds one transaction of two changes, a counter and a currency, which writes two records, two revisions and a line of the ledger.`,
    '',
    '| what | measured | yardstick | ratio | aim | reached |',
    '| --- | --- | --- | --- | --- | --- |',
    ...lines,
    '',
    'Where the time goes, and what was done about it: [performance.md](performance.md). At a million players: [million.md](million.md).',
    '',
  ];
  writeFileSync(path.join(import.meta.dirname, '../docs/bench.md'), text.join('\n'));
}
