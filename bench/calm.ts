/**
 * What a calm player feels of somebody who misbehaves: a save every 20 ms,
 * first alone and then beside each of the attacks, which run in a process of
 * their own. The 99th percentile alone is the yardstick; more than three times
 * that is a failure.
 *
 *   npm run bench:calm [-- --seconds 6] [-- --only streams]
 */
import { fork } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { attacks, type Aim } from './attacks.js';
import { freePort, percentile, ServiceProcess } from './service-process.js';

const { values } = parseArgs({ options: { seconds: { type: 'string', default: '6' }, only: { type: 'string' } } });
const seconds = Number(values.seconds);
const mostTimes = 3;

const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-calm-'));
const service = new ServiceProcess(['serve', '--log', 'json'], folder, await freePort(), /first-admin#\S+/);
await service.start();
const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
// Beside what the demo keeps there is something large.
const manifest = demoManifest().replace(/^progress:$/m, "progress:\n  chart: ''");
if (manifest === demoManifest()) throw new Error('The manifest was to be changed.');
const { hostKey, deviceKey } = await new VekkonOperator({ url: service.url, token }).createEnvironment({ manifest });
const aim: Aim = { url: service.url, hostKey, deviceKey, operatorToken: token, pid: service.pid };

const session = await join('p-calm');
let number = 0;
/** Saves every 20 ms. @returns how long each took, in milliseconds */
async function saves(milliseconds: number): Promise<number[]> {
  const took: number[] = [];
  for (const until = performance.now() + milliseconds; performance.now() < until;) {
    const since = performance.now();
    number++;
    const changes = [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }];
    const body = { number, answered: number - 1, transactions: [{ changes }] };
    const response = await post(`/v1/sessions/${session}/saves`, body);
    if (response.status !== 200) throw new Error(`A calm save was answered ${response.status}.`);
    const spent = performance.now() - since;
    took.push(spent);
    await pause(Math.max(0, 20 - spent));
  }
  return took;
}

await saves(2_000);
const widths = [30, 8, 8, 7];
let isBroken = false;
for (const name of Object.keys(attacks)) {
  if (values.only !== undefined && values.only !== name) continue;
  const alone = percentile(await saves(seconds * 1_000), 0.99);
  const attacker = fork(path.join(import.meta.dirname, 'attacks.ts'), [name, JSON.stringify(aim)], {
    execArgv: ['--import', 'tsx'],
  });
  await new Promise((resolve) => attacker.once('message', resolve));
  const beside = percentile(await saves(seconds * 1_000), 0.99);
  const told = new Promise((resolve) => attacker.once('message', resolve));
  attacker.send('stop');
  const done = String(await told);
  attacker.kill();
  isBroken ||= beside > alone * mostTimes;
  const row = [name, alone.toFixed(1), beside.toFixed(1), (beside / alone).toFixed(2), done];
  process.stdout.write(`${row.map((cell, index) => cell.padEnd(widths[index] ?? 0)).join('')}\n`);
  await pause(1_000);
}
process.stdout.write(
  'attack, p99 of a calm save alone and beside it in milliseconds, ratio, what was answered to whom\n',
);
await service.end('SIGTERM');
rmSync(folder, { recursive: true });
process.exitCode = isBroken ? 1 : 0;

async function join(player: string): Promise<string> {
  const answer = await post(`/v1/players/${player}/join`, { host: 'ridge-eu-1' });
  return ((await answer.json()) as { session: { id: string } }).session.id;
}

function post(route: string, body: object): Promise<Response> {
  return fetch(service.url + route, {
    method: 'POST',
    headers: { Authorization: `Bearer ${hostKey}` },
    body: JSON.stringify(body),
  });
}
