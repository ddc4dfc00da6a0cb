import { VekkonPlayer, memoryStorage, type PlayerStorage, type VekkonPlayerOptions } from '@vekkon/client/player';
import type { World } from './world.js';

/** What a device keeps, shared by its tabs, over their lives. */
export class Device {
  readonly kept = new Map<string, string>();
  /** Set it to let every write fail. */
  full: Error | undefined;
  readonly #living = new Set<string>();
  readonly #players = new Map<string, VekkonPlayer>();

  /** A tab's view of it. */
  storage(tab: string): PlayerStorage {
    return {
      ...memoryStorage(),
      open: async () => {
        this.#living.add(tab);
        const others = [...this.kept.keys()].filter((name) => name.startsWith('tab-') && !this.#living.has(name));
        return { slot: tab, abandoned: others };
      },
      read: (name) => this.kept.get(name),
      write: (name, text) => {
        if (!this.#living.has(tab)) return;
        if (this.full !== undefined) throw this.full;
        this.kept.set(name, text);
      },
      remove: (name) => void (this.#living.has(tab) && this.kept.delete(name)),
    };
  }

  /** A game in a tab, that saves when it is told to and gives up soon. */
  open(world: World, tab: string, options: Partial<VekkonPlayerOptions> = {}): VekkonPlayer {
    const player = new VekkonPlayer({
      url: world.url,
      deviceKey: world.deviceKey,
      storage: this.storage(tab),
      autosave: 0,
      deadline: 300,
      ...options,
    });
    this.#players.set(tab, player);
    return player;
  }

  /** The tab ends without a word: nobody hears of it, and nothing of it goes on. */
  kill(tab: string): void {
    this.#living.delete(tab);
    this.#players.get(tab)?.stop();
    this.#players.delete(tab);
  }

  killAll(): void {
    for (const tab of this.#players.keys()) this.kill(tab);
  }
}

/** Resolves when what is asked for holds; looked at whenever the player's status changes. */
export function until(player: VekkonPlayer, holds: () => boolean): Promise<void> {
  return new Promise((resolve) => {
    const stop = player.onStatus(look);
    look();
    function look() {
      if (!holds()) return;
      stop();
      resolve();
    }
  });
}
