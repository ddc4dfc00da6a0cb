import { closeSync, fsyncSync, openSync, readFileSync, renameSync, writeSync } from 'node:fs';
import path from 'node:path';

/** How far the database of a folder was when its last commit was acknowledged. */
export interface LastCommit {
  /** Counts the commits of the folder. */
  readonly number: number;
  /** When, RFC 3339. */
  readonly at: string;
}

const name = 'last-commit.json';
/** Every line is as long, so that it is overwritten in place by one short write. */
const lineLength = 96;

/** What a folder's note of its last commit says: `undefined` where there is none, `unreadable` where it can't be read. */
export function readLastCommit(folder: string): LastCommit | 'unreadable' | undefined {
  let text: string;
  try {
    text = readFileSync(path.join(folder, name), 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
  try {
    const { commit, at } = JSON.parse(text) as { readonly commit?: unknown; readonly at?: unknown };
    return Number.isSafeInteger(commit) && typeof at === 'string' ? { number: commit as number, at } : 'unreadable';
  } catch {
    return 'unreadable';
  }
}

/**
 * The note beside the database of how far it is: with it a folder that lost
 * its database, or the newest part of it, is told from a new one.
 *
 * It is written after each commit, before the commit is acknowledged, and not
 * flushed: a killed process leaves it right, and after a power failure it may
 * lag behind the database, but is never ahead of it.
 */
export class LastCommitNote {
  readonly #file: number;

  /** Writes the note anew, flushed. */
  constructor(folder: string, last: LastCommit) {
    const file = path.join(folder, name);
    const fresh = openSync(`${file}.new`, 'w', 0o600);
    writeSync(fresh, lineOf(last), 0);
    fsyncSync(fresh);
    closeSync(fresh);
    renameSync(`${file}.new`, file);
    this.#file = openSync(file, 'r+');
  }

  write(last: LastCommit): void {
    writeSync(this.#file, lineOf(last), 0);
  }

  close(): void {
    try {
      fsyncSync(this.#file);
    } finally {
      closeSync(this.#file);
    }
  }
}

function lineOf({ number, at }: LastCommit): string {
  return `${JSON.stringify({ commit: number, at }).padEnd(lineLength)}\n`;
}
