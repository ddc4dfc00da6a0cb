import type { TuningTold } from '@vekkon/protocol';
import type { FeedEvent } from '@vekkon/store';
import { OpenStreams, type OpenStream, type StreamReader } from './open-streams.js';

const bounds = { mostOfOne: 4, mostOfCredential: 20_000, mostOfAll: 20_000, mostUnreadBytes: 256 * 1024 };
/** Values that take more than this are asked for by whoever wants them. */
const longestValues = 16 * 1024;
/** How many listeners are told before others have their turn. */
const toldAtATime = 100;

interface Listening {
  readonly stream: OpenStream;
  /** Whose values it hears; undefined for nobody in particular. */
  readonly player: string | undefined;
  /** The id of what it heard last. */
  lastId: string;
  /** Everything that came before it listened, it has heard with how things stood then. */
  readonly from: number;
}

/** How things stand for one listener: the id is the same where nothing has changed. */
export interface TuningNow {
  readonly id: string;
  readonly now: string;
  readonly told: TuningTold;
}

/** The streams on which tuning is heard of. */
export class TuningStreams {
  readonly #listening = new Map<number, Set<Listening>>();
  readonly #streams: OpenStreams;
  /** Tellings come one after the other, so that each hears them in their order. */
  #telling: Promise<void> = Promise.resolve();
  #tellings = 0;

  /** @param now the time by which credentials end, in milliseconds since 1970 */
  constructor(now: () => number = Date.now) {
    this.#streams = new OpenStreams(bounds, now);
  }

  get count(): number {
    return this.#streams.count;
  }

  /**
   * Answers a request with a stream, which begins with how things stand unless that is known.
   *
   * @param lastId the id of the last event that its sender has
   */
  listen(
    environment: number,
    reader: StreamReader,
    { player, lastId, now }: { readonly player: string | undefined; readonly lastId: string; readonly now: TuningNow },
  ): void {
    const listeners = this.#listening.get(environment) ?? new Set();
    const stream = this.#streams.open(reader, () => {
      listeners.delete(listening);
      if (listeners.size === 0) this.#listening.delete(environment);
    });
    if (stream === undefined) return;
    const listening: Listening = { stream, player, lastId, from: this.#tellings };
    this.#listening.set(environment, listeners.add(listening));
    tell(listening, now.id, textOf(now));
  }

  /**
   * Something changed: everybody who listens hears how things stand.
   *
   * @param nowFor  how they stand for a player, or for nobody in particular
   * @param testers only they hear of an edit of the draft
   */
  tell(
    environment: number,
    nowFor: (player: string | undefined) => Promise<TuningNow>,
    testers: ReadonlySet<string>,
  ): Promise<void> {
    const number = ++this.#tellings;
    this.#telling = this.#telling.then(() => this.#tell(environment, nowFor, testers, number)).catch(() => undefined);
    return this.#telling;
  }

  async #tell(
    environment: number,
    nowFor: (player: string | undefined) => Promise<TuningNow>,
    testers: ReadonlySet<string>,
    number: number,
  ): Promise<void> {
    const listeners = this.#listening.get(environment);
    if (listeners === undefined) return;
    const forNobody = await nowFor(undefined);
    const text = textOf(forNobody);
    let told = 0;
    for (const one of [...listeners]) {
      if (one.from >= number) continue;
      if (one.player === undefined) tell(one, forNobody.id, text);
      else if (one.lastId !== forNobody.id || testers.has(one.player)) {
        const now = await nowFor(one.player);
        tell(one, now.id, textOf(now));
      }
      if (++told % toldAtATime === 0) await new Promise((resolve) => setImmediate(resolve));
    }
  }

  /** Takes in what a commit did: whoever's credential is over hears nothing more. */
  heed(event: FeedEvent): void {
    this.#streams.heed(event);
  }

  close(): void {
    this.#streams.close();
  }
}

function textOf({ now, told }: TuningNow): string {
  const { values, coming, ...rest } = told;
  const whole = JSON.stringify({ now, ...rest, values, coming });
  return whole.length <= longestValues ? whole : JSON.stringify({ now, ...rest });
}

function tell(listening: Listening, id: string, text: string): void {
  if (listening.lastId === id) return;
  listening.lastId = id;
  listening.stream.send('tuning', text, id);
}
