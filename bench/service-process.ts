import { spawn, type ChildProcess } from 'node:child_process';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { createServer } from 'node:net';
import path from 'node:path';

const root = path.resolve(import.meta.dirname, '..');

/** A command of Vekkon as a process of its own, on a port and a data folder that it keeps. */
export class ServiceProcess {
  #child: ChildProcess | undefined;
  #printed = '';
  starts = 0;

  /** @param command such as `serve` or `demo`, and its options but for port and data */
  constructor(
    readonly command: readonly string[],
    readonly folder: string,
    readonly port: number,
    /** What it prints once it is up. */
    readonly isUp: RegExp,
    /** A command that it runs under, such as a tracer. */
    readonly under: readonly string[] = [],
  ) {}

  get url(): string {
    return `http://127.0.0.1:${this.port}`;
  }

  get pid(): number {
    return this.#child?.pid ?? 0;
  }

  /** What it has printed since its last start. */
  get printed(): string {
    return this.#printed;
  }

  async start(): Promise<void> {
    this.starts++;
    this.#printed = '';
    const args = ['packages/cli/bin/vekkon.js', ...this.command, '--data', this.folder, '--port', String(this.port)];
    const [command = process.execPath, ...rest] = [...this.under, process.execPath, ...args];
    const child = spawn(command, rest, { cwd: root, stdio: ['ignore', 'pipe', 'inherit'] });
    this.#child = child;
    // Whatever becomes of this process, none is left behind.
    process.once('exit', () => child.kill('SIGKILL'));
    await new Promise<void>((resolve, reject) => {
      child.stdout.on('data', (text: Buffer) => {
        // Enough to see that it is up: a log of half an hour is not kept.
        if (this.#printed.length < 100_000) this.#printed += String(text);
        if (this.isUp.test(this.#printed)) resolve();
      });
      child.once('exit', (code) => reject(new Error(`It ended with ${code}:\n${this.#printed}`)));
    });
  }

  async end(signal: NodeJS.Signals): Promise<void> {
    const child = this.#child;
    if (child === undefined || child.exitCode !== null || child.signalCode !== null) return;
    const ended = new Promise((resolve) => child.once('exit', resolve));
    // A tracer would only let go of the service: the service itself is told, and the tracer ends with it.
    const traced = this.under.length === 0 ? '' : readFileSync(`/proc/${child.pid}/task/${child.pid}/children`, 'utf8');
    if (traced.trim() === '') child.kill(signal);
    else for (const pid of traced.trim().split(' ')) process.kill(Number(pid), signal);
    await ended;
  }

  /** Resident memory in MiB, all of it and without pages of files, and open files and sockets, as the kernel counts them. */
  measured(): { readonly memory: number; readonly own: number; readonly handles: number } {
    const status = readFileSync(`/proc/${this.pid}/status`, 'utf8');
    const mebibytes = (name: string) => Number(new RegExp(`${name}:\\s+(\\d+)`).exec(status)?.[1] ?? 0) / 1024;
    const handles = readdirSync(`/proc/${this.pid}/fd`).length;
    return { memory: mebibytes('VmRSS'), own: mebibytes('RssAnon'), handles };
  }

  /** What the database takes, in MiB, without the log beside it. */
  disk(): number {
    const files = readdirSync(this.folder).filter((name) => name.startsWith('vekkon.sqlite'));
    return files.reduce((sum, name) => sum + statSync(path.join(this.folder, name)).size, 0) / 1024 / 1024;
  }
}

/** A port that nobody has now. */
export function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const address = server.address();
      const port = typeof address === 'object' && address !== null ? address.port : 0;
      server.close(() => resolve(port));
    });
  });
}

/** The value below which a share of them lies, by rank; NaN of none. */
export function percentile(values: readonly number[], share: number): number {
  const sorted = values.toSorted((one, other) => one - other);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;
}
