import type { ResultStanding } from '@vekkon/protocol';
import type { ResultTaken } from '@vekkon/store';
import type { Boards } from './boards.js';

/**
 * What became of a save's results, with the ranks as they are now. It is told
 * beside the outcome, and is no part of it: a save that is sent again gets the
 * ranks of then.
 */
export function standingsTold(boards: Boards, results: readonly ResultTaken[]): { [board: string]: ResultStanding } {
  const told: { [board: string]: ResultStanding } = {};
  for (const result of results) {
    const { board, value, kept, season, doubtful, barred } = result;
    const first = told[board];
    told[board] = {
      kept: kept || first?.kept === true,
      value,
      ...beforeOf(result, boards),
      // Of several in one save, what stood before the first.
      ...(first !== undefined && { bestBefore: first.bestBefore, rankBefore: first.rankBefore }),
      ...rankNow(result, boards),
      season,
      ...(doubtful && { doubtful }),
      ...(barred && { barred }),
    };
  }
  return told;
}

function beforeOf({ before, player, number, season }: ResultTaken, boards: Boards) {
  const index = seasonOf(boards, number, season)?.index;
  if (before === null || index === undefined) return { bestBefore: before?.value ?? null, rankBefore: null };
  return { bestBefore: before.value, rankBefore: index.rankIf({ player, ...before }) };
}

function rankNow({ player, number, season }: ResultTaken, boards: Boards) {
  const index = seasonOf(boards, number, season)?.index;
  return { rank: index?.rankOf(player) ?? null, of: index?.size ?? null };
}

function seasonOf(boards: Boards, number: number | null, season: number | null) {
  const found = number === null || season === null ? undefined : boards.numbered(number)?.seasons.get(season);
  return found?.isReady === true ? found : undefined;
}
