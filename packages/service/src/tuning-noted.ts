import type { Who } from '@vekkon/core/tuning';
import type { Asked, Clock, InTrial, Writer } from '@vekkon/store';
import type { Logger } from './log.js';
import type { ReadyTuning } from './tunings.js';

/** How long what is to be noted waits, so that many are noted at once, in milliseconds. */
const gathers = 1_000;
const mostAtATime = 500;
/** How many are known to be noted already: beyond that they are noted again, which changes nothing. */
const mostKnown = 500_000;

/** How often it is noted that a build asks for a tunable, in milliseconds. */
const notesAskedEvery = 10 * 60 * 1000;

/**
 * Takes note of who was given which value of a trial, and of which tunables
 * are asked for, beside the way of a call. What is lost with the process is
 * noted when the player is next met.
 */
export class TuningNoted {
  readonly #writer: Writer;
  readonly #clock: Clock;
  readonly #log: Logger;
  readonly #known = new Set<string>();
  readonly #asked = new Map<string, number>();
  #waiting: InTrial[] = [];
  #waitingAsked: Asked[] = [];
  #timer: NodeJS.Timeout | undefined;
  #writing: Promise<unknown> = Promise.resolve();

  constructor(writer: Writer, clock: Clock, log: Logger) {
    this.#writer = writer;
    this.#clock = clock;
    this.#log = log;
  }

  /** Somebody was told what they get. Testers are no part of a trial. */
  met(environment: number, { running, testers }: ReadyTuning, who: Who): void {
    const { player } = who;
    if (player === undefined || testers.has(player)) return;
    for (const { trial, value } of running.trials(who, this.#clock.now())) {
      const name = `${environment}/${trial}/${player}`;
      if (this.#known.has(name)) continue;
      if (this.#known.size >= mostKnown) this.#known.clear();
      this.#known.add(name);
      this.#waiting.push({ environment, trial, player, value });
      this.#soon();
    }
  }

  /** A build has asked for tunables. */
  asked(environment: number, build: string, tunables: readonly string[]): void {
    const now = this.#clock.now();
    for (const tunable of tunables) {
      const name = `${environment}/${tunable}/${build}`;
      if ((this.#asked.get(name) ?? -Infinity) > now - notesAskedEvery) continue;
      if (this.#asked.size >= mostKnown) this.#asked.clear();
      this.#asked.set(name, now);
      this.#waitingAsked.push({ environment, tunable, build });
      this.#soon();
    }
  }

  /** Writes what waits. */
  async flush(): Promise<void> {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    this.#write();
    await this.#writing;
  }

  #soon(): void {
    this.#timer ??= setTimeout(() => {
      this.#timer = undefined;
      this.#write();
    }, gathers).unref();
  }

  #write(): void {
    const players = this.#waiting.splice(0);
    const asked = this.#waitingAsked.splice(0);
    this.#writing = this.#writing.then(async () => {
      try {
        for (let from = 0; from < players.length; from += mostAtATime) {
          await this.#writer.do('noteTrialPlayers', { players: players.slice(from, from + mostAtATime) });
        }
        if (asked.length > 0) await this.#writer.do('noteAsked', { asked });
      } catch (err) {
        for (const { environment, trial, player } of players) this.#known.delete(`${environment}/${trial}/${player}`);
        this.#log.warn({ err }, 'Who is in a trial could not be noted now: tried again when they are next met');
      }
    });
  }
}
