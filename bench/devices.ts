/**
 * What a save of a player's own device costs beside one of a game server: the
 * same changes, by as many players, in the same run and turn about. A device's
 * save meets the same writer, and beside it a token, the origin of its page
 * and what the manifest lets players write.
 */
import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import type { CreateEnvironmentResponse, DeviceResponse, JoinResponse } from '@vekkon/protocol';
import { openLog, startService } from '@vekkon/service';

const players = 50;
const rounds = 6;
const secondsPerTurn = 5;

interface Saver {
  readonly headers: { readonly [name: string]: string };
  readonly session: string;
  number: number;
}

const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-bench-'));
const log = openLog('json', path.join(folder, 'service.log'));
const service = await startService({ data: folder, port: 0, listen: '127.0.0.1', log });
const keys = await makeEnvironment();
const hosts = await Promise.all(Array.from({ length: players }, (_, index) => asHost(`p-${index}`)));
const devices = await Promise.all(Array.from({ length: players }, asDevice));
const counts = { hosts: 0, devices: 0 };
for (let round = 0; round < rounds; round++) {
  counts.hosts += await saveAll(hosts);
  counts.devices += await saveAll(devices);
}
const perSecond = (count: number) => (count / rounds / secondsPerTurn).toFixed(0);
process.stdout.write(
  `Saves a second, ${players} players at once: of hosts ${perSecond(counts.hosts)}, of devices ${perSecond(counts.devices)}; ratio ${(counts.devices / counts.hosts).toFixed(2)}\n`,
);
await service.close();
rmSync(folder, { recursive: true });

async function makeEnvironment(): Promise<CreateEnvironmentResponse> {
  const invitation = service.firstAdminLink?.split('#')[1] ?? '';
  const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
  const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
  return new VekkonOperator({ url: service.url, token }).createEnvironment({ manifest: demoManifest() });
}

async function post<Answer>(route: string, headers: Saver['headers'], body: object): Promise<Answer> {
  const response = await fetch(service.url + route, { method: 'POST', headers, body: JSON.stringify(body) });
  if (!response.ok) throw new Error(await response.text());
  return (await response.json()) as Answer;
}

async function asHost(player: string): Promise<Saver> {
  const headers = { Authorization: `Bearer ${keys.hostKey}` };
  const { session } = await post<JoinResponse>(`/v1/players/${player}/join`, headers, { host: 'ridge-eu-1' });
  return { headers, session: session.id, number: 1 };
}

async function asDevice(): Promise<Saver> {
  const secret = randomBytes(32).toString('base64url');
  const key = { Authorization: `Bearer ${keys.deviceKey}` };
  const { token } = await post<DeviceResponse>('/v1/devices', key, { secret });
  const headers = { Authorization: `Bearer ${token}`, Origin: 'https://play.highfell.example' };
  const { session } = await post<JoinResponse>('/v1/me/join', headers, { host: 'tab-1' });
  return { headers, session: session.id, number: 1 };
}

/** Everybody saves as fast as answers come. @returns how many saves were answered */
async function saveAll(savers: readonly Saver[]): Promise<number> {
  const until = performance.now() + secondsPerTurn * 1000;
  let count = 0;
  await Promise.all(
    savers.map(async (saver) => {
      while (performance.now() < until) {
        const changes = [{ op: 'increase', key: 'progress/landings', by: 1 }];
        const body = { number: saver.number++, transactions: [{ changes }] };
        await post(`/v1/sessions/${saver.session}/saves`, saver.headers, body);
        count++;
      }
    }),
  );
  return count;
}
