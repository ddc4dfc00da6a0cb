import { Refusal } from '@vekkon/protocol/problems';
import type { Engine } from '../engines/engine.js';
import type { FeedEvent } from '../feed.js';
import { Manifests } from '../manifests.js';
import { ChangedMeanwhile } from './changed-meanwhile.js';
import { commands, type CommandName } from './commands/index.js';
import type { Stamp, WriterContext } from './context.js';
import { crossed, type Crossed } from '../crossing.js';
import { FoundByInWork } from './found-by-in-work.js';
import { FeedInWork } from './feed-in-work.js';
import { Held } from './held.js';
import { mostRecordsHeld } from './held-records.js';
import { mostSessionsHeld } from './held-sessions.js';
import { HostInstances } from './host-instances.js';
import { Leases } from './leases.js';
import { NotedOfDevices } from './noted-of-devices.js';
import { NotedMap, Notes } from './undoable.js';
import { mostWrittenHeld } from './held-written.js';

/** A command as it crosses to the writer: plain data. */
export interface GivenCommand {
  readonly id: number;
  readonly name: CommandName;
  readonly input: object & Stamp;
}

/** What became of a command. */
export type Answer =
  { readonly id: number; readonly outcome: unknown } | { readonly id: number; readonly error: Crossed };

/** What leaves the writer after a commit, or after one that failed. */
export interface Delivery {
  readonly events: readonly FeedEvent[];
  readonly answers: readonly Answer[];
  readonly isWritable: boolean;
}

/** How many commands one commit takes at the most, and for how many milliseconds: what is left waits for the next. */
const commandsPerCommit = 256;
const longestBatch = 20;

/**
 * The one place that writes.
 *
 * It drains what is waiting, applies each command as a part that can be undone
 * by itself, commits once for all of them, and only then delivers: an answer
 * means that the commit has been flushed to disk.
 */
export class CommandQueue {
  readonly #engine: Engine;
  readonly #deliver: (delivery: Delivery) => void;
  readonly #notes = new Notes();
  readonly #context: WriterContext;
  #waiting: GivenCommand[] = [];
  #isDraining = false;

  /** @param startedAt the monotonic time at which this start of the service began */
  constructor(engine: Engine, startedAt: number, deliver: (delivery: Delivery) => void) {
    const notes = this.#notes;
    this.#engine = engine;
    this.#deliver = deliver;
    const place = {
      db: engine.writing,
      later: (sql: string, values: readonly unknown[]) => engine.later(sql, values),
    };
    this.#context = {
      ...place,
      notes,
      environments: new NotedMap(notes),
      held: new Held(notes, mostRecordsHeld),
      heldSessions: new Held(notes, mostSessionsHeld),
      heldWritten: new Held(notes, mostWrittenHeld),
      manifests: new Manifests(engine.writing, new NotedMap(notes)),
      leases: new Leases(startedAt, notes),
      instances: new HostInstances(engine.writing, notes),
      boards: new NotedMap(notes),
      foundBy: new FoundByInWork(place, new NotedMap(notes)),
      feed: new FeedInWork(notes),
      changedMeanwhile: new ChangedMeanwhile(),
      notedOfDevices: new NotedOfDevices(notes),
    };
  }

  give(given: readonly GivenCommand[]): void {
    this.#waiting.push(...given);
    if (this.#isDraining) return;
    this.#isDraining = true;
    // Nothing is thrown: what fails is an answer.
    void this.#drain();
  }

  async #drain(): Promise<void> {
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.splice(0, commandsPerCommit);
      try {
        const answers = await this.#commit(batch);
        this.#deliver({ events: this.#context.feed.take(), answers, isWritable: true });
      } catch (error) {
        const isNotWritable = this.#engine.isNotWritable(error);
        const reason = crossed(
          isNotWritable ? notWritable(error) : this.#engine.isDamaged(error) ? damaged(error) : error,
        );
        const answers = batch.map(({ id }) => ({ id, error: reason }));
        this.#deliver({ events: [], answers, isWritable: !isNotWritable });
      }
      // Between two commits whatever has arrived meanwhile is taken in.
      await new Promise((resolve) => setImmediate(resolve));
    }
    // In the same turn as the last look at what waits, so that nothing can slip in between.
    this.#isDraining = false;
  }

  /** Applies a batch, as much of it as there is time for, and commits it. @returns what to answer now */
  async #commit(batch: GivenCommand[]): Promise<readonly Answer[]> {
    try {
      const answers = await this.#engine.transact(
        () => {
          // It may be played again.
          this.#notes.undo(0);
          return this.#applyAll(batch);
        },
        () => batch.at(-1)?.input.agesBy ?? 0,
      );
      this.#notes.keep();
      return answers;
    } catch (error) {
      this.#notes.undo(0);
      throw error;
    }
  }

  async #applyAll(batch: GivenCommand[]): Promise<readonly Answer[]> {
    const answers: Answer[] = [];
    const since = performance.now();
    for (const [index, command] of batch.entries()) {
      answers.push(await this.#apply(command));
      if (performance.now() - since < longestBatch) continue;
      this.#waiting.unshift(...batch.splice(index + 1));
      break;
    }
    return answers;
  }

  async #apply({ id, name, input }: GivenCommand): Promise<Answer> {
    const handler = commands[name] as (context: WriterContext, input: object) => Promise<unknown>;
    const noted = this.#notes.begin();
    try {
      const outcome = await this.#engine.part(() => handler(this.#context, input));
      // A refusal that is returned, not thrown, keeps what the command wrote.
      return outcome instanceof Refusal ? { id, error: crossed(outcome) } : { id, outcome };
    } catch (error) {
      if (this.#engine.hasFailed(error)) throw error;
      this.#notes.undo(noted);
      return { id, error: crossed(error) };
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
