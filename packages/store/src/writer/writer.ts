import { Refusal } from '@vekkon/protocol/problems';
import type { Clock } from '../clock.js';
import type { Engine } from '../engines/engine.js';
import type { FeedEvent } from '../feed.js';
import { CommandQueue, type Delivery, type GivenCommand } from './command-queue.js';
import type { Stamp } from './context.js';
import type { CommandInput, CommandName, CommandOutcome } from './commands/index.js';
import { thrown } from '../crossing.js';
import type { TrustedTime } from './trusted-time.js';

interface Pending {
  readonly resolve: (outcome: never) => void;
  readonly reject: (reason: unknown) => void;
}

/**
 * Where commands are given and answered. It knows nothing of where they are
 * carried out: in a thread of its own, or in this one.
 */
export class Writer {
  readonly #clock: Clock;
  readonly #time: TrustedTime;
  /** Gives commands to whoever carries them out; what becomes of them is delivered. */
  readonly #give: (given: readonly GivenCommand[]) => void;
  readonly #pending = new Map<number, Pending>();
  readonly #followers: ((event: FeedEvent) => void)[] = [];
  /** Told of a follower that failed. */
  onFollowerFault: (cause: unknown, event: FeedEvent) => void = () => undefined;
  #given: GivenCommand[] = [];
  #lastId = 0;
  #isWritable = true;
  #failure: Refusal | undefined;
  #onSettled: (() => void)[] = [];

  constructor(clock: Clock, time: TrustedTime, give: (given: readonly GivenCommand[]) => void) {
    this.#clock = clock;
    this.#time = time;
    this.#give = give;
  }

  /**
   * Gives the writer a command, as plain data.
   *
   * @returns its outcome, once it is on disk
   * @throws Refusal if the command can't be carried out, or nothing can be written now
   */
  do<Name extends CommandName>(name: Name, input: CommandInput<Name>): Promise<CommandOutcome<Name>> {
    if (this.#failure !== undefined) return Promise.reject(this.#failure);
    return new Promise((resolve, reject) => {
      const [now, monotonic] = [this.#clock.now(), this.#clock.monotonic()];
      const id = ++this.#lastId;
      this.#pending.set(id, { resolve, reject });
      this.#given.push({ id, name, input: stamped(input, { now, monotonic, agesBy: this.#time.at(now, monotonic) }) });
      // Requests that are read in the same turn of the event loop cross together, and share a commit.
      if (this.#given.length === 1) setImmediate(() => this.#hand());
    });
  }

  /** From now on, what commits did is told to the listener, in their order and before their answers. */
  follow(listener: (event: FeedEvent) => void): void {
    this.#followers.push(listener);
  }

  /** Did the last commit succeed? A full disk is found out by trying: the next command tries again. */
  get isWritable(): boolean {
    return this.#isWritable;
  }

  /** Resolves when nothing waits any more. */
  settled(): Promise<void> {
    if (this.#pending.size === 0) return Promise.resolve();
    return new Promise((resolve) => this.#onSettled.push(resolve));
  }

  /** Tells what a commit did, and answers. */
  take({ events, answers, isWritable }: Delivery): void {
    this.#isWritable = isWritable;
    for (const event of events) for (const follower of this.#followers) this.#tell(follower, event);
    for (const answer of answers) {
      const pending = this.#pending.get(answer.id);
      this.#pending.delete(answer.id);
      if ('error' in answer) pending?.reject(thrown(answer.error));
      else pending?.resolve(answer.outcome as never);
    }
    this.#checkSettled();
  }

  /** A follower that fails is a fault of ours: what it follows may be out of date, but nobody's answer waits for that. */
  #tell(follower: (event: FeedEvent) => void, event: FeedEvent): void {
    try {
      follower(event);
    } catch (cause) {
      this.onFollowerFault(cause, event);
    }
  }

  /** Nothing will be carried out any more, by a fault: whoever waits is told so, and so is whoever comes. */
  fail(cause: unknown): void {
    const detail = 'The service has met a fault and ends: keep what you have, and try again once it is up.';
    this.#end(new Refusal('service-stopping', detail, { retryAfter: 5 }), cause);
  }

  /** Takes nothing any more: the store is being closed. */
  close(): void {
    this.#end(new Refusal('service-stopping', undefined, { retryAfter: 2 }), undefined);
  }

  #end(reason: Refusal, cause: unknown): void {
    this.#failure = reason;
    this.#failure.cause = cause;
    this.#isWritable = false;
    for (const { reject } of this.#pending.values()) reject(this.#failure);
    this.#pending.clear();
    this.#checkSettled();
  }

  #hand(): void {
    const given = this.#given;
    this.#given = [];
    if (this.#failure === undefined) this.#give(given);
  }

  #checkSettled(): void {
    if (this.#pending.size > 0) return;
    for (const tell of this.#onSettled.splice(0)) tell();
  }
}

/**
 * What was given, with when. The stamp's members stand first, since V8 makes a
 * new hidden class for each object whose members follow those it is spread
 * from; and they hold, whatever was given.
 */
function stamped(input: object, { now, monotonic, agesBy }: Stamp): object & Stamp {
  const given = { now, monotonic, agesBy, ...input };
  given.now = now;
  given.monotonic = monotonic;
  given.agesBy = agesBy;
  return given;
}

/** A writer that carries out its commands in this thread. */
export function writerHere(engine: Engine, clock: Clock, time: TrustedTime): Writer {
  const queue = new CommandQueue(engine, clock.monotonic(), (delivery) => writer.take(delivery));
  const writer = new Writer(clock, time, (given) => queue.give(given));
  return writer;
}
