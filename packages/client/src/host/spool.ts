import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import type { Transaction } from '@vekkon/core';
import { idOfSecret, Seal } from '../sealing.js';

/** What a host could not deliver yet, of one session. */
export interface Undelivered {
  readonly session: string;
  /** Saves that have their numbers, in order: sent again unchanged. */
  readonly saves: readonly SpooledSave[];
  /** What was done after them and never had a number. */
  readonly done: readonly Transaction[];
  /** The number after the last save. */
  readonly nextSave: number;
}

export interface SpooledSave {
  readonly number: number;
  readonly transactions: readonly Transaction[];
  readonly leave: boolean;
}

/** One line of the spool. */
export type SpoolEntry =
  | { readonly is: 'joined'; readonly session: string; readonly nextSave: number }
  | { readonly is: 'done'; readonly session: string; readonly transaction: Transaction }
  /** A save got its number. It holds all that was `done` in its session before, but for `rest`. */
  | ({ readonly is: 'save'; readonly session: string; readonly rest: readonly Transaction[] } & SpooledSave)
  | { readonly is: 'answered'; readonly session: string; readonly number: number }
  | { readonly is: 'over'; readonly session: string };

/** What was found in a spool when it was opened. */
export interface SpoolFound {
  readonly undelivered: readonly Undelivered[];
  /** Was the last line torn, as by a process that was killed while it wrote? It is left out. */
  readonly isTorn: boolean;
  /** Where a spool that could not be opened was put, and why. */
  readonly setAside: { readonly file: string; readonly why: string } | null;
}

interface Header {
  readonly spool: typeof formatVersion;
  /** Which key seals it. */
  readonly keyId: string;
  readonly salt: string;
}

/**
 * The version of the file's form. Raise it whenever an entry or the sealing
 * changes so that an older reader would misread it, and keep reading the old.
 */
const formatVersion = 1;

/**
 * The sealed local file in which a host keeps what it could not deliver.
 *
 * A header line, then one sealed line an entry, under a key that is derived
 * from the host key. Whatever `add` has answered is flushed to disk.
 */
export class Spool {
  readonly file: string;
  readonly #hostKey: string;
  #handle: FileHandle | undefined;
  #seal: Seal | undefined;
  #lines = 0;
  #waiting: { readonly line: string; readonly written: () => void; readonly failed: (error: unknown) => void }[] = [];
  #writing: Promise<void> | undefined;

  private constructor(file: string, hostKey: string) {
    this.file = file;
    this.#hostKey = hostKey;
  }

  /**
   * Opens the spool of a host, made if it is missing.
   *
   * @param folder  where the file lies
   * @param host    the host's name
   * @param hostKey seals what is added
   * @param earlier older host keys that may have sealed what is in the file
   */
  static async open(
    folder: string,
    host: string,
    hostKey: string,
    earlier: readonly string[] = [],
  ): Promise<{ readonly spool: Spool; readonly found: SpoolFound }> {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    const file = path.join(folder, `${encodeURIComponent(host)}.spool`);
    const spool = new Spool(file, hostKey);
    const read = existsSync(file) ? readSpool(file, [hostKey, ...earlier]) : { entries: [], isTorn: false };
    if ('why' in read) {
      const aside = `${file}.aside-${new Date().toISOString().replaceAll(/[:.]/g, '-')}`;
      renameSync(file, aside);
      await spool.#begin();
      return { spool, found: { undelivered: [], isTorn: false, setAside: { file: aside, why: read.why } } };
    }
    const undelivered = undeliveredOf(read.entries);
    // What is left is written anew under this key; the old file goes only when the new one is on disk.
    await spool.#begin(entriesOf(undelivered));
    return { spool, found: { undelivered, isTorn: read.isTorn, setAside: null } };
  }

  /** Adds an entry. @returns resolves when it is flushed to disk, together with its neighbours */
  add(entry: SpoolEntry): Promise<void> {
    return new Promise((written, failed) => {
      this.#waiting.push({ line: this.#sealed(entry), written, failed });
      this.#writing ??= this.#write();
    });
  }

  /** Empties the file: everything in it was delivered. */
  async clear(): Promise<void> {
    await this.#writing;
    await this.#handle?.close();
    await this.#begin();
  }

  async close(): Promise<void> {
    await this.#writing;
    await this.#handle?.close();
    this.#handle = undefined;
  }

