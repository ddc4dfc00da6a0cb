/**
 * What boards cost at ten thousand to ten million standings, beside SQLite
 * counting rows by an index, and beside Redis (a sorted set over a Unix
 * socket) where it is installed; then a service on a million: how long until
 * its board is ready, and a rank over HTTP beside a bare Express GET. Writes
 * docs/bench-boards.md.
 *
 *   npm run bench:boards [-- --most 10000000]
 */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { cpus, tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import Database from 'better-sqlite3';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { StandingIndex } from '@vekkon/core/boards';
import { Helper } from './helper.js';
import { freePort, percentile, ServiceProcess } from './service-process.js';
import type { Loaded } from './speed-load.js';

const { values } = parseArgs({ options: { most: { type: 'string', default: '10000000' } } });
const sizes = [10_000, 100_000, 1_000_000, 10_000_000].filter((size) => size <= Number(values.most));
const asked = 20_000;
/** What walks is asked less often. */
const askedOfWalkers = 30;
const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-boards-'));

interface Row {
  readonly size: number;
  readonly what: string;
  readonly ours: number;
  readonly sqlite: number | undefined;
  readonly redis: number | undefined;
}
const rows: Row[] = [];

/** The same numbers in every run: mulberry32. */
function randomFrom(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) % below;
  };
}

/** Microseconds for each of so many calls, the mean. */
function timed(times: number, call: (index: number) => unknown): number {
  const since = performance.now();
  for (let index = 0; index < times; index++) call(index);
  return ((performance.now() - since) * 1000) / times;
}

async function timedOver(times: number, call: (index: number) => Promise<unknown>): Promise<number> {
  const since = performance.now();
  for (let index = 0; index < times; index++) await call(index);
  return ((performance.now() - since) * 1000) / times;
}

/** Redis by its protocol (RESP 2) over a Unix socket: one command after the other, or many at once. */
class Redis {
  readonly #server: ChildProcess;
  readonly #socket: Socket;
  #buffered = 0;
  #wanted = 0;
  #text = '';
  #resolve: ((text: string) => void) | undefined;

