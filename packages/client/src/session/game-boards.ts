import type { Among, Placed, StandingResponse, Stretch } from '@vekkon/protocol';
import { ServiceRefused } from '../errors.js';
import { boardPath } from '../transport/board-path.js';
import type { AnyGame, GameShape } from './game-shape.js';
import { listenToStream } from './stream.js';

/** How a game reaches the service about boards. @internal */
export interface BoardCalls {
  readonly get: <Answer>(path: string) => Promise<Answer>;
  readonly post: <Answer>(path: string, body: unknown) => Promise<Answer>;
  /** The service, and the credential of now, for a stream. */
  readonly url: string;
  readonly credential: () => string;
}

/** What a watch shows: the top, and the chosen players. */
export interface BoardView {
  readonly board: string;
  /** null where there is no result yet. */
  readonly season: number | null;
  readonly of: number;
  readonly top: readonly Placed[];
  readonly players: readonly Placed[];
}

interface OfSeason {
  /** The open season if left out. */
  readonly season?: number;
}

/** Leaderboards as a game reads them. A board is named as it is declared; one of a family as `valley/NAME`. */
export class GameBoards<Game extends GameShape = AnyGame> {
  readonly #calls: BoardCalls;

  /** @internal */
  constructor(calls: BoardCalls) {
    this.#calls = calls;
  }

  /** The first standings, or those from a rank on. */
  top(
    board: Game['boards'],
    { count = 10, start = 1, season }: OfSeason & { readonly count?: number; readonly start?: number } = {},
  ): Promise<Stretch> {
    return this.#calls.get(boardPath(board, '', { start, count, season }));
  }

  /** A player with their neighbours; undefined if they have no standing yet. @param span how many on each side */
  around(
    board: Game['boards'],
    player: string,
    { span = 5, season }: OfSeason & { readonly span?: number } = {},
  ): Promise<Stretch | undefined> {
    const path = boardPath(board, `/around/${encodeURIComponent(player)}`, { span, season });
    return this.#calls.get<Stretch>(path).catch(noStanding);
  }

  /** A player's rank, out of how many; undefined if they have no standing yet, which is not the last place. */
  standing(board: Game['boards'], player: string, { season }: OfSeason = {}): Promise<StandingResponse | undefined> {
    const path = boardPath(board, `/standings/${encodeURIComponent(player)}`, { season });
    return this.#calls.get<StandingResponse>(path).catch(noStanding);
  }

  /** Up to 200 players, ranked among each other; `without` names those who have no standing yet. */
  among(board: Game['boards'], players: readonly string[], { season }: OfSeason = {}): Promise<Among> {
    return this.#calls.post(boardPath(board, '/among', { season }), { players });
  }

  /**
   * Shows the top and chosen players, at once and whenever they move, at most
   * once a second. A connection that breaks is made again.
   *
   * @returns ends it
   */
  watch(
    board: Game['boards'],
    { top = 10, players = [] }: { readonly top?: number; readonly players?: readonly string[] },
    show: (view: BoardView) => void,
  ): () => void {
    const end = new AbortController();
    const chosen = players.length === 0 ? undefined : players.map(encodeURIComponent).join(',');
    const url = this.#calls.url.replace(/\/+$/, '') + boardPath(board, '/stream', { top, players: chosen });
    void listenToStream(
      url,
      this.#calls.credential,
      { standings: (view) => show(view as BoardView) },
      () => undefined,
      end.signal,
    );
    return () => end.abort();
  }
}

function noStanding(error: unknown): undefined {
  if (error instanceof ServiceRefused && error.code === 'standing-unknown') return undefined;
  throw error;
}
