import type { Response } from 'express';
import type { BoardInMemory } from './boards.js';

const heartbeatMilliseconds = 15_000;
/** Whoever leaves this much unread is let go: it will come back and read anew. */
const mostUnreadBytes = 256 * 1024;
const mostOfAll = 10_000;
const mostOfOne = 8;
/** At most so often a listener is told. */
const betweenTellings = 1_000;

/** Who watches a board, and what they are shown. */
export interface Watcher {
  readonly response: Response;
  /** The device, key or operator: of its streams the oldest gives way to one too many. */
  readonly owner: string;
  /** What to show now, as JSON text. */
  readonly look: (board: BoardInMemory) => Promise<string>;
}

interface Watching extends Watcher {
  last: string;
}

/** The streams on which boards are watched: server-sent events (WHATWG HTML), at most one a second. */
export class BoardStreams {
  readonly #watching = new Map<string, Set<Watching>>();
  readonly #byOwner = new Map<string, Set<Watching>>();
  readonly #moved = new Map<string, BoardInMemory>();
  readonly #heart: NodeJS.Timeout;
  #timer: NodeJS.Timeout | undefined;
  #count = 0;

  constructor() {
    this.#heart = setInterval(() => {
      for (const watchers of this.#watching.values()) for (const one of watchers) send(one, ': still here\n\n');
    }, heartbeatMilliseconds);
    this.#heart.unref();
  }

  /** @returns is there room for another? */
  get hasRoom(): boolean {
    return this.#count < mostOfAll;
  }

  /** Answers a request with a stream, for as long as its sender listens. */
  async watch(board: BoardInMemory, watcher: Watcher): Promise<void> {
    const { response, owner } = watcher;
    const headers = { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' };
    if (response.req.method === 'HEAD') return void response.status(200).set(headers).end();
    const watching = { ...watcher, last: await watcher.look(board) };
    if (response.destroyed) return;
    const own = this.#byOwner.get(owner) ?? new Set();
    if (own.size >= mostOfOne) for (const oldest of [...own].slice(0, 1)) oldest.response.end();
    const name = `${board.environment}/${board.key}`;
    const watchers = this.#watching.get(name) ?? new Set();
    this.#watching.set(name, watchers.add(watching));
    this.#byOwner.set(owner, own.add(watching));
    this.#count++;
    response.once('close', () => {
      this.#count--;
      watchers.delete(watching);
      if (watchers.size === 0) this.#watching.delete(name);
      own.delete(watching);
      if (own.size === 0) this.#byOwner.delete(owner);
    });
    response.status(200).set(headers);
    response.flushHeaders();
    send(watching, `event: standings\ndata: ${watching.last}\n\n`);
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

  close(): void {
    clearInterval(this.#heart);
    clearTimeout(this.#timer);
    for (const watchers of this.#watching.values()) for (const one of watchers) one.response.end();
  }

  async #tell(): Promise<void> {
    const moved = [...this.#moved];
    this.#moved.clear();
    for (const [name, board] of moved) {
      for (const one of this.#watching.get(name) ?? []) {
        const now = await one.look(board).catch(() => one.last);
        if (now === one.last) continue;
        one.last = now;
        send(one, `event: standings\ndata: ${now}\n\n`);
      }
    }
  }
}

function send({ response }: Watching, text: string): void {
  if (response.writableEnded) return;
  if (response.writableLength > mostUnreadBytes) response.destroy();
  else response.write(text);
}