  private constructor(server: ChildProcess, socket: Socket) {
    this.#server = server;
    this.#socket = socket;
    socket.setEncoding('latin1');
    socket.on('data', (text: string) => this.#take(text));
  }

  static async start(): Promise<Redis | undefined> {
    if (spawnSync('which', ['redis-server']).status !== 0) return undefined;
    const file = path.join(folder, 'redis.sock');
    const given = ['--port', '0', '--unixsocket', file, '--save', '', '--appendonly', 'no', '--dir', folder];
    const server = spawn('redis-server', given, { stdio: 'ignore' });
    for (;;) {
      await pause(50);
      const socket = connect(file);
      const isUp = await new Promise<boolean>((resolve) => {
        socket.once('connect', () => resolve(true));
        socket.once('error', () => resolve(false));
      });
      if (isUp) return new Redis(server, socket);
    }
  }

  /** Sends commands together. @returns when as many answers have come */
  send(commands: readonly (readonly (string | number)[])[]): Promise<string> {
    this.#wanted = commands.length;
    this.#buffered = 0;
    this.#text = '';
    const answered = new Promise<string>((resolve) => (this.#resolve = resolve));
    this.#socket.write(
      commands
        .map((words) => `*${words.length}\r\n${words.map((word) => `$${String(word).length}\r\n${word}\r\n`).join('')}`)
        .join(''),
    );
    return answered;
  }

  /** Answers of one line each are counted; one that is a list ends with its last line. */
  #take(text: string): void {
    this.#text += text;
    for (const character of text) if (character === '\n') this.#buffered++;
    const lines = this.#text.startsWith('*') ? 1 + 2 * Number(/^\*(\d+)/.exec(this.#text)?.[1]) : this.#wanted;
    if (this.#buffered >= lines) this.#resolve?.(this.#text);
  }

  end(): void {
    this.#socket.destroy();
    this.#server.kill();
  }
}

const redis = await Redis.start();
for (const size of sizes) await measure(size);
redis?.end();
const served = await serveAMillion();
report();
rmSync(folder, { recursive: true });
process.exit();

async function measure(size: number): Promise<void> {
  const random = randomFrom(size);
  const index = new StandingIndex('lower');
  const valueOf = () => 20_000 + random(3_580_000);
  const building = timed(size, (at) => index.set(at + 1, valueOf(), at));
  const someone = () => 1 + random(size);

  const db = new Database(path.join(folder, `${size}.sqlite`));
  db.pragma('synchronous = OFF');
  db.exec('create table standings (player integer primary key, value real, reached integer)');
  const insert = db.prepare('insert into standings values (?, ?, ?)');
  db.transaction(() => {
    for (const { player, value, reached } of index) insert.run(player, value, reached);
  })();
  db.exec('create index in_order on standings (value, reached, player)');
  const one = db.prepare('select value, reached from standings where player = ?');
  const before = db.prepare('select count(*) from standings where (value, reached, player) < (?, ?, ?)').pluck();
  const rankIn = (player: number) => {
    const { value, reached } = one.get(player) as { value: number; reached: number };
    return (before.get(value, reached, player) as number) + 1;
  };
  const stretchIn = db.prepare('select player, value from standings order by value, reached, player limit ? offset ?');
  const update = db.prepare('update standings set value = ?, reached = ? where player = ?');

  if (redis !== undefined) {
    let some: (readonly (string | number)[])[] = [];
    for (const { player, value } of index) {
      some.push(['ZADD', 'board', value, player]);
      if (some.length < 10_000) continue;
      await redis.send(some);
      some = [];
    }
    if (some.length > 0) await redis.send(some);
  }
  const viaRedis = (call: () => readonly (string | number)[]) =>
    redis === undefined ? undefined : timedOver(Math.min(asked, 5_000), () => redis.send([call()]));

  const add = async (what: string, ours: number, sqlite: number | undefined, other: Promise<number> | undefined) => {
    const row = { size, what, ours, sqlite, redis: await other };
    rows.push(row);
    const shown = (figure: number | undefined) => (figure === undefined ? '–' : `${figure.toFixed(2)} µs`);
    console.log(
      `${size.toLocaleString('en')} ${what}: ${shown(ours)}, SQLite ${shown(row.sqlite)}, Redis ${shown(row.redis)}`,
    );
  };
  await add(
    'rank of a player',
    timed(asked, () => index.rankOf(someone())),
    timed(askedOfWalkers, () => rankIn(someone())),
    viaRedis(() => ['ZRANK', 'board', someone()]),
  );
  await add(
    'around a player, five on each side',
    timed(asked, () => index.stretch((index.rankOf(someone()) ?? 1) - 5, 11)),
    timed(askedOfWalkers, () => stretchIn.all(11, Math.max(0, rankIn(someone()) - 6))),
    redis === undefined
      ? undefined
      : timedOver(2_000, async () => {
          const rank = Number((await redis.send([['ZRANK', 'board', someone()]])).slice(1));
          await redis.send([['ZRANGE', 'board', Math.max(0, rank - 5), rank + 5, 'WITHSCORES']]);
        }),
  );
  await add(
    'the first hundred',
    timed(asked, () => index.stretch(1, 100)),
    timed(1_000, () => stretchIn.all(100, 0)),
    viaRedis(() => ['ZRANGE', 'board', 0, 99, 'WITHSCORES']),
  );
  await add(
    'a result that moves a player',
    timed(asked, (at) => index.set(someone(), valueOf(), size + at)),
    timed(2_000, (at) => update.run(valueOf(), size + at, someone())),
    viaRedis(() => ['ZADD', 'board', valueOf(), someone()]),
  );
  await add('building it, each', building, undefined, undefined);
  rows.push({
    size,
    what: 'bytes for each standing',
    ours: index.bytes / size,
    sqlite: undefined,
    redis: await bytesInRedis(size),
  });
  console.log(`${size.toLocaleString('en')} bytes each: ${(index.bytes / size).toFixed(1)}`);
  if (redis !== undefined) await redis.send([['DEL', 'board']]);
  db.close();
  rmSync(path.join(folder, `${size}.sqlite`));
}

async function bytesInRedis(size: number): Promise<number | undefined> {
  if (redis === undefined) return undefined;
  const text = await redis.send([['MEMORY', 'USAGE', 'board', 'SAMPLES', '0']]);
  return Number(text.slice(1)) / size;
}

/** A service whose board has a million standings. */
async function serveAMillion() {
  const players = Math.min(1_000_000, Number(values.most));
  const data = path.join(folder, 'data');
  const service = new ServiceProcess(['serve', '--log', 'json'], data, await freePort(), /first-admin#\S+/);
  await service.start();
  const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
  const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
  const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
  const manifest = 'manifest: 1\ngame: highfell-gliders\nboards: { gorge-run: { better: lower, counts: best } }\n';
  const operator = new VekkonOperator({ url: service.url, token });
  const { hostKey } = await operator.createEnvironment({ manifest, environment: 'live', live: true });
  await service.end('SIGTERM');
  const db = new Database(path.join(data, 'vekkon.sqlite'));
  const random = randomFrom(7);
  db.transaction(() => {
    const player = db.prepare(
      "insert into players (environment, id, folded, created_at, fence, seen) values (1, ?, '', 0, 0, 0)",
    );
    const standing = db.prepare('insert into standings values (1, 1, ?, ?, ?, ?, null)');
    for (let number = 1; number <= players; number++) {
      player.run(`p-${number}`);
      const value = 20_000 + random(3_580_000);
      standing.run(number, value, value, number);
    }
    db.prepare('update seasons set standings = ?').run(players);
  })();
  db.close();
  const again = new ServiceProcess(['serve', '--log', 'json'], data, await freePort(), /"url"/);
  await again.start();
  const since = performance.now();
  const headers = { Authorization: `Bearer ${hostKey}` };
  const waits: number[] = [];
  for (let isReady = false; !isReady;) {
    const begun = performance.now();
    await (await fetch(`${again.url}/health`)).text();
    waits.push(performance.now() - begun);
    const found = await fetch(`${again.url}/v1/boards/gorge-run?count=1`, { headers });
    isReady = found.ok;
    if (!isReady && found.status !== 503) throw new Error(`The board: ${found.status}`);
    await found.text();
  }
  const ready = performance.now() - since;
  const bare = new Helper('bare-express.ts');
  const { port: barePort } = await bare.hear<{ readonly port: number }>();
  const load = new Helper('speed-load.ts');
  const answer: unknown = await (await fetch(`${again.url}/v1/boards/gorge-run/standings/p-5`, { headers })).json();
  await bare.ask({ name: 'record', answer });
  const connections = (route: (index: number) => string) =>
    Array.from({ length: 64 }, (_, index) => ({ method: 'GET', path: route(index), headers, body: null, from: 1 }));
  const perSecond = ({ requests, milliseconds: took }: Loaded) => (requests * 1000) / took;
  const ours: number[] = [];
  const theirs: number[] = [];
  for (let round = 0; round < 5; round++) {
    const milliseconds = 2_000;
    const toBare = connections((index) => `/v1/players/p-${index}/records/progress/climbs`);
    theirs.push(perSecond(await load.ask<Loaded>({ port: barePort, connections: toBare, milliseconds })));
    const toOurs = connections((index) => `/v1/boards/gorge-run/standings/p-${1 + index * 15_000}`);
    ours.push(perSecond(await load.ask<Loaded>({ port: again.port, connections: toOurs, milliseconds })));
  }
  // A submit as a game makes it, with what it is told.
  const host = new VekkonHost({ url: again.url, hostKey, host: 'ridge-eu-1', autosave: 0 });
  const session = await host.join('p-77');
  const took: number[] = [];
  for (let times = 0; times < 100; times++) {
    session.submit('gorge-run', 20_000 + random(3_580_000));
    const begun = performance.now();
    await session.save();
    took.push(performance.now() - begun);
  }
  await host.close();
  await again.end('SIGTERM');
  return {
    players,
    ready,
    longest: Math.max(...waits),
    ours: percentile(ours, 0.5),
    theirs: percentile(theirs, 0.5),
    submit: percentile(took, 0.5),
  };
}

function report(): void {
  const shown = (figure: number | undefined) =>
    figure === undefined ? '–' : figure < 100 ? figure.toFixed(2) : Math.round(figure).toLocaleString('en');
  const ratio = (ours: number, other: number | undefined) => (other === undefined ? '–' : (ours / other).toFixed(3));
  const { players, ready, longest, ours, theirs, submit } = served;
  const text = [
    '# Boards, measured',
    '',
    `Measured on ${new Date().toISOString().slice(0, 10)} by \`npm run bench:boards\` on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}), Node ${process.versions.node}: the index of standings beside SQLite counting rows by an index in the same process, and beside Redis (a sorted set, one command after the other over a Unix socket: most of its time is the way). In microseconds, the mean; bytes where it says so.`,
    '',
    '| standings | what | the index | SQLite | ratio | Redis | ratio |',
    '| ---: | --- | ---: | ---: | ---: | ---: | ---: |',
    ...rows.map(
      ({ size, what, ours: mine, sqlite, redis: other }) =>
        `| ${size.toLocaleString('en')} | ${what} | ${shown(mine)} | ${shown(sqlite)} | ${ratio(mine, sqlite)} | ${shown(other)} | ${ratio(mine, other)} |`,
    ),
    '',
    `A service with ${players.toLocaleString('en')} standings: its board is ready ${Math.round(ready)} ms after it is up, and the longest that it let a call of \`/health\` wait meanwhile was ${Math.round(longest)} ms. A rank over HTTP: ${Math.round(ours).toLocaleString('en')}/s, a bare Express GET of the same answer ${Math.round(theirs).toLocaleString('en')}/s: ${(ours / theirs).toFixed(2)} (aim: at least 0.7). A save with a result, durable and with its rank: ${submit.toFixed(1)} ms.`,
    '',
  ].join('\n');
  writeFileSync(path.join(import.meta.dirname, '../docs/bench-boards.md'), text);
  console.log(text);
}
