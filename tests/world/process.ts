import { spawn, type ChildProcess } from 'node:child_process';
import path from 'node:path';

export const root = path.resolve(import.meta.dirname, '../..');
const vekkonFile = path.join(root, 'packages/cli/bin/vekkon.js');

export interface Ended {
  readonly status: number | null;
  readonly out: string;
  readonly err: string;
}

/** A command that runs, with what it has printed so far. */
export class Running {
  readonly child: ChildProcess;
  readonly ended: Promise<Ended>;
  out = '';
  err = '';
  #wake: () => void = () => undefined;

  constructor(command: string, args: readonly string[], environment: NodeJS.ProcessEnv = {}) {
    this.child = spawn(command, args, {
      cwd: root,
      env: { ...process.env, ...environment },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    this.child.stdout?.on('data', (text) => ((this.out += text), this.#wake()));
    this.child.stderr?.on('data', (text) => ((this.err += text), this.#wake()));
    this.ended = new Promise((resolve) =>
      this.child.once('close', (status) => {
        this.#wake();
        resolve({ status, out: this.out, err: this.err });
      }),
    );
  }

  /** Waits until what was printed matches. */
  async says(pattern: RegExp): Promise<RegExpExecArray> {
    for (;;) {
      const found = pattern.exec(this.out);
      if (found !== null) return found;
      if (this.child.exitCode !== null)
        throw new Error(`It ended without saying ${pattern}:\n${this.out}\n${this.err}`);
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
  }

  async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<Ended> {
    this.child.kill(signal);
    return this.ended;
  }
}

/** Starts `vekkon` as a process of its own, or under another command that watches it. */
export function vekkon(
  args: readonly string[],
  environment: NodeJS.ProcessEnv = {},
  under: readonly string[] = [],
): Running {
  const [command = process.execPath, ...rest] = [...under, process.execPath, vekkonFile, ...args];
  return new Running(command, rest, environment);
}
