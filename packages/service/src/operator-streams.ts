import type { OperatorEvents, PlayerNews } from '@vekkon/protocol';
import { rfc3339, type FeedEvent } from '@vekkon/store';
import type { PlayerSaved } from './player-saved.js';
import { OpenStreams, type OpenStream, type StreamReader } from './open-streams.js';

const bounds = { mostOfOne: 12, mostOfCredential: 200, mostOfAll: 5_000, mostUnreadBytes: 256 * 1024 };
/** What happens to one player, or with one gift, is told at most so often. */
const betweenTellings = 250;
const betweenOverviews = 1_000;

export const topics = ['activity', 'boards', 'gifts', 'overview', 'tuning'] as const;
export type Topic = (typeof topics)[number];

/** Who watches, and what. */
export interface OperatorWatcher extends StreamReader {
  readonly environment: number;
  readonly topics: ReadonlySet<Topic>;
  readonly player: string | undefined;
}

interface Watching extends OperatorWatcher {
  readonly stream: OpenStream;
  /** What waits to be told, the newest of each. */
  readonly waiting: Map<string, readonly [event: string, data: string]>;
  timer: NodeJS.Timeout | undefined;
}

/** The streams on which people watch how the game goes. */
export class OperatorStreams {
  readonly #watching = new Map<number, Set<Watching>>();
  readonly #streams: OpenStreams;
  readonly #overviewOf: (environment: number) => Promise<OperatorEvents['overview']>;
  readonly #clockwork: NodeJS.Timeout;
  #isTelling = false;

  /** @param overviewOf what the overview shows of an environment now */
  constructor(now: () => number, overviewOf: (environment: number) => Promise<OperatorEvents['overview']>) {
    this.#streams = new OpenStreams(bounds, now);
    this.#overviewOf = overviewOf;
    this.#clockwork = setInterval(() => void this.#tellOverviews(), betweenOverviews);
    this.#clockwork.unref();
  }

  get count(): number {
    return this.#streams.count;
  }

  /** Answers a request with a stream, for as long as its sender listens. @throws Refusal `too-many-requests` */
  watch(watcher: OperatorWatcher): void {
    const watchers = this.#watching.get(watcher.environment) ?? new Set();
    const stream = this.#streams.open(watcher, () => {
      clearTimeout(watching.timer);
      watchers.delete(watching);
      if (watchers.size === 0) this.#watching.delete(watcher.environment);
    });
    if (stream === undefined) return;
    const watching: Watching = { ...watcher, stream, waiting: new Map(), timer: undefined };
    this.#watching.set(watcher.environment, watchers.add(watching));
  }

  /** Takes in what a commit did. */
  heed(event: FeedEvent): void {
    this.#streams.heed(event);
    if (this.#watching.size === 0) return;
    switch (event.what) {
      case 'noted': {
        const { environment, at, ...line } = event.line;
        const data = JSON.stringify({ at: rfc3339(at), ...line } satisfies OperatorEvents['activity']);
        const concerned = environment === null ? this.#everybody() : (this.#watching.get(environment) ?? []);
        for (const one of concerned) {
          if (one.topics.has('activity')) one.stream.send('activity', data);
        }
        return;
      }
      case 'gift':
        for (const one of this.#watching.get(event.environment) ?? []) {
          const data = JSON.stringify({ gift: event.gift } satisfies OperatorEvents['gift']);
          if (one.topics.has('gifts')) this.#soon(one, `gift ${event.gift}`, 'gift', data);
        }
        return;
      case 'standing-moved':
      case 'season':
        // Which environment a board is of is known to who shows it: that something moved is enough.
        for (const one of this.#everybody()) if (one.topics.has('boards')) this.#soon(one, 'boards', 'boards', '{}');
        return;
      case 'tuning':
        for (const one of this.#watching.get(event.state.environment) ?? []) {
          if (one.topics.has('tuning')) this.#soon(one, 'tuning', 'tuning', '{}');
        }
        return;
      case 'joined':
        return this.#tellOf(event.environment, { player: event.player, what: 'joined', seen: null });
      case 'player-changed':
        return this.#tellOf(event.environment, { player: event.player, what: 'changed', seen: event.seen });
      case 'player-erased':
        return this.#tellOf(event.environment, { player: event.player, what: 'erased', seen: null });
    }
  }

  saved({ environment, player, isLeave, isAgain }: PlayerSaved): void {
    if (!isAgain) this.#tellOf(environment, { player, what: isLeave ? 'left' : 'saved', seen: null });
  }

  /** The service stops: every listener is let go. */
  close(): void {
    clearInterval(this.#clockwork);
    for (const one of this.#everybody()) clearTimeout(one.timer);
    this.#streams.close();
  }

  #everybody(): readonly Watching[] {
    return [...this.#watching.values()].flatMap((watchers) => [...watchers]);
  }

  #tellOf(environment: number, news: PlayerNews): void {
    for (const one of this.#watching.get(environment) ?? []) {
      if (one.player === news.player) this.#soon(one, 'player', 'player', JSON.stringify(news));
    }
  }

  /** Told at once where nothing was lately, else the newest a little later. */
  #soon(one: Watching, name: string, event: string, data: string): void {
    if (one.timer !== undefined) return void one.waiting.set(name, [event, data]);
    one.stream.send(event, data);
    one.timer = setTimeout(() => {
      one.timer = undefined;
      const waiting = [...one.waiting];
      one.waiting.clear();
      for (const [again, [what, held]] of waiting) this.#soon(one, again, what, held);
    }, betweenTellings);
    one.timer.unref();
  }

  async #tellOverviews(): Promise<void> {
    if (this.#isTelling) return;
    this.#isTelling = true;
    for (const [environment, watchers] of this.#watching) {
      const interested = [...watchers].filter((one) => one.topics.has('overview'));
      if (interested.length === 0) continue;
      const shown = await this.#overviewOf(environment).catch(() => undefined);
      if (shown === undefined) continue;
      const data = JSON.stringify(shown);
      for (const one of interested) one.stream.send('overview', data);
    }
    this.#isTelling = false;
  }
}
