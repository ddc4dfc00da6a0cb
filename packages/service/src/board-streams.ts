import type { FeedEvent } from '@vekkon/store';
import type { BoardInMemory } from './boards.js';
import { OpenStreams, type OpenStream, type StreamReader } from './open-streams.js';

const bounds = { mostOfOne: 8, mostOfCredential: 10_000, mostOfAll: 10_000, mostUnreadBytes: 256 * 1024 };
/** At most so often a listener is told. */
const betweenTellings = 1_000;

/** Who watches a board, and what they are shown. */
export interface Watcher extends StreamReader {
  /** What to show now, as JSON text. */
  readonly look: (board: BoardInMemory) => Promise<string>;
}

interface Watching {
  readonly stream: OpenStream;
  readonly look: Watcher['look'];
  last: string;
}

/** The streams on which boards are watched, each told at most once a second. */
export class BoardStreams {
  readonly #watching = new Map<string, Set<Watching>>();
  readonly #moved = new Map<string, BoardInMemory>();
  readonly #streams: OpenStreams;
  #timer: NodeJS.Timeout | undefined;

  /** @param now the time by which credentials end, in milliseconds since 1970 */
  constructor(now: () => number = Date.now) {
    this.#streams = new OpenStreams(bounds, now);
  }

  /**
   * Answers a request with a stream, for as long as its sender listens.
   *
   * @throws Refusal `too-many-requests` if there are too many
   */
  async watch(board: BoardInMemory, watcher: Watcher): Promise<void> {
    const last = await watcher.look(board);
    if (watcher.response.destroyed) return;
    const name = `${board.environment}/${board.key}`;
    const watchers = this.#watching.get(name) ?? new Set();
    const stream = this.#streams.open(watcher, () => {
      watchers.delete(watching);
      if (watchers.size === 0) this.#watching.delete(name);
    });
    if (stream === undefined) return;
    const watching: Watching = { stream, look: watcher.look, last };
    this.#watching.set(name, watchers.add(watching));
    stream.send('standings', last);
  }

  /** Something moved: whoever watches is told within a second. */
  moved(board: BoardInMemory): void {
    const name = `${board.environment}/${board.key}`;
    if (!this.#watching.has(name)) return;
    this.#moved.set(name, board);
    this.#timer ??= setTimeout(() => {
      this.#timer = undefined;
      void this.#tell();
    }, betweenTellings).unref();
  }

  /** Takes in what a commit did: whoever's credential is over hears nothing more. */
  heed(event: FeedEvent): void {
    this.#streams.heed(event);
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#streams.close();
  }

  async #tell(): Promise<void> {
    const moved = [...this.#moved];
    this.#moved.clear();
    for (const [name, board] of moved) {
      for (const one of this.#watching.get(name) ?? []) {
        const now = await one.look(board).catch(() => one.last);
        if (now === one.last) continue;
        one.last = now;
        one.stream.send('standings', now);
      }
    }
  }
}
