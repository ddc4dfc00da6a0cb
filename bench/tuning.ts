/**
 * What tuning costs: evaluations of a tunable with five adjustments, beside
 * parsing its value as JSON in the same process; a publication to ten
 * thousand open streams, while saves go on; and answers of 304 beside a bare
 * Express route that answers the same. Writes docs/bench-tuning.md.
 *
 *   npm run bench:tuning [-- --streams 10000]
 */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { cpus, tmpdir } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { Tuning, type Adjustment } from '@vekkon/core/tuning';
import { demoManifest } from '@vekkon/demo';
import { Helper } from './helper.js';
import { freePort, percentile, ServiceProcess } from './service-process.js';
import type { Loaded } from './speed-load.js';

const { values } = parseArgs({ options: { streams: { type: 'string', default: '10000' } } });
const streams = Number(values.streams);
const editions = 10;
const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-tuning-'));

/** Microseconds for each of so many calls: the median of five rounds. */
function timed(times: number, call: (index: number) => unknown): number {
  const rounds = Array.from({ length: 5 }, () => {
    const since = performance.now();
    for (let index = 0; index < times; index++) call(index);
    return ((performance.now() - since) * 1000) / times;
  });
  return percentile(rounds, 0.5);
}

/** The fifth of five adjustments is the one that matches: all of them are looked at. */
function evaluation() {
  const adjustments: readonly Adjustment[] = [
    { id: 'past', value: 2, window: { until: '2026-01-01T00:00:00Z' } },
    { id: 'few', value: 2, percent: 0.001 },
    { id: 'late', value: 2, audience: { attribute: 'chapter', atLeast: 30 } },
    {
      id: 'coast',
      value: 2,
      audience: {
        all: [
          { attribute: 'country', isOneOf: ['PT', 'IE'] },
          { attribute: 'build', atLeast: '1.9.0' },
        ],
      },
    },
    { id: 'most', value: 2, percent: 99.9 },
  ];
  const tuning = new Tuning({
    tunables: { 'thermal-strength': { value: 1, from: 'manifest', adjustments } },
    types: { chapter: 'number', country: 'string', build: 'version' },
  });
  const playerNumbered = (index: number) => ({
    player: `p-${index}`,
    attributes: { chapter: index % 20, country: 'PT', build: '1.8.0' },
  });
  const players = Array.from({ length: 1000 }, (_, index) => playerNumbered(index));
  const text = JSON.stringify({ 'thermal-strength': 1, edition: 14 });
  const at = Date.now();
  return {
    ours: timed(200_000, (index) => tuning.pick('thermal-strength', players[index % 1000] ?? playerNumbered(0), at)),
    parsing: timed(200_000, () => JSON.parse(text)),
  };
}

/** Somebody who listens past any client, and notes when each edition arrives. */
class Listener {
  readonly heard = new Map<number, number>();
  readonly socket: Socket;
  readonly ready: Promise<void>;
  #text = '';

  constructor(port: number, hostKey: string) {
    this.socket = connect(port, '127.0.0.1');
    this.socket.setEncoding('latin1');
    this.socket.write(
      `GET /v1/tuning/stream HTTP/1.1\r\nHost: bench\r\nAuthorization: Bearer ${hostKey}\r\nAccept: text/event-stream\r\n\r\n`,
    );
    this.ready = new Promise((resolve, reject) => {
      this.socket.once('error', reject);
      this.socket.on('data', (chunk: string) => {
        this.#text += chunk;
        for (const [, edition] of this.#text.matchAll(/"edition":(\d+)[^\n]*\n/g)) {
          if (!this.heard.has(Number(edition))) this.heard.set(Number(edition), performance.now());
          resolve();
        }
        this.#text = this.#text.slice(this.#text.lastIndexOf('\n') + 1);
        if (/^HTTP\/1\.1 [45]/.test(chunk)) reject(new Error(chunk.slice(0, 400)));
      });
    });
  }
}

