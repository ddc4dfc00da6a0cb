import { foundByInWords, isProblem, readFoundBy } from '@vekkon/core';
import { Refusal, type GiftAudience } from '@vekkon/protocol';
import type { EnvironmentRow, ListedPlayer, LongReads, PlayerFilters, PlayerOrder, Reader } from '@vekkon/store';
import type { Boards } from './boards.js';
import { seasonOf } from './season-view.js';

/** Which players are asked for: all that is said must be so. */
export interface PlayersWanted extends PlayerFilters {
  readonly search?: string | undefined;
  /** What they hold there: a number in a range, with its ends, or exactly one value. */
  readonly by?: string | undefined;
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  readonly is?: string | undefined;
  /** On this board, at this place or above. */
  readonly board?: string | undefined;
  readonly place?: number | undefined;
  /** By what they are ordered, where neither `by` nor `board` orders them. */
  readonly sort?: PlayerOrder | undefined;
  readonly isAscending?: boolean | undefined;
}

export interface PlayersFound {
  readonly players: readonly ListedPlayer[];
  /** How many there are; where counting stopped, at least so many. */
  readonly total: number;
  readonly isCapped: boolean;
  /** What to ask for as `after`; null on the last page. A page may be short though there is more. */
  readonly next: string | null;
}

/** Some of those who are meant, and what to ask with for the next ones. */
export interface SomePlayers extends Pick<PlayersFound, 'total' | 'isCapped' | 'next'> {
  readonly ids: readonly string[];
}

/** How many are read at a time, where all who are meant are gone through. */
const playersAtATime = 200;
/** How many places of a board are looked at for one page. */
const placesAtATime = 200;

/** Finds players, by whatever is known of them. */
export class PlayerSearch {
  readonly #reader: Reader;
  readonly #longReads: LongReads;
  readonly #boards: Boards;

  constructor(reader: Reader, longReads: LongReads, boards: Boards) {
    this.#reader = reader;
    this.#longReads = longReads;
    this.#boards = boards;
  }

  /** @throws Refusal `found-by-not-ready`, `board-unknown`, or what is wrong with `by` */
  async find(place: EnvironmentRow, wanted: PlayersWanted, count: number, after?: string): Promise<PlayersFound> {
    const { search = '', by, board, inSession, hasUnsettled } = wanted;
    if (board !== undefined) return this.#onBoard(place, { ...wanted, board }, count, after);
    if (by !== undefined) {
      const { from, to, is, isAscending = false, joinedSince } = wanted;
      const filters = { search, inSession, hasUnsettled, joinedSince };
      const number = await this.#readyOf(place, by);
      return this.#longReads.playersFoundBy(number, { from, to, is, isAscending }, filters, count, after);
    }
    if (search !== '') return this.#longReads.playersFound(place.number, search, count, after, wanted);
    const isOfAll = inSession === undefined && hasUnsettled === undefined;
    const page = isOfAll ? this.#reader.players.page.bind(this.#reader.players) : this.#longReads.playersPage;
    return page(place.number, count, after, wanted);
  }

  /** Those who are meant: everybody, those that are found, or those that are named; some at a time. */
  async some(place: EnvironmentRow, audience: GiftAudience, after: string | undefined): Promise<SomePlayers> {
    if ('players' in audience) {
      const from = Number(after ?? 0);
      const ids = audience.players.slice(from, from + playersAtATime);
      const end = from + ids.length;
      const next = end < audience.players.length ? String(end) : null;
      return { ids, total: audience.players.length, isCapped: false, next };
    }
    if ('everybody' in audience) {
      const { total, isCapped } = await this.#longReads.playersPage(place.number, 1);
      const rows = await this.#longReads.everybody(place.number, Number(after ?? 0), playersAtATime);
      const last = rows.at(-1)?.number;
      const next = rows.length === playersAtATime && last !== undefined ? String(last) : null;
      return { ids: rows.map(({ id }) => id), total, isCapped, next };
    }
    const { joinedSince, ...found } = audience.found;
    const wanted = { ...found, joinedSince: joinedSince === undefined ? undefined : Date.parse(joinedSince) };
    const page = await this.find(place, wanted, playersAtATime, after);
    return { ...page, ids: page.players.map(({ id }) => id) };
  }

  /** All who are meant, one after the other. */
  async *all(place: EnvironmentRow, audience: GiftAudience): AsyncGenerator<string> {
    for (let after: string | null | undefined; after !== null;) {
      const some: SomePlayers = await this.some(place, audience, after);
      yield* some.ids;
      after = some.next;
    }
  }

  async #readyOf(place: EnvironmentRow, by: string): Promise<number> {
    const { rules } = await this.#reader.manifests.newestOf(place);
    const read = readFoundBy(by, rules.manifest);
    if (isProblem(read)) throw new Refusal(read.problem.code, read.problem.detail, read.problem);
    const of = foundByInWords(read);
    const known = await this.#reader.foundBy.all(place.number);
    const row = known.find((one) => one.of === of);
    if (row === undefined) {
      const ready = known.map((one) => one.of).join(', ') || 'nothing yet';
      const detail = `Players are not found by ${of}: they are by ${ready}. Add it on the page Players, or with "vekkon game found-by --add ${of}".`;
      throw new Refusal('found-by-not-ready', detail);
    }
    if (row.ready_at === null) {
      throw new Refusal('found-by-not-ready', `What players hold at ${of} is still being taken in: ask again soon.`, {
        retryAfter: 5,
      });
    }
    return row.number;
  }

  /** In the order of their places; where other filters leave few of many, it looks at some and says where to go on. */
  async #onBoard(
    place: EnvironmentRow,
    wanted: PlayersWanted & { readonly board: string },
    count: number,
    after: string | undefined,
  ): Promise<PlayersFound> {
    const board = this.#boards.find(place.number, wanted.board);
    if (board === undefined)
      throw new Refusal('board-unknown', `There is no board "${wanted.board}", or nobody is on it yet.`);
    const view = await seasonOf(this.#reader.boards, board);
    const last = Math.min(wanted.place ?? view.of, view.of);
    const start = Math.max(1, Number(after ?? 1) || 1);
    const ranked = await view.stretch(start, Math.min(placesAtATime, last - start + 1));
    const { search, inSession, hasUnsettled, joinedSince } = wanted;
    const numbers = ranked.map(({ player }) => player);
    const meant = await this.#longReads.playersNumbered(numbers, { search, inSession, hasUnsettled, joinedSince });
    const rankOf = new Map(ranked.map(({ player, rank }) => [player, rank]));
    const players = meant.slice(0, count).map((one) => ({ ...one, found: rankOf.get(one.number) ?? null }));
    const through = meant.length > count ? (players.at(-1)?.found ?? start) : start + ranked.length - 1;
    return { players, total: last, isCapped: false, next: through < last ? String(through + 1) : null };
  }
}
