/**
 * Whether it can run for weeks: the demo with its fleet, and players on their
 * own devices, for half an hour, with a SIGKILL every few minutes. Each minute
 * it prints memory, handles, what is unsettled, the p99 of a save and what the
 * database takes. After the first third all of it must be level, but for the
 * database, which must grow no faster.
 *
 *   npm run soak [-- --minutes 30] [-- --kill-every 7]
 */
import { randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { memoryStorage, VekkonPlayer } from '@vekkon/client/player';
import { freePort, percentile, ServiceProcess } from './service-process.js';

const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '30' },
    'kill-every': { type: 'string', default: '7' },
    devices: { type: 'string', default: '20' },
  },
});
const [minutes, killEvery] = [Number(values.minutes), Number(values['kill-every'])];
const minute = 60_000;

const data = path.join(mkdtempSync(path.join(tmpdir(), 'vekkon-soak-')), 'demo');
const demo = new ServiceProcess(['demo', '--history', '300'], data, await freePort(), /Ctrl-C ends the demo/);
await demo.start();
const access = JSON.parse(readFileSync(path.join(data, 'access.json'), 'utf8')) as {
  hostKey: string;
  deviceKey: string;
  operator: { email: string; password: string };
};

let isOver = false;
/** What went wrong for those who play, by its words. */
const failures = new Map<string, number>();
const failed = (error: unknown) => {
  const words = String((error as Error).message).replaceAll(/\d[\d:.TZ-]{6,}/g, '…');
  failures.set(words, (failures.get(words) ?? 0) + 1);
};

/** A player on a device: climbs, lands, and starts the game anew now and then. */
async function playOnDevice(): Promise<void> {
  const storage = memoryStorage();
  while (!isOver) {
    const player = new VekkonPlayer({ url: demo.url, deviceKey: access.deviceKey, storage, autosave: 5 });
    await player.start();
    for (let leg = 0; leg < 40 && !isOver; leg++) {
      player.increase('landings', 1);
      await pause(1_000 + Math.random() * 2_000);
    }
    await player.leave().catch(failed);
    player.stop();
  }
}

/** A pilot whose saves are measured. */
let took: number[] = [];
async function measure(): Promise<void> {
  while (!isOver) {
    const host = new VekkonHost({
      url: demo.url,
      hostKey: access.hostKey,
      host: 'soak',
      autosave: 0,
      deadline: 60_000,
    });
    try {
      const session = await host.join(`p-soak-${randomBytes(3).toString('hex')}`);
      for (let leg = 0; leg < 200 && !isOver; leg++) {
        session.increase('climbs', 1);
        const since = performance.now();
        await session.save();
        took.push(performance.now() - since);
        await pause(100);
      }
      await session.leave();
    } catch (error) {
      failed(error);
    }
    await host.close().catch(failed);
  }
}

interface Sample {
  readonly memory: number;
  readonly handles: number;
  readonly unsettled: number;
  readonly p99: number;
  readonly disk: number;
}
const samples: Sample[] = [];
const columns = ['minute', 'memory MiB', 'handles', 'unsettled', 'save p50 ms', 'save p99 ms', 'disk MiB', 'starts'];
process.stdout.write(`${columns.map((column) => column.padStart(12)).join('')}\n`);
const players = [measure(), ...Array.from({ length: Number(values.devices) }, () => playOnDevice())];
for (let at = 1; at <= minutes; at++) {
  await pause(minute);
  const { memory, handles } = demo.measured();
  const unsettled = await unsettledNow();
  const [p50, p99] = [percentile(took, 0.5), percentile(took, 0.99)];
  took = [];
  samples.push({ memory, handles, unsettled, p99, disk: demo.disk() });
  const row = [
    at,
    memory.toFixed(0),
    handles,
    unsettled,
    p50.toFixed(1),
    p99.toFixed(1),
    demo.disk().toFixed(1),
    demo.starts,
  ];
  process.stdout.write(`${row.map((cell) => String(cell).padStart(12)).join('')}\n`);
  if (at % killEvery === 0 && at < minutes) {
    await demo.end('SIGKILL');
    await demo.start();
  }
}
isOver = true;
await Promise.all(players);
for (const { reason, host, transactions } of await whereUnsettled()) {
  process.stdout.write(`unsettled: ${transactions} × ${reason} of ${host}\n`);
}
const stopping = performance.now();
await demo.end('SIGINT');
process.stdout.write(`Asked to stop, it had ended after ${((performance.now() - stopping) / 1_000).toFixed(1)} s.\n`);
for (const [words, times] of failures) process.stdout.write(`  ${times} times: ${words}\n`);
process.exitCode = verdict() ? 0 : 1;
rmSync(path.dirname(data), { recursive: true });
process.exit();

async function unsettledNow(): Promise<number> {
  return (await whereUnsettled()).reduce((sum, { transactions }) => sum + transactions, 0);
}

async function whereUnsettled() {
  const { token } = await VekkonOperator.signIn(demo.url, access.operator.email, access.operator.password);
  const operator = new VekkonOperator({ url: demo.url, token });
  const { sums } = await operator.unsettledSummary();
  await operator.signOut();
  return sums;
}

/** Holds the last third against the middle one. @returns is everything level? */
function verdict(): boolean {
  const third = Math.floor(samples.length / 3);
  const [middle, last] = [samples.slice(third, 2 * third), samples.slice(2 * third)];
  const median = (of: readonly Sample[], what: keyof Sample) =>
    percentile(
      of.map((sample) => sample[what]),
      0.5,
    );
  let isLevel = true;
  for (const what of ['memory', 'handles', 'unsettled', 'p99'] as const) {
    const [before, after] = [median(middle, what), median(last, what)];
    // A refusal now and then is right: of few, a few more are no trend.
    const isRight = after <= before * 1.25 + (what === 'unsettled' ? 20 : what === 'p99' ? 10 : 5);
    isLevel &&= isRight;
    process.stdout.write(
      `${what}: middle third ${before.toFixed(1)}, last third ${after.toFixed(1)}: ${isRight ? 'level' : 'RISES'}\n`,
    );
  }
  const growth = (of: readonly Sample[]) => ((of.at(-1)?.disk ?? 0) - (of[0]?.disk ?? 0)) / Math.max(of.length - 1, 1);
  const [before, after] = [growth(middle), growth(last)];
  const isRight = after <= before * 1.5 + 0.2;
  process.stdout.write(
    `disk: grew ${before.toFixed(2)} MiB a minute in the middle third, ${after.toFixed(2)} in the last: ${isRight ? 'level' : 'RISES'}\n`,
  );
  return isLevel && isRight;
}
