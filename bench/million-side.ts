import { execFileSync } from 'node:child_process';
import { cpSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { VekkonHost, VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { idOf, makePlayers } from './make-players.js';
import { freePort, percentile, ServiceProcess } from './service-process.js';

export const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
const changes = [
  { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
  { op: 'credit', key: 'currency/opal', amount: 1, reason: 'climb' },
];

/** A service on a folder of so many players, and what was measured there. Times in milliseconds, memory in MiB. */
export class Side {
  readonly measured = new Map<string, number>();
  /** The sessions that calls need which come after a join, by the call's number. */
  readonly sessions: string[] = [];

  private constructor(
    readonly players: number,
    public folder: string,
    public service: ServiceProcess,
    readonly hostKey: string,
    readonly token: string,
  ) {}

  /** Makes the folder, and starts the service. */
  static async make(players: number): Promise<Side> {
    const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-million-'));
    const port = await freePort();
    const service = new ServiceProcess(['serve', '--log', 'json'], folder, port, /first-admin#\S+/);
    await service.start();
    const invitation = /first-admin#(\S+)/.exec(service.printed)?.[1] ?? '';
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
    const again = new ServiceProcess(['serve', '--log', 'json'], folder, port, /"url"/);
    const side = new Side(players, folder, again, hostKey, token);
    side.note('made', made);
    return side;
  }

  /** Ends the service, and goes on with a copy of what is stored. */
  async moveTo(folder: string): Promise<void> {
    await this.service.end('SIGTERM');
    cpSync(this.folder, folder, { recursive: true });
    this.service = new ServiceProcess(this.service.command, folder, this.service.port, /"url"/);
    this.folder = folder;
    await this.service.start();
  }

  note(what: string, figure: number): void {
    this.measured.set(what, figure);
  }

  /** The median of what calls took, and what all but one in a hundred took at the most. */
  noteCalls(what: string, took: readonly number[]): void {
    this.note(what, percentile(took, 0.5));
    this.note(`${what}, p99`, percentile(took, 0.99));
  }

  noteMemory(what: string): void {
    const { memory, own } = this.service.measured();
    this.note(`memory ${what}`.trim(), memory);
    this.note(`memory of its own ${what}`.trim(), own);
  }

  async start(): Promise<void> {
    const since = performance.now();
    await this.service.start();
    while (!(await fetch(`${this.service.url}/ready`)).ok) await pause(5);
    this.note('start until ready', performance.now() - since);
  }

  /** As the game's servers. */
  post(route: string, body: unknown): Promise<Response> {
    const headers = { Authorization: `Bearer ${this.hostKey}`, 'Content-Type': 'application/json' };
    return fetch(this.service.url + route, { method: 'POST', headers, body: JSON.stringify(body) });
  }

  /** As an operator. */
  get(route: string): Promise<Response> {
    const headers = { Authorization: `Bearer ${this.token}`, 'Vekkon-Environment': 'highfell-gliders/live' };
    return fetch(this.service.url + route, { headers });
  }

  get live(): VekkonOperator {
    return new VekkonOperator({ url: this.service.url, token: this.token, environment: 'highfell-gliders/live' });
  }

  /** Spread over all of them. */
  someone(index: number): string {
    return idOf((index * 104_729 + 17) % this.players);
  }

  /** @returns the session */
  async join(index: number, host = 'ridge-eu-1'): Promise<string> {
    const response = await this.post(`/v1/players/${this.someone(index)}/join`, { host });
    if (!response.ok) throw new Error(`A join: ${response.status}`);
    return ((await response.json()) as { readonly session: { readonly id: string } }).session.id;
  }

  save(session: string | undefined, number: number): Promise<Response> {
    const body = { number, answered: number - 1, seen: 1_000, transactions: [{ changes }] };
    return this.post(`/v1/sessions/${session}/saves`, body);
  }

  leave(session: string | undefined): Promise<Response> {
    return this.post(`/v1/sessions/${session}/leave`, {});
  }
}
