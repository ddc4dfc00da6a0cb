import { memoryStorage, VekkonPlayer, type PlayerStorage, type VekkonPlayerOptions } from '@vekkon/client/player';
import type { Json } from '@vekkon/core';
import { FaultProxy } from './fault-proxy.js';
import { World } from './world.js';

/** What a device keeps, shared by its tabs, over their lives. */
export class Device {
  readonly kept = new Map<string, string>();
  /** Set it to let every write fail. */
  full: Error | undefined;
  /** Who has each slot: a tab, for as long as it lives. */
  readonly #owners = new Map<string, symbol>();
  readonly #players = new Map<string, VekkonPlayer>();

  /** A tab's view of it. */
  storage(tab: string): PlayerStorage {
    const self = Symbol(tab);
    return {
      ...memoryStorage(),
      open: async () => {
        this.#owners.set(tab, self);
        return tab;
      },
      abandoned: async () => {
        const gone = [...this.kept.keys()].filter((name) => name.startsWith('tab-') && !this.#owners.has(name));
        for (const one of gone) this.#owners.set(one, self);
        return gone;
      },
      read: (name) => this.kept.get(name),
      write: (name, text) => {
        if (this.#owners.get(tab) !== self) return;
        if (this.full !== undefined) throw this.full;
        this.kept.set(name, text);
      },
      remove: (name) => {
        this.#owners.delete(name);
        this.kept.delete(name);
      },
    };
  }

  /** A game in a tab, that saves when it is told to and gives up soon. */
  open(world: World, tab: string, options: Partial<VekkonPlayerOptions> = {}): VekkonPlayer {
    const player = new VekkonPlayer({
      url: world.url,
      deviceKey: world.deviceKey,
      storage: this.storage(tab),
      autosave: 0,
      deadline: 1_000,
      ...options,
    });
    this.#players.set(tab, player);
    return player;
  }

  /** The tab ends without a word: nobody hears of it, and nothing of it goes on. */
  kill(tab: string): void {
    this.#players.get(tab)?.stop();
    this.#owners.delete(tab);
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

/** A service, a way to it that can be cut, and a device on that way. */
export class DeviceWorld {
  readonly world: World;
  readonly proxy: FaultProxy;
  device = new Device();

  private constructor(world: World, proxy: FaultProxy) {
    this.world = world;
    this.proxy = proxy;
  }

  static async start(): Promise<DeviceWorld> {
    const world = await World.start();
    return new DeviceWorld(world, await FaultProxy.start(world.url));
  }

  /** Another device, and a way without faults. */
  begin(): void {
    this.device.killAll();
    this.device = new Device();
    this.reachable();
  }

  async close(): Promise<void> {
    this.device.killAll();
    await this.proxy.close();
    await this.world.close();
  }

  open(tab = 'tab-1', options: Partial<VekkonPlayerOptions> = {}): VekkonPlayer {
    return this.device.open(this.world, tab, { url: this.proxy.url, ...options });
  }

  async started(tab = 'tab-1', options: Partial<VekkonPlayerOptions> = {}): Promise<VekkonPlayer> {
    const player = this.open(tab, options);
    await player.start();
    return player;
  }

  cutOff(): void {
    this.proxy.fate = () => 'drop-request';
    this.proxy.cutStreams();
  }

  reachable(): void {
    this.proxy.fate = () => 'pass';
  }

  /** Cuts the player off. @returns resolves when it knows */
  goneOffline(player: VekkonPlayer): Promise<void> {
    this.cutOff();
    return until(player, () => player.status.connection === 'offline');
  }

  /** Lets the player through again. @returns resolves when everything is saved */
  reconnect(player: VekkonPlayer): Promise<void> {
    this.reachable();
    return until(player, () => player.status.connection === 'online' && player.pending === 0);
  }

  async stored(player: VekkonPlayer, key: string): Promise<Json | undefined> {
    const { records } = await this.world.operator.player(player.player?.id ?? '');
    return records[key]?.value;
  }

  async fromOutside(player: VekkonPlayer, ...changes: object[]): Promise<void> {
    const route = `/v1/players/${player.player?.id}/changes`;
    await this.world.call('POST', route, { transactions: [{ changes }] }, { 'Idempotency-Key': crypto.randomUUID() });
  }
}
