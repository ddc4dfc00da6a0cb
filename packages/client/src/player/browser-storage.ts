import { randomId } from './random-id.js';
import { memoryStorage, type PlayerStorage } from './storage.js';

/** Milliseconds after which a page that said nothing is taken to be gone, where the browser knows no locks. */
const longestSilence = 3 * 60_000;
const heartbeat = 20_000;
/** Milliseconds for which a page that is loaded again waits for its former self to end. */
const ownLockWait = 500;

/**
 * Keeps what a game needs in the browser's storage. Each tab has a slot of its
 * own, the same when it is loaded again; what a tab left that was closed, the
 * next one takes over.
 *
 * @param name tells games on one web origin apart
 * @returns storage that keeps nothing where the browser forbids it; writes then fail, and the game is told
 */
export function browserStorage(name = 'game'): PlayerStorage {
  let local: Storage;
  try {
    local = globalThis.localStorage;
    local.getItem(name);
  } catch (cause) {
    return forbidden(cause);
  }
  const prefix = `vekkon/${name}/`;
  const keyOf = (what: string) => prefix + what;
  const locks = new TabLocks(prefix, local);
  return {
    open: () => locks.own(),
    async abandoned() {
      const others = Object.keys(local)
        .filter((key) => key.startsWith(keyOf('tab-')) && !key.endsWith('/alive'))
        .map((key) => key.slice(prefix.length));
      const gone: string[] = [];
      for (const one of others) if (await locks.take(one)) gone.push(one);
      return gone;
    },
    read: (what) => local.getItem(keyOf(what)) ?? undefined,
    write: (what, text) => local.setItem(keyOf(what), text),
    remove(what) {
      local.removeItem(keyOf(what));
      local.removeItem(keyOf(`${what}/alive`));
    },
    flushed: async () => undefined,
  };
}

function forbidden(cause: unknown): PlayerStorage {
  const memory = memoryStorage();
  return {
    ...memory,
    write() {
      throw new Error('The browser does not let this page keep anything.', { cause });
    },
  };
}

/** Which tabs are there: each holds a lock (W3C Web Locks) for as long as it lives. */
class TabLocks {
  readonly #prefix: string;
  readonly #local: Storage;

  constructor(prefix: string, local: Storage) {
    this.#prefix = prefix;
    this.#local = local;
  }

  /** This tab's slot: the one that it had before it was loaded again, unless another tab was made from it. */
  async own(): Promise<string> {
    const remembered = this.#remembered();
    if (remembered !== undefined && (await this.take(remembered, ownLockWait))) return remembered;
    const slot = `tab-${randomId()}`;
    await this.take(slot, ownLockWait);
    try {
      sessionStorage.setItem(`${this.#prefix}tab`, slot);
    } catch {
      // Loaded again it is another tab then.
    }
    return slot;
  }

  /** Takes a slot, unless a tab that lives has it, such as this one. */
  async take(slot: string, wait = 0): Promise<boolean> {
    if (navigator.locks === undefined) return this.#takeSilent(slot, wait > 0);
    return new Promise((resolve) => {
      const hold = (lock: Lock | null) => {
        resolve(lock !== null);
        // Until the page ends.
        return lock === null ? undefined : new Promise<never>(() => undefined);
      };
      const options = wait > 0 ? { signal: AbortSignal.timeout(wait) } : { ifAvailable: true };
      navigator.locks.request(this.#prefix + slot, options, hold).catch(() => resolve(false));
    });
  }

  #remembered(): string | undefined {
    try {
      return sessionStorage.getItem(`${this.#prefix}tab`) ?? undefined;
    } catch {
      return undefined;
    }
  }

  /** Without locks, as on plain HTTP: a tab says now and then that it lives. */
  #takeSilent(slot: string, isOwn: boolean): boolean {
    const key = `${this.#prefix}${slot}/alive`;
    const isGone = Date.now() - Number(this.#local.getItem(key) ?? 0) > longestSilence;
    if (!isOwn && !isGone) return false;
    const say = () => {
      try {
        this.#local.setItem(key, String(Date.now()));
      } catch {
        // Full: others may take it to be gone, and the service lets only one of them write.
      }
    };
    say();
    setInterval(say, heartbeat);
    return true;
  }
}
