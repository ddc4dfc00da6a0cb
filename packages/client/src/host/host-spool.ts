import type { Transport } from '../transport/transport.js';
import { deliver, type Delivery } from './delivery.js';
import { Spool, type SpoolFound } from './spool.js';
import type { SpoolEntry, Undelivered } from './spool-contents.js';

export interface HostSpoolOptions {
  readonly folder: string;
  readonly host: string;
  readonly hostKey: string;
  readonly earlierKeys?: readonly string[] | undefined;
}

/** Milliseconds between two tries to deliver what the service refused for now. */
const pauseBetweenTries = 30_000;

/**
 * A host's spool over the life of one start: opened when it is first needed,
 * delivered before the first join, and left with whatever could not be.
 */
export class HostSpool {
  readonly #transport: Transport;
  readonly #options: HostSpoolOptions;
  readonly #onDelivery: (delivery: Delivery) => void;
  #opening: Promise<Opened> | undefined;
  #delivering: Promise<void> | undefined;
  #opened: Opened | undefined;
  #isToldOf = false;
  #triedAt = -Infinity;

  constructor(transport: Transport, options: HostSpoolOptions, onDelivery: (delivery: Delivery) => void) {
    this.#transport = transport;
    this.#options = options;
    this.#onDelivery = onDelivery;
  }

  get isOpen(): boolean {
    return this.#opened !== undefined;
  }

  /** Resolves when what an earlier start left is delivered. @throws where that is not possible now: it is all still there */
  async ready(): Promise<void> {
    const { spool, earlier } = await this.#open();
    const isLeft = spool.undelivered.some(({ session }) => earlier.has(session));
    if (this.#isToldOf && !isLeft) return;
    this.#delivering ??= this.#deliverEarlier().finally(() => (this.#delivering = undefined));
    if (!this.#isToldOf) return this.#delivering;
    // The service refused some of it for now: it is tried again beside what goes on.
    this.#delivering.catch(() => undefined);
  }

  async add(entry: SpoolEntry): Promise<void> {
    await (await this.#open()).spool.add(entry);
  }

  /**
   * One more try, before the process ends, to deliver what an earlier start
   * left and the service refused for then, and what sessions left that were lost.
   *
   * @param open the sessions that still deliver by themselves
   */
  async deliverRest(open: ReadonlySet<string>): Promise<void> {
    const { spool } = await this.#open();
    await this.#delivering?.catch(() => undefined);
    await spool.settled();
    const rest = spool.undelivered.flatMap(({ session }) => (open.has(session) ? [] : session));
    if (rest.length > 0) await this.#deliver(new Set(rest));
  }

  /** @returns what is still in it, for the next start */
  async close(): Promise<readonly Undelivered[]> {
    const opened = await this.#open().catch(() => undefined);
    if (opened === undefined) return [];
    const { spool } = opened;
    // A delivery that is under way is not waited for: what it has not brought to its end stays for the next start.
    await spool.settled();
    const { undelivered } = spool;
    // Where it can't be written anew now, it is longer than it must be, and right all the same.
    if (undelivered.length === 0) await spool.tidy().catch(() => undefined);
    await spool.close();
    return undelivered;
  }

  async #open(): Promise<Opened> {
    const { folder, host, hostKey, earlierKeys } = this.#options;
    this.#opening ??= Spool.open(folder, host, hostKey, earlierKeys).then(({ spool, found }) => {
      this.#opened = { spool, found, earlier: new Set(found.undelivered.map(({ session }) => session)) };
      return this.#opened;
    });
    try {
      return await this.#opening;
    } catch (error) {
      this.#opening = undefined;
      throw error;
    }
  }

  async #deliverEarlier(): Promise<void> {
    if (this.#isToldOf && performance.now() - this.#triedAt < pauseBetweenTries) return;
    const { spool, found, earlier } = await this.#open();
    const isFirst = !this.#isToldOf;
    await this.#deliver(earlier);
    if (isFirst && found.undelivered.length > 0) await spool.tidy().catch(() => undefined);
  }

  async #deliver(sessions: ReadonlySet<string>): Promise<void> {
    const { spool, found } = await this.#open();
    const { isTorn, setAside } = found;
    const isThere = spool.undelivered.some(({ session }) => sessions.has(session));
    const outcome = await deliver(this.#transport, spool, sessions);
    this.#triedAt = performance.now();
    const isNews = isThere || (!this.#isToldOf && (isTorn || setAside !== null));
    this.#isToldOf = true;
    if (isNews) this.#onDelivery({ ...outcome, isTorn, setAside });
  }
}

interface Opened {
  readonly spool: Spool;
  readonly found: SpoolFound;
  /** The sessions that an earlier start left in it. */
  readonly earlier: ReadonlySet<string>;
}
