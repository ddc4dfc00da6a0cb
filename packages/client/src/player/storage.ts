import { randomId } from './random-id.js';

/** Where a game on a device keeps its token, the records it knows and the changes that wait. */
export interface PlayerStorage {
  /**
   * To be called before anything else.
   *
   * @returns the slot that is this page's or process's own
   * @throws StorageUnreadable where what is there can't be read: it is left as it is
   */
  open(): Promise<string>;
  /** The slots of pages that are gone. Nobody else gets them. */
  abandoned(): Promise<readonly string[]>;
  /** What is kept under a name. */
  read(name: string): string | undefined;
  /** Keeps a text under a name at once, or at the latest when `flushed` resolves. @throws where it can't be kept */
  write(name: string, text: string): void;
  remove(name: string): void;
  /** Resolves when all that was written is kept. */
  flushed(): Promise<void>;
}

/** Nothing is kept: when the page or the process ends, what was not saved is gone, and so is who the player is. */
export function memoryStorage(): PlayerStorage {
  const kept = new Map<string, string>();
  return {
    open: async () => `page-${randomId()}`,
    abandoned: async () => [],
    read: (name) => kept.get(name),
    write: (name, text) => void kept.set(name, text),
    remove: (name) => void kept.delete(name),
    flushed: async () => undefined,
  };
}
