import type { Placed } from '@vekkon/core/boards';
import { Refusal } from '@vekkon/protocol';
import type { BoardReads, SeasonRow } from '@vekkon/store';
import { checkReady, openOf, type BoardInMemory, type SeasonInMemory } from './boards.js';

/** A standing with its rank. */
export interface Ranked extends Placed {
  readonly rank: number;
}

/** One season as it is read: from memory while it lives, from the store once it is done with. */
export interface SeasonView {
  readonly row: SeasonRow;
  /** How many standings there are. */
  readonly of: number;
  stretch(start: number, count: number): Promise<readonly Ranked[]>;
  standing(player: number): Promise<Ranked | undefined>;
}

/**
 * A season of a board.
 *
 * @param number the open one if left out
 * @throws Refusal `season-unknown`, `board-not-ready`
 */
export async function seasonOf(reads: BoardReads, board: BoardInMemory, number?: number): Promise<SeasonView> {
  const live = number === undefined ? openOf(board) : board.seasons.get(number);
  if (live !== undefined) return inMemory(live);
  const row = number === undefined ? undefined : await reads.season(board.number, number);
  if (row === undefined) {
    const [newest] = await reads.seasons(board.number, 1);
    throw new Refusal(
      'season-unknown',
      newest === undefined
        ? `${board.key} has no season yet: its first begins with the first result.`
        : `${board.key} has no season ${number ?? ''}: its newest is ${newest.number}.`,
    );
  }
  return inStore(reads, row);
}

export function inMemory(season: SeasonInMemory): SeasonView {
  checkReady(season);
  const { index, row } = season;
  return {
    row,
    of: index.size,
    stretch: async (start, count) => index.stretch(start, count).map((one, at) => ({ ...one, rank: start + at })),
    standing: async (player) => {
      const [placed, rank] = [index.of(player), index.rankOf(player)];
      return placed === undefined || rank === undefined ? undefined : { ...placed, rank };
    },
  };
}

function inStore(reads: BoardReads, row: SeasonRow): SeasonView {
  return {
    row,
    of: row.standings,
    stretch: (start, count) => reads.ranked(row.board, row.number, start, count),
    standing: (player) => reads.rankedOf(row.board, row.number, player),
  };
}
