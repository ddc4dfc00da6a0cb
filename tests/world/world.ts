import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { VekkonHost, VekkonOperator, type VekkonHostOptions } from '@vekkon/client';
import { demoManifest, pagesOfPlay, writeKeyForPage } from '@vekkon/demo';
import { openLog, startService, type Service, type ServiceOptions } from '@vekkon/service';
import type { Role } from '@vekkon/protocol';
import type { Clock } from '@vekkon/store';

/** What came back for a plain request. */
export interface Answer {
  readonly status: number;
  readonly headers: Headers;
  readonly body: unknown;
  readonly text: string;
}

/** A clock that stands still until it is moved. */
export class TestClock implements Clock {
  wall = Date.parse('2026-11-23T12:00:00Z');
  steady = 1_000_000;

  now(): number {
    return this.wall;
  }

  monotonic(): number {
    return this.steady;
  }

  /** Moves both clocks, as time does. */
  pass(seconds: number): void {
    this.wall += seconds * 1000;
    this.steady += seconds * 1000;
  }
}

/** A clock that goes on as the machine's does, and can be moved on. */
export class RunningClock implements Clock {
  #ahead = 0;

  now(): number {
    return Date.now() + this.#ahead;
  }

  monotonic(): number {
    return performance.now() + this.#ahead;
  }

  pass(seconds: number): void {
    this.#ahead += seconds * 1000;
  }
}

export interface WorldOptions {
  readonly manifest?: string;
  readonly environment?: string;
  readonly live?: boolean;
  readonly clock?: Clock;
  /** Where the data lies; a folder of its own if left out. */
  readonly folder?: string;
  readonly service?: ServiceChoices;
}

/** What a test may choose of the service itself. */
export type ServiceChoices = Pick<
  ServiceOptions,
  'trustsClock' | 'limits' | 'behindProxy' | 'keepAlive' | 'mail' | 'publicUrl'
>;

/** A service of its own on a free port, with Highfell Gliders in one environment. */
export class World {
  readonly hostKey: string;
  readonly deviceKey: string;
  operatorToken: string;
  readonly folder: string;
  readonly environment: string;
  #service: Service;
  readonly #clock: Clock | undefined;

  private constructor(
    folder: string,
    service: Service,
    clock: Clock | undefined,
    secrets: { environment: string; hostKey: string; deviceKey: string; operatorToken: string },
  ) {
    this.environment = secrets.environment;
    this.folder = folder;
    this.#service = service;
    this.#clock = clock;
    this.hostKey = secrets.hostKey;
    this.deviceKey = secrets.deviceKey;
    this.operatorToken = secrets.operatorToken;
  }

  static readonly admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };

  static async start({
    manifest,
    environment = 'dev',
    live = false,
    clock,
    folder = newFolder(),
    service: choices = {},
  }: WorldOptions = {}): Promise<World> {
    const service = await start(folder, clock, 0, choices);
    const invitation = service.firstAdminLink!.split('#')[1]!;
    const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { ...World.admin, invitation });
    const operator = new VekkonOperator({ url: service.url, token });
    const { hostKey, deviceKey } = await operator.createEnvironment({
      manifest: manifest ?? demoManifest(),
      environment,
      live,
    });
    writeKeyForPage(folder, deviceKey);
    return new World(folder, service, clock, { environment, hostKey, deviceKey, operatorToken: token });
  }

  get url(): string {
    return this.#service.url;
  }

  get log(): string {
    return path.join(this.folder, 'service.log');
  }

  /** What the service logged as faults of its own: lines of the log. */
  faults(): readonly string[] {
    const lines = readFileSync(this.log, 'utf8').split('\n');
    return lines.filter((line) => /"level":(50|"error")/.test(line));
  }

  get operator(): VekkonOperator {
    return this.operatorOf('highfell-gliders', this.environment);
  }

  operatorOf(game: string, environment: string): VekkonOperator {
    return new VekkonOperator({ url: this.url, token: this.operatorToken, environment: `${game}/${environment}` });
  }

  /** Another operator, signed in. */
  async signInAs(email: string, role: Role): Promise<VekkonOperator> {
    const token = await this.tokenOf(email, role);
    return new VekkonOperator({ url: this.url, token, environment: `highfell-gliders/${this.environment}` });
  }

  /** The token of another operator. */
  async tokenOf(email: string, role: Role): Promise<string> {
    const { writer } = this.#service.store;
    const { number } = await writer.do('addOperator', { email, name: role, role, passwordHash: '-' });
    const token = `vko_${randomBytes(24).toString('base64url')}`;
    const hash = createHash('sha256').update(token).digest('base64url');
    const expiresAt = (this.#clock?.now() ?? Date.now()) + 3_600_000;
    await writer.do('addCredential', { hash, sort: 'operator', operator: number, expiresAt });
    return token;
  }

  /** A host that saves when it is told to, and gives up soon. */
  host(name = 'ridge-eu-1', options: Partial<VekkonHostOptions> = {}): VekkonHost {
    return new VekkonHost({
      url: this.url,
      hostKey: this.hostKey,
      host: name,
      autosave: 0,
      deadline: 1_000,
      ...options,
    });
  }

  /** A plain request with the host key, past the client. A body that is a string is sent as it is. */
  async call(
    method: string,
    route: string,
    body?: unknown,
    headers: { readonly [name: string]: string } = {},
  ): Promise<Answer> {
    const response = await fetch(this.url + route, {
      method,
      headers: { Authorization: `Bearer ${this.hostKey}`, 'Content-Type': 'application/json', ...headers },
      ...(body !== undefined && { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    const isJson = response.headers.get('Content-Type')?.includes('json') === true && text !== '';
    return { status: response.status, headers: response.headers, text, body: isJson ? JSON.parse(text) : undefined };
  }

  /** Joins past the client. @returns the session's id */
  async joinPlainly(player: string, host = 'ridge-eu-1'): Promise<string> {
    const { body } = await this.call('POST', `/v1/players/${player}/join`, { host });
    return (body as { session: { id: string } }).session.id;
  }

  /** Stops the service and starts it again on the same folder, on another port unless one is named. */
  async restart(port = 0): Promise<void> {
    await this.#service.close();
    await this.startAgain(port);
  }

  /** Starts the service that was stopped. */
  async startAgain(port = 0, more: ServiceChoices = {}): Promise<void> {
    this.#service = await start(this.folder, this.#clock, port, more);
  }

  /** After so long that the operator's token is over. */
  async signInAgain(): Promise<void> {
    const { email, password } = World.admin;
    this.operatorToken = (await VekkonOperator.signIn(this.url, email, password)).token;
  }

  async close(): Promise<void> {
    await this.stop();
    await this.forget();
  }

  /** Stops the service and leaves its folder. */
  stop(): Promise<void> {
    return this.#service.close();
  }

  async forget(): Promise<void> {
    rmSync(this.folder, { recursive: true });
  }
}

function newFolder(): string {
  return mkdtempSync(path.join(tmpdir(), 'vekkon-world-'));
}

function start(folder: string, clock: Clock | undefined, port = 0, more: ServiceChoices = {}): Promise<Service> {
  return startService({
    ...more,
    data: folder,
    port,
    listen: '127.0.0.1',
    log: openLog('json', path.join(folder, 'service.log')),
    pages: pagesOfPlay(folder),
    ...(clock !== undefined && { clock }),
  });
}
