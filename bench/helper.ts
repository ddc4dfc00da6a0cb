import { fork, type ChildProcess } from 'node:child_process';
import path from 'node:path';

/** A process that answers to what it is sent. */
export class Helper {
  readonly #child: ChildProcess;

  constructor(file: string) {
    this.#child = fork(path.join(import.meta.dirname, file), { execArgv: ['--import', 'tsx'] });
    process.once('exit', () => this.#child.kill());
  }

  hear<T>(): Promise<T> {
    return new Promise((resolve) => this.#child.once('message', (message) => resolve(message as T)));
  }

  async ask<T>(message: object): Promise<T> {
    const heard = this.hear<T>();
    this.#child.send(message);
    return heard;
  }
}
