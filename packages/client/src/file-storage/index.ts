import { randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, renameSync } from 'node:fs';
import { open } from 'node:fs/promises';
import path from 'node:path';
import { StorageUnreadable } from '../player/kept-state.js';
import type { PlayerStorage } from '../player/storage.js';
import { idOfSecret, Seal } from '../sealing.js';

interface Header {
  readonly player: typeof formatVersion;
  /** Which secret seals it. */
  readonly keyId: string;
  readonly salt: string;
}

/** The version of the file's form. Raise it when an older reader would misread it, and keep reading the old. */
const formatVersion = 1;
const use = 'vekkon player file';

/**
 * Keeps what a game on Node needs in a file: a header line and a sealed one,
 * so that nobody edits it by hand. It is written beside and moved into place,
 * and flushed before anybody is told that it is kept.
 *
 * @param file     such as `./pilot.vekkon`
 * @param sealWith what seals it, such as the device key
 */
export function fileStorage(file: string, { sealWith }: { readonly sealWith: string }): PlayerStorage {
  const kept = new Map<string, string>();
  let writing: Promise<void> | undefined;
  let isBehind = false;

  async function write(): Promise<void> {
    // What is written in one turn of the event loop is flushed together.
    await new Promise((resolve) => setImmediate(resolve));
    while (isBehind) {
      isBehind = false;
      await writeFile(file, sealed(kept, sealWith));
    }
  }

  function later(): void {
    isBehind = true;
    writing ??= write().finally(() => {
      writing = undefined;
      if (isBehind) later();
    });
    // Whoever waits for it hears of it.
    writing.catch(() => undefined);
  }

  return {
    async open() {
      for (const [name, text] of read(file, sealWith)) kept.set(name, text);
      return 'device';
    },
    abandoned: async () => [],
    read: (name) => kept.get(name),
    write(name, text) {
      kept.set(name, text);
      later();
    },
    remove(name) {
      kept.delete(name);
      later();
    },
    async flushed() {
      while (writing !== undefined) await writing;
    },
  };
}

function sealed(kept: ReadonlyMap<string, string>, secret: string): string {
  const salt = randomBytes(16);
  const header: Header = { player: formatVersion, keyId: idOfSecret(secret, use), salt: salt.toString('base64') };
  const line = new Seal(secret, salt, use).seal(JSON.stringify(Object.fromEntries(kept)), 0);
  return `${JSON.stringify(header)}\n${line}\n`;
}

function read(file: string, secret: string): readonly [string, string][] {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return [];
    throw error;
  }
  const [first = '', line = ''] = text.split('\n');
  try {
    const header = JSON.parse(first) as Header;
    if (header.player !== formatVersion || header.keyId !== idOfSecret(secret, use))
      throw new TypeError('another seal');
    const opened = new Seal(secret, Buffer.from(header.salt, 'base64'), use).open(line, 0);
    return Object.entries(JSON.parse(opened ?? '') as { [name: string]: string });
  } catch (cause) {
    // Whatever is wrong with it: it is left as it is, and nobody becomes a new player for it.
    throw new StorageUnreadable(file, cause);
  }
}

async function writeFile(file: string, text: string): Promise<void> {
  const fresh = `${file}.new`;
  mkdirSync(path.dirname(path.resolve(file)), { recursive: true });
  const handle = await open(fresh, 'w', 0o600);
  try {
    await handle.appendFile(text);
    await handle.sync();
  } finally {
    await handle.close();
  }
  renameSync(fresh, file);
}
