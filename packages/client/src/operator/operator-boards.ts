import type {
  Board,
  ClosedSeason,
  DoubtfulList,
  DoubtfulResult,
  PlayerStandings,
  SeasonList,
  SpreadResponse,
  StandingResponse,
  Stretch,
} from '@vekkon/protocol';
import { boardPath } from '../transport/board-path.js';
import type { HttpTransport } from '../transport/transport.js';

/** How long to wait for what walks a whole board, in milliseconds. */
const walking = 300_000;

interface OfSeason {
  readonly season?: number | undefined;
}

/** Boards as the people behind the game see them, and keep them honest. */
export class OperatorBoards {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /** The boards, each with its open season. */
  async list(): Promise<readonly Board[]> {
    return (await this.#get<{ boards: readonly Board[] }>('/v1/boards')).boards;
  }

  /** A stretch of standings from a rank on. */
  stretch(
    board: string,
    { start, count, season }: OfSeason & { readonly start?: number; readonly count?: number } = {},
  ): Promise<Stretch> {
    return this.#get(boardPath(board, '', { start, count, season }));
  }

  around(
    board: string,
    player: string,
    { span, season }: OfSeason & { readonly span?: number } = {},
  ): Promise<Stretch> {
    return this.#get(boardPath(board, `/around/${encodeURIComponent(player)}`, { span, season }));
  }

  standing(board: string, player: string, { season }: OfSeason = {}): Promise<StandingResponse> {
    return this.#get(boardPath(board, `/standings/${encodeURIComponent(player)}`, { season }));
  }

  /** A board's seasons, the newest first. @param before what the page before gave as `next` */
  seasons(
    board: string,
    { count, before }: { readonly count?: number; readonly before?: number } = {},
  ): Promise<SeasonList> {
    return this.#get(boardPath(board, '/seasons', { count, before }));
  }

  /** How results are spread. */
  spread(board: string, { season }: OfSeason = {}): Promise<SpreadResponse> {
    return this.#transport.send({ method: 'GET', path: boardPath(board, '/spread', { season }), timeout: walking });
  }

  /** All standings of a season as CSV (RFC 4180), as they come. */
  export(board: string, { season }: OfSeason = {}): Promise<ReadableStream<Uint8Array>> {
    return this.#transport.open(boardPath(board, '/export', { season }));
  }

  /** What closing the open season would give, and to whom: nothing is done. */
  wouldClose(board: string): Promise<ClosedSeason> {
    return this.#post(boardPath(board, '/close'), { dryRun: true });
  }

  close(board: string, reason: string): Promise<ClosedSeason> {
    return this.#post(boardPath(board, '/close'), { reason });
  }

  async takeOff(board: string, player: string, reason: string): Promise<void> {
    await this.#toOne(board, player, 'take-off', reason);
  }

  async putBack(board: string, player: string, reason: string): Promise<void> {
    await this.#toOne(board, player, 'put-back', reason);
  }

  async bar(board: string, player: string, reason: string): Promise<void> {
    await this.#toOne(board, player, 'bar', reason);
  }

  async readmit(board: string, player: string, reason: string): Promise<void> {
    await this.#toOne(board, player, 'readmit', reason);
  }

  /** Results that wait for a person, the newest first. */
  doubtful(
    which: {
      readonly state?: DoubtfulResult['state'] | undefined;
      readonly count?: number;
      readonly after?: number;
    } = {},
  ): Promise<DoubtfulList> {
    const parameters = new URLSearchParams(
      Object.entries(which).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
    );
    return this.#get(`/v1/doubtful?${parameters}`);
  }

  async accept(id: string, reason: string): Promise<void> {
    await this.#post(`/v1/doubtful/${encodeURIComponent(id)}/accept`, { reason });
  }

  async reject(id: string, reason: string): Promise<void> {
    await this.#post(`/v1/doubtful/${encodeURIComponent(id)}/reject`, { reason });
  }

  /** One player's standings on all boards, and what was taken off. */
  ofPlayer(player: string): Promise<PlayerStandings> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/standings`);
  }

  async #toOne(board: string, player: string, what: string, reason: string): Promise<void> {
    await this.#post(boardPath(board, `/standings/${encodeURIComponent(player)}/${what}`), { reason });
  }

  #get<Answer>(path: string): Promise<Answer> {
    return this.#transport.send({ method: 'GET', path });
  }

  #post<Answer>(path: string, body: unknown): Promise<Answer> {
    return this.#transport.send({ method: 'POST', path, body });
  }
}