  async #begin(entries: readonly SpoolEntry[] = []): Promise<void> {
    const salt = randomBytes(16);
    this.#seal = new Seal(this.#hostKey, salt, 'vekkon spool');
    this.#lines = 0;
    const header: Header = {
      spool: formatVersion,
      keyId: idOfSecret(this.#hostKey, 'spool'),
      salt: salt.toString('base64'),
    };
    const lines = [JSON.stringify(header), ...entries.map((entry) => this.#sealed(entry))];
    const fresh = `${this.file}.new`;
    this.#handle = await open(fresh, 'w', 0o600);
    await this.#handle.appendFile(`${lines.join('\n')}\n`);
    await this.#handle.sync();
    renameSync(fresh, this.file);
    await syncFolder(path.dirname(this.file));
  }

  async #write(): Promise<void> {
    // What is added in the same turn of the event loop is flushed together.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.splice(0);
      try {
        if (this.#handle === undefined) throw new Error('The spool is closed.');
        await this.#handle.appendFile(batch.map(({ line }) => `${line}\n`).join(''));
        await this.#handle.sync();
        for (const one of batch) one.written();
      } catch (error) {
        for (const one of batch) one.failed(error);
      }
    }
    this.#writing = undefined;
  }

  #sealed(entry: SpoolEntry): string {
    if (this.#seal === undefined) throw new Error('The spool is closed.');
    return this.#seal.seal(JSON.stringify(entry), this.#lines++);
  }
}

async function syncFolder(folder: string): Promise<void> {
  const handle = await open(folder, 'r');
  await handle.sync().finally(() => handle.close());
}

type Read = { readonly entries: readonly SpoolEntry[]; readonly isTorn: boolean } | { readonly why: string };

function readSpool(file: string, hostKeys: readonly string[]): Read {
  const text = readFileSync(file, 'utf8');
  const [first = '', ...lines] = text.split('\n');
  let header: Header;
  try {
    header = JSON.parse(first) as Header;
  } catch {
    return { why: 'its first line is not a header' };
  }
  if (header.spool !== formatVersion)
    return { why: `its form is ${String(header.spool)}, which this version does not read` };
  const hostKey = hostKeys.find((one) => idOfSecret(one, 'spool') === header.keyId);
  if (hostKey === undefined) return { why: 'none of the host keys sealed it: give the older one as an earlier key' };
  const seal = new Seal(hostKey, Buffer.from(header.salt, 'base64'), 'vekkon spool');
  const entries: SpoolEntry[] = [];
  // The text ends with a line end, unless the last line is torn.
  const whole = lines.slice(0, -1);
  const isTorn = lines.at(-1) !== '';
  for (const [index, line] of whole.entries()) {
    const entry = seal.open(line, index);
    if (entry !== undefined) entries.push(JSON.parse(entry) as SpoolEntry);
    else if (index === whole.length - 1) return { entries, isTorn: true };
    else return { why: `its line ${index + 2} can't be opened` };
  }
  return { entries, isTorn };
}

/** What the entries of a spool leave to be delivered, session by session. */
export function undeliveredOf(entries: readonly SpoolEntry[]): readonly Undelivered[] {
  const sessions = new Map<string, { saves: SpooledSave[]; done: Transaction[]; nextSave: number }>();
  for (const entry of entries) {
    const of = sessions.get(entry.session) ?? { saves: [], done: [], nextSave: 1 };
    sessions.set(entry.session, of);
    switch (entry.is) {
      case 'joined':
        of.nextSave = entry.nextSave;
        break;
      case 'done':
        of.done.push(entry.transaction);
        break;
      case 'save':
        if (of.saves.every(({ number }) => number !== entry.number)) {
          of.saves.push({ number: entry.number, transactions: entry.transactions, leave: entry.leave });
          of.done = [...entry.rest];
        }
        of.nextSave = Math.max(of.nextSave, entry.number + 1);
        break;
      case 'answered':
        of.saves = of.saves.filter(({ number }) => number > entry.number);
        of.nextSave = Math.max(of.nextSave, entry.number + 1);
        break;
      case 'over':
        sessions.delete(entry.session);
    }
  }
  return [...sessions]
    .map(([session, of]) => ({ session, ...of }))
    .filter(({ saves, done }) => saves.length > 0 || done.length > 0);
}

function entriesOf(undelivered: readonly Undelivered[]): readonly SpoolEntry[] {
  return undelivered.flatMap(({ session, saves, done, nextSave }): SpoolEntry[] => [
    { is: 'joined', session, nextSave },
    ...saves.map((save) => ({ is: 'save' as const, session, rest: [], ...save })),
    ...done.map((transaction) => ({ is: 'done' as const, session, transaction })),
  ]);
}
