import { Refusal } from '@vekkon/protocol';
import type { Clock } from '../clock.js';
import type { Engine } from '../engines/engine.js';
import { Manifests } from '../manifests.js';
import { commands, type CommandInput, type CommandName, type CommandOutcome } from './commands/index.js';
import type { WriterContext } from './context.js';
import { HeldRecordsOfPlayers } from './held-records.js';
import { HostInstances } from './host-instances.js';
import { Leases } from './leases.js';
import type { TrustedTime } from './trusted-time.js';
import { NotedMap, Notes } from './undoable.js';

interface Waiting {
  readonly name: CommandName;
  readonly input: object;
  readonly resolve: (outcome: never) => void;
  readonly reject: (reason: unknown) => void;
}

/** How many commands one commit takes at the most, and for how many milliseconds: what is left waits for the next. */
const commandsPerCommit = 256;
const longestBatch = 20;

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
  readonly #time: TrustedTime;
  readonly #notes = new Notes();
  readonly #context: WriterContext;
  #waiting: Waiting[] = [];
  #draining: Promise<void> | undefined;
  #isWritable = true;

  constructor(engine: Engine, clock: Clock, time: TrustedTime) {
    const notes = this.#notes;
    this.#engine = engine;
    this.#clock = clock;
    this.#time = time;
    this.#context = {
      db: engine.writing,
      runMany: (statement, rows) => engine.runMany(statement, rows),
      environments: new NotedMap(notes),
      held: new HeldRecordsOfPlayers(notes),
      manifests: new Manifests(engine.writing, new NotedMap(notes)),
      leases: new Leases(clock.monotonic(), notes),
      instances: new HostInstances(engine.writing, notes),
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
      const [now, monotonic] = [this.#clock.now(), this.#clock.monotonic()];
      const stamped = { ...input, now, monotonic, agesBy: this.#time.at(now, monotonic) };
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
    for (let isFirst = true; this.#waiting.length > 0; isFirst = false) {
      // Between two commits whatever has arrived meanwhile is read and answered.
      if (!isFirst) await new Promise((resolve) => setImmediate(resolve));
      const batch = this.#waiting.splice(0, commandsPerCommit);
      try {
        const answers = await this.#commit(batch);
        this.#isWritable = true;
        for (const answer of answers) answer();
      } catch (error) {
        const isNotWritable = this.#engine.isNotWritable(error);
        if (isNotWritable) this.#isWritable = false;
        const reason = isNotWritable ? notWritable(error) : this.#engine.isDamaged(error) ? damaged(error) : error;
        for (const command of batch) command.reject(reason);
      }
    }
    // In the same turn as the last look at what waits, so that nothing can slip in between.
    this.#draining = undefined;
  }

  /** Applies a batch, as much of it as there is time for, and commits it. @returns what to tell each caller now */
  async #commit(batch: Waiting[]): Promise<(() => void)[]> {
    this.#engine.begin();
    try {
      const answers: (() => void)[] = [];
      const since = performance.now();
      for (const [index, command] of batch.entries()) {
        answers.push(await this.#apply(command));
        if (performance.now() - since < longestBatch) continue;
        this.#waiting.unshift(...batch.splice(index + 1));
        break;
      }
      this.#engine.commit(this.#time.at(this.#clock.now(), this.#clock.monotonic()));
      this.#notes.keep();
      return answers;
    } catch (error) {
      this.#notes.undo(0);
      this.#engine.rollback();
      throw error;
    }
  }

  async #apply(command: Waiting): Promise<() => void> {
    const handler = commands[command.name] as (context: WriterContext, input: object) => Promise<never>;
    const noted = this.#notes.begin();
    this.#engine.runMany('savepoint command', [[]]);
    try {
      const outcome = await handler(this.#context, command.input);
      this.#engine.runMany('release command', [[]]);
      // A refusal that is returned, not thrown, keeps what the command wrote.
      return (outcome as unknown) instanceof Refusal ? () => command.reject(outcome) : () => command.resolve(outcome);
    } catch (error) {
      // A full disk can roll back the whole transaction under the savepoint: then all of the batch has failed.
      if (this.#engine.isNotWritable(error) || this.#engine.isDamaged(error) || !this.#engine.isInTransaction())
        throw error;
      this.#notes.undo(noted);
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

function damaged(cause: unknown): Refusal {
  const refusal = new Refusal('store-damaged');
  refusal.cause = cause;
  return refusal;
}
