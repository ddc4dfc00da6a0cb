import { worthOf } from '@vekkon/core';
import { StandingIndex } from '@vekkon/core/boards';
import { Refusal } from '@vekkon/protocol';
import type { FeedEvent, LiveSeason, LongReads, SeasonRow } from '@vekkon/store';

/** A season in memory: its standings in their order, while it is not done with. */
export interface SeasonInMemory {
  row: SeasonRow;
  readonly index: StandingIndex;
  /** All its standings have been read. */
  isReady: boolean;
  /** Grows with every standing that moves. */
  moves: number;
  /** Players who moved while it was being read: what is read of them is older. */
  readonly moved: Set<number>;
}

/** A board in memory, with its seasons that are not done with. */
export interface BoardInMemory {
  readonly number: number;
  readonly environment: number;
  readonly key: string;
  readonly seasons: Map<number, SeasonInMemory>;
}

/** For how long standings are taken in before others get their turn, in milliseconds. */
const longestTurn = 10;
/** After how many standings it looks at the time. */
const looksEvery = 256;

/**
 * The boards beside the store: made from it at start, and kept by the feed of
 * commits, so that what was answered is ranked already.
 */
export class Boards {
  readonly #byKey = new Map<string, BoardInMemory>();
  readonly #byNumber = new Map<number, BoardInMemory>();
  readonly #longReads: Pick<LongReads, 'standingsPage'>;
  /** Told of every board on which something moved. */
  onMoved: (board: BoardInMemory) => void = () => undefined;
  /** Told when a season was opened, has turned, or was closed: something else may be due. */
  onSeason: () => void = () => undefined;
  #isClosed = false;

  constructor(longReads: Pick<LongReads, 'standingsPage'>) {
    this.#longReads = longReads;
  }

  /** Takes over what the store holds. Until a season is read, it says that it is not ready. */
  async load(live: readonly LiveSeason[]): Promise<void> {
    const reading = live.map(({ board, season }) => {
      const known = this.#board(board.number, board.environment, board.key);
      const inMemory = inMemoryOf(season, season.standings === 0 && season.closed_at === null);
      known.seasons.set(season.number, inMemory);
      return inMemory;
    });
    // Small ones first: nobody waits for a large board of another game.
    for (const season of reading.toSorted((one, other) => one.row.standings - other.row.standings)) {
      await this.#read(season);
    }
  }

  heed(event: FeedEvent): void {
    if (event.what === 'standing-moved') {
      const board = this.#byNumber.get(event.board);
      const season = board?.seasons.get(event.season);
      if (board === undefined || season === undefined) return;
      if (!season.isReady) season.moved.add(event.player);
      if (event.standing === null) season.index.remove(event.player);
      else season.index.set(event.player, event.standing.value, event.standing.reached);
      season.moves++;
      this.onMoved(board);
    } else if (event.what === 'season') {
      const { row, environment, key } = event;
      const board = this.#board(row.board, environment, key);
      const known = board.seasons.get(row.number);
      if (row.done_at !== null) board.seasons.delete(row.number);
      else if (known !== undefined) known.row = row;
      else board.seasons.set(row.number, inMemoryOf(row, true));
      this.onMoved(board);
      this.onSeason();
    }
  }

  /** The seasons of an environment that are open now. */
  openSeasons(environment: number): readonly { board: string; season: number; turnsAt: number | null }[] {
    return [...this.#byNumber.values()].flatMap((board) => {
      const open = board.environment === environment ? openOf(board) : undefined;
      return open === undefined ? [] : [{ board: board.key, season: open.row.number, turnsAt: open.row.turns_at }];
    });
  }

  find(environment: number, key: string): BoardInMemory | undefined {
    return this.#byKey.get(`${environment}/${key}`);
  }

  numbered(number: number): BoardInMemory | undefined {
    return this.#byNumber.get(number);
  }

  close(): void {
    this.#isClosed = true;
  }

  #board(number: number, environment: number, key: string): BoardInMemory {
    const name = `${environment}/${key}`;
    const known = this.#byNumber.get(number);
    if (known?.key === key) return known;
    // Under another name from now on, where the manifest renamed it.
    if (known !== undefined) this.#byKey.delete(`${known.environment}/${known.key}`);
    const board = { number, environment, key, seasons: known?.seasons ?? new Map<number, SeasonInMemory>() };
    this.#byKey.set(name, board);
    this.#byNumber.set(number, board);
    return board;
  }

  async #read(season: SeasonInMemory): Promise<void> {
    if (season.isReady) return;
    const { board, number, better } = season.row;
    let reading = this.#longReads.standingsPage(board, number, null);
    for (;;) {
      const { players, worths, reached, next } = await reading;
      if (this.#isClosed) return;
      // The next page is read while this one is taken in.
      if (next !== null) {
        reading = this.#longReads.standingsPage(board, number, next);
        reading.catch(() => undefined);
      }
      let since = performance.now();
      for (const [at, player] of players.entries()) {
        if (!season.moved.has(player)) season.index.set(player, worthOf(worths[at] ?? 0, better), reached[at] ?? 0);
        if (at % looksEvery !== 0 || performance.now() - since < longestTurn) continue;
        await new Promise((resolve) => setImmediate(resolve));
        since = performance.now();
      }
      if (next === null) break;
    }
    season.isReady = true;
    season.moved.clear();
  }
}

function inMemoryOf(row: SeasonRow, isReady: boolean): SeasonInMemory {
  return { row, index: new StandingIndex(row.better), isReady, moves: 0, moved: new Set() };
}

/** The season that is open; undefined where nothing was ever submitted. */
export function openOf(board: BoardInMemory): SeasonInMemory | undefined {
  for (const season of board.seasons.values()) if (season.row.turned_at === null) return season;
  return undefined;
}

export function checkReady(season: SeasonInMemory): void {
  if (!season.isReady) throw new Refusal('board-not-ready', undefined, { retryAfter: 1 });
}
