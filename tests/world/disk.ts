import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';

/** The disk under the service, which is full for a moment now and then. */
export class Disk {
  canBeFull = false;
  /** Counts the starts of the service: leases from before one are over soon after it. */
  startOfService = 0;
  #log = '';
  #holders = 0;

  /** @param folder where the service keeps its data */
  use(folder: string): void {
    this.#log = path.join(folder, 'vekkon.sqlite-wal');
    // An immutable file refuses even who has it open; only root can make one, on ext4.
    this.canBeFull = this.#set('+i');
    if (this.canBeFull) this.#set('-i');
  }

  async whileFull(work: () => Promise<unknown>): Promise<void> {
    if (this.#holders++ === 0) this.#set('+i');
    try {
      await work();
    } finally {
      if (--this.#holders === 0) this.#set('-i');
    }
  }

  /** A service that stops and starts writes more than one file: that is tried elsewhere. */
  async whileNotFull(work: () => Promise<void>): Promise<void> {
    const canBeFull = this.canBeFull;
    this.canBeFull = false;
    while (this.#holders > 0) await pause(1);
    await work();
    this.canBeFull = canBeFull;
  }

  #set(flag: '+i' | '-i'): boolean {
    return spawnSync('chattr', [flag, this.#log]).status === 0;
  }
}