async function delivery() {
  const service = new ServiceProcess(['serve', '--log', 'json'], folder, await freePort(), /first-admin#\S+/);
  await service.start();
  const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
  const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
  const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
  const { hostKey } = await new VekkonOperator({ url: service.url, token }).createEnvironment({
    manifest: demoManifest(),
    environment: 'live',
    live: true,
  });
  const { tuning } = new VekkonOperator({ url: service.url, token, environment: 'highfell-gliders/live' });
  const host = new VekkonHost({ url: service.url, hostKey, host: 'ridge-eu-1', autosave: 0, deadline: 30_000 });
  const sessions = await Promise.all(Array.from({ length: 500 }, (_, index) => host.join(`p-${index}`)));
  const hearing = sessions.map((session) => {
    const heard: number[] = [];
    session.tuning.watch('thermal-strength', () => heard.push(session.tuning.edition));
    return heard;
  });
  const listeners: Listener[] = [];
  for (let opened = 0; opened < streams; opened += 200) {
    const some = Array.from({ length: Math.min(200, streams - opened) }, () => new Listener(service.port, hostKey));
    await Promise.all(some.map(({ ready }) => ready));
    listeners.push(...some);
  }
  const before = service.measured();
  let isSaving = true;
  const saveTook: number[] = [];
  const saving = (async () => {
    for (let number = 0; isSaving; number++) {
      const session = sessions[number % sessions.length];
      if (session === undefined) break;
      session.increase('climbs', 1);
      const since = performance.now();
      await session.save();
      saveTook.push(performance.now() - since);
    }
  })();
  const delays: number[] = [];
  const worst: number[] = [];
  for (let edition = 1; edition <= editions; edition++) {
    const { revision } = await tuning.draft();
    const put = await tuning.put('thermal-strength', { value: 1 + edition / 10, revision });
    const since = performance.now();
    await tuning.publish({ note: `edition ${edition} of the bench`, revision: put.revision });
    while (listeners.some(({ heard }) => !heard.has(edition))) await new Promise((resolve) => setTimeout(resolve, 5));
    const took = listeners.map(({ heard }) => (heard.get(edition) ?? Infinity) - since);
    delays.push(...took);
    worst.push(Math.max(...took));
  }
  isSaving = false;
  await saving;
  const inOrder = listeners.filter(({ heard }) => [...heard.keys()].every((one, index) => one === index)).length;
  const sessionsThatHeard = hearing.filter((heard) => heard.at(-1) === editions).length;
  for (const { socket } of listeners) socket.destroy();
  await host.close();
  const bare = new Helper('bare-express.ts');
  const { port: barePort } = await bare.hear<{ readonly port: number }>();
  const load = new Helper('speed-load.ts');
  const headers = { Authorization: `Bearer ${hostKey}` };
  const tag = (await fetch(`${service.url}/v1/tuning`, { headers })).headers.get('ETag') ?? '';
  const connections = (match: string) =>
    Array.from({ length: 64 }, () => ({
      method: 'GET',
      path: '/v1/tuning',
      headers: { ...headers, 'If-None-Match': match },
      body: null,
      from: 1,
    }));
  const perSecond = ({ requests, milliseconds: took }: Loaded) => (requests * 1000) / took;
  const [ours, theirs]: [number[], number[]] = [[], []];
  for (let round = 0; round < 5; round++) {
    const milliseconds = 2_000;
    theirs.push(perSecond(await load.ask({ port: barePort, connections: connections('"bare"'), milliseconds })));
    const answered = await load.ask<Loaded>({ port: service.port, connections: connections(tag), milliseconds });
    if (answered.statuses['304'] !== answered.requests) throw new Error(JSON.stringify(answered.statuses));
    ours.push(perSecond(answered));
  }
  await service.end('SIGTERM');
  return {
    p50: percentile(delays, 0.5),
    p99: percentile(delays, 0.99),
    worst: Math.max(...worst),
    saves: { count: saveTook.length, p99: percentile(saveTook, 0.99), longest: Math.max(...saveTook) },
    inOrder,
    sessionsThatHeard,
    memory: before.own,
    ours: percentile(ours, 0.5),
    theirs: percentile(theirs, 0.5),
  };
}

const evaluated = evaluation();
const delivered = await delivery();
rmSync(folder, { recursive: true });
const { p50, p99, worst, saves, inOrder, sessionsThatHeard, memory, ours, theirs } = delivered;
const whole = (figure: number) => Math.round(figure).toLocaleString('en');
const text = [
  '# Tuning, measured',
  '',
  `Measured on ${new Date().toISOString().slice(0, 10)} by \`npm run bench:tuning\` on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}), Node ${process.versions.node}; the listeners are another process on the same machine.`,
  '',
  '| what | figure | aim |',
  '| --- | ---: | --- |',
  `| one tunable with five adjustments, of which the last matches | ${evaluated.ours.toFixed(2)} µs; parsing its answer as JSON takes ${evaluated.parsing.toFixed(2)} µs: ratio ${(evaluated.ours / evaluated.parsing).toFixed(2)} | under 5 µs |`,
  `| a publication until it is heard on ${whole(streams)} streams, over ${editions} editions | p50 ${whole(p50)} ms, p99 ${whole(p99)} ms, worst ${whole(worst)} ms | one second |`,
  `| streams that heard every edition once and in order | ${whole(inOrder)} of ${whole(streams)} | all |`,
  `| sessions of 500 on one host that had the last edition | ${sessionsThatHeard} | all |`,
  `| saves meanwhile, one after the other | ${whole(saves.count)}, p99 ${whole(saves.p99)} ms, the longest ${whole(saves.longest)} ms | they go on |`,
  `| memory of the service with all streams open | ${whole(memory)} MiB | |`,
  `| 304 on \`GET /v1/tuning\` | ${whole(ours)}/s; a bare Express route that answers 304: ${whole(theirs)}/s: ratio ${(ours / theirs).toFixed(2)} | 0.7 |`,
  '',
].join('\n');
writeFileSync(path.join(import.meta.dirname, '../docs/bench-tuning.md'), text);
console.log(text);
process.exit(0);
