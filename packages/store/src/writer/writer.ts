import { Refusal } from '@vekkon/protocol';
import type { Clock } from '../clock.js';
import type { Engine } from '../engines/engine.js';
import { Manifests } from '../manifests.js';
import { commands, type CommandInput, type CommandName, type CommandOutcome } from './commands/index.js';
import type { WriterContext } from './context.js';
import { HeldRecordsOfPlayers } from './held-records.js';
import { HostInstances } from './host-instances.js';
import { Leases } from './leases.js';

interface Waiting {
  readonly name: CommandName;
  readonly input: object;
  readonly resolve: (outcome: never) => void;
  readonly reject: (reason: unknown) => void;
}

/** How many commands one commit takes at the most: what waits longer than that waits for the next. */
const commandsPerCommit = 256;

/**
 * The one place that writes.
 *
 * It drains what is waiting, applies each command in a savepoint of its own,
 * commits once for all of them, and only then answers: an answer means that
 * the commit has been flushed to disk.
 */
export class Writer {
  readonly #engine: Engine;
  readonly #clock: Clock;
  readonly #context: WriterContext;
  #waiting: Waiting[] = [];
  #draining: Promise<void> | undefined;
  #isWritable = true;

  constructor(engine: Engine, clock: Clock) {
    this.#engine = engine;
    this.#clock = clock;
    this.#context = {
      db: engine.writing,
      runMany: (statement, rows) => engine.runMany(statement, rows),
      environments: new Map(),
      held: new HeldRecordsOfPlayers(),
      manifests: new Manifests(engine.writing),
      leases: new Leases(clock.monotonic()),
      instances: new HostInstances(engine.writing),
    };
  }

  /**
   * Gives the writer a command, as plain data.
   *
   * @returns its outcome, once it is on disk
   * @throws Refusal if the command can't be carried out, or nothing can be written now
   */
  do<Name extends CommandName>(name: Name, input: CommandInput<Name>): Promise<CommandOutcome<Name>> {
    return new Promise((resolve, reject) => {
      const stamped = { ...input, now: this.#clock.now(), monotonic: this.#clock.monotonic() };
      this.#waiting.push({ name, input: stamped, resolve, reject });
      this.#draining ??= this.#drain();
    });
  }

  /** Did the last commit succeed? A full disk is found out by trying: the next command tries again. */
  get isWritable(): boolean {
    return this.#isWritable;
  }

  /** Resolves when nothing waits any more. */
  async settled(): Promise<void> {
    while (this.#draining !== undefined) await this.#draining;
  }

  async #drain(): Promise<void> {
    // Requests that are read in the same turn of the event loop share a commit.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.splice(0, commandsPerCommit);
      try {
        const answers = await this.#commit(batch);
        this.#isWritable = true;
        for (const answer of answers) answer();
      } catch (error) {
        this.#forgetUnwritten();
        const isNotWritable = this.#engine.isNotWritable(error);
        if (isNotWritable) this.#isWritable = false;
        const reason = isNotWritable ? notWritable(error) : error;
        for (const command of batch) command.reject(reason);
      }
    }
    // In the same turn as the last look at what waits, so that nothing can slip in between.
    this.#draining = undefined;
  }

  /** Applies a batch and commits it. @returns what to tell each caller now */
  async #commit(batch: readonly Waiting[]): Promise<(() => void)[]> {
    this.#engine.runMany('begin immediate', [[]]);
    try {
      const answers: (() => void)[] = [];
      for (const command of batch) answers.push(await this.#apply(command));
      this.#engine.runMany('commit', [[]]);
      return answers;
    } catch (error) {
      if (this.#engine.isInTransaction()) this.#engine.runMany('rollback', [[]]);
      throw error;
    }
  }

  /** What a commit that failed had taken note of may not be stored. */
  #forgetUnwritten(): void {
    this.#context.instances.forgetAll();
    this.#context.manifests.forgetAll();
    this.#context.environments.clear();
    this.#context.held.forgetAll();
  }

  async #apply(command: Waiting): Promise<() => void> {
    const handler = commands[command.name] as (context: WriterContext, input: object) => Promise<never>;
    this.#engine.runMany('savepoint command', [[]]);
    try {
      const outcome = await handler(this.#context, command.input);
      this.#engine.runMany('release command', [[]]);
      // A refusal that is returned, not thrown, keeps what the command wrote.
      return (outcome as unknown) instanceof Refusal ? () => command.reject(outcome) : () => command.resolve(outcome);
    } catch (error) {
      // A full disk can roll back the whole transaction under the savepoint: then all of the batch has failed.
      if (this.#engine.isNotWritable(error) || !this.#engine.isInTransaction()) throw error;
      this.#forgetUnwritten();
      this.#engine.runMany('rollback to command', [[]]);
      this.#engine.runMany('release command', [[]]);
      return () => command.reject(error);
    }
  }
}

function notWritable(cause: unknown): Refusal {
  const refusal = new Refusal('store-not-writable', undefined, { retryAfter: 5 });
  refusal.cause = cause;
  return refusal;
}
