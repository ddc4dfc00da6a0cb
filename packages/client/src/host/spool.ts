import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { idOfSecret, Seal } from '../sealing.js';
import { SpoolContents, type Aside, type SpoolEntry, type Undelivered } from './spool-contents.js';

/** What was found in a spool when it was opened. */
export interface SpoolFound {
  readonly undelivered: readonly Undelivered[];
  readonly aside: readonly Aside[];
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
const fileEnding = '.spool';

/**
 * The sealed local file in which a host keeps what it could not deliver.
 *
 * A header line, then one sealed line an entry, under a key that is derived
 * from the host key. Whatever `add` has answered is flushed to disk.
 */
export class Spool {
  readonly file: string;
  readonly #hostKey: string;
  #contents = new SpoolContents();
  #handle: FileHandle | undefined;
  #seal: Seal | undefined;
  #lines = 0;
  /** How long the file is with all that was flushed: what lies behind it is torn. */
  #bytes = 0;
  #isTorn = false;
  #waiting: { readonly entry: SpoolEntry; readonly written: () => void; readonly failed: (error: unknown) => void }[] =
    [];
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
    const file = path.join(folder, `${encodeURIComponent(host)}${fileEnding}`);
    const spool = new Spool(file, hostKey);
    const read = existsSync(file) ? readSpool(file, [hostKey, ...earlier]) : { entries: [], isTorn: false };
    if ('why' in read) {
      const aside = `${file}.aside-${new Date().toISOString().replaceAll(/[:.]/g, '-')}`;
      renameSync(file, aside);
      await spool.#begin();
      return { spool, found: { undelivered: [], aside: [], isTorn: false, setAside: { file: aside, why: read.why } } };
    }
    for (const entry of read.entries) spool.#contents.take(entry);
    // What is left is written anew under this key; the old file goes only when the new one is on disk.
    await spool.#begin();
    const { undelivered, aside } = spool;
    return { spool, found: { undelivered, aside, isTorn: read.isTorn, setAside: null } };
  }

  /** What is still to be delivered, session by session. */
  get undelivered(): readonly Undelivered[] {
    return this.#contents.undelivered;
  }

  /** What will never be delivered as it is. */
  get aside(): readonly Aside[] {
    return this.#contents.aside;
  }

  /** Adds an entry. @returns resolves when it is flushed to disk, together with its neighbours */
  add(entry: SpoolEntry): Promise<void> {
    return new Promise((written, failed) => {
      this.#waiting.push({ entry, written, failed });
      this.#writing ??= this.#write();
    });
  }

  /** Resolves when all that was added is on disk, or could not be written. */
  async settled(): Promise<void> {
    while (this.#writing !== undefined) await this.#writing;
  }

  /** Writes the file anew with only what is left in it. Where that fails, it stays as it is. */
  async tidy(): Promise<void> {
    await this.settled();
    const before = this.#handle;
    await this.#begin();
    await before?.close();
  }

  async close(): Promise<void> {
    await this.settled();
    await this.#handle?.close();
    this.#handle = undefined;
  }

  async #begin(): Promise<void> {
    const salt = randomBytes(16);
    const seal = new Seal(this.#hostKey, salt, 'vekkon spool');
    const header: Header = {
      spool: formatVersion,
      keyId: idOfSecret(this.#hostKey, 'spool'),
      salt: salt.toString('base64'),
    };
    const lines = this.#contents.entries.map((entry, line) => seal.seal(JSON.stringify(entry), line));
    const text = [JSON.stringify(header), ...lines, ''].join('\n');
    const fresh = `${this.file}.new`;
    const handle = await open(fresh, 'w', 0o600);
    try {
      await handle.appendFile(text);
      await handle.sync();
      renameSync(fresh, this.file);
    } catch (error) {
      await handle.close();
      throw error;
    }
    this.#handle = handle;
    this.#seal = seal;
    this.#lines = lines.length;
    this.#bytes = Buffer.byteLength(text);
    this.#isTorn = false;
    await syncFolder(path.dirname(this.file));
  }

  async #write(): Promise<void> {
    // What is added in the same turn of the event loop is flushed together.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.splice(0);
      const before = this.#lines;
      try {
        await this.#append(batch.map(({ entry }) => this.#sealed(entry)).join(''));
        for (const { entry, written } of batch) {
          this.#contents.take(entry);
          written();
        }
      } catch (error) {
        this.#lines = before;
        for (const one of batch) one.failed(error);
      }
    }
    this.#writing = undefined;
  }

  /** Half a line, as a full disk leaves it, would make everything behind it unreadable: it is cut off first. */
  async #append(text: string): Promise<void> {
    if (this.#handle === undefined) throw new Error('The spool is closed.');
    if (this.#isTorn) await this.#handle.truncate(this.#bytes);
    this.#isTorn = true;
    const bytes = Buffer.from(text);
    await this.#handle.write(bytes, 0, bytes.length, this.#bytes).then(({ bytesWritten }) => {
      if (bytesWritten < bytes.length) throw new Error('The spool could not be written whole: is the disk full?');
    });
    await this.#handle.sync();
    this.#bytes += bytes.length;
    this.#isTorn = false;
  }

  #sealed(entry: SpoolEntry): string {
    if (this.#seal === undefined) throw new Error('The spool is closed.');
    return `${this.#seal.seal(JSON.stringify(entry), this.#lines++)}\n`;
  }
}

/**
 * Reads a spool file and leaves it as it is.
 *
 * @returns what is in it, or why it can't be read
 */
export function lookInSpool(
  file: string,
  hostKeys: readonly string[],
): Omit<SpoolFound, 'setAside'> | { readonly why: string } {
  const read = readSpool(file, hostKeys);
  if ('why' in read) return read;
  const contents = new SpoolContents();
  for (const entry of read.entries) contents.take(entry);
  return { undelivered: contents.undelivered, aside: contents.aside, isTorn: read.isTorn };
}

/** The files of spools in a folder, and the hosts that they are of. */
export function spoolsIn(folder: string): readonly { readonly host: string; readonly file: string }[] {
  return readdirSync(folder)
    .filter((name) => name.endsWith(fileEnding))
    .sort()
    .map((name) => ({
      host: decodeURIComponent(name.slice(0, -fileEnding.length)),
      file: path.join(folder, name),
    }));
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
  const contents = new SpoolContents();
  for (const entry of entries) contents.take(entry);
  return contents.undelivered;
}
