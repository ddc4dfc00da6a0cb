import type { ScoreDeclaration } from '../manifest/manifest.js';
import type { Submit } from './change.js';
import { isBetter, isDoubtful } from '../boards/standings.js';
import { problem, type OrProblem } from '../keys/problem.js';

/** What a player's score record holds. `null` where there is no result yet, which is not 0. */
export type ScoreValue = {
  readonly latest: number | null;
  readonly best: number | null;
  readonly sum: number;
  readonly count: number;
  /** RFC 3339. */
  readonly bestAt: string | null;
  /** RFC 3339. */
  readonly latestAt: string | null;
  /** The player's best results, the best first, where the manifest asks for them. */
  readonly entries?: readonly ScoreEntry[];
};

export type ScoreEntry = {
  readonly value: number;
  /** RFC 3339. */
  readonly at: string;
  /** Typed at the finish. */
  readonly name?: string;
  readonly note?: string;
};

/** The score record after one more result. */
export function submitResult(
  change: Submit,
  held: ScoreValue,
  declaration: ScoreDeclaration,
  at: string,
): OrProblem<{ readonly value: ScoreValue }> {
  const { lowest, highest } = declaration;
  if ((lowest !== undefined && change.value < lowest) || (highest !== undefined && change.value > highest)) {
    const bounds = [lowest !== undefined && `at least ${lowest}`, highest !== undefined && `at most ${highest}`];
    return problem(
      'score-out-of-bounds',
      `${change.value} can't be a result on ${change.key}: it takes ${bounds.filter(Boolean).join(' and ')}.`,
    );
  }
  // It counts nowhere until a person has accepted it.
  if (isDoubtful(change.value, declaration)) return { value: { ...held, latest: change.value, latestAt: at } };
  return {
    value: { ...counted(change, held, declaration, at), latest: change.value, latestAt: at },
  };
}

/** The score record once a doubtful result is accepted, as of when it was made. */
export function acceptResult(
  result: Pick<Submit, 'value' | 'name' | 'note'>,
  held: ScoreValue,
  declaration: ScoreDeclaration,
  at: string,
): ScoreValue {
  return counted(result, held, declaration, at);
}

function counted(
  result: Pick<Submit, 'value' | 'name' | 'note'>,
  held: ScoreValue,
  declaration: ScoreDeclaration,
  at: string,
): ScoreValue {
  const isBest = held.best === null || isBetter(result.value, held.best, declaration.better);
  return {
    ...held,
    best: isBest ? result.value : held.best,
    sum: held.sum + result.value,
    count: held.count + 1,
    bestAt: isBest ? at : held.bestAt,
    ...(declaration.entries !== undefined && { entries: entriesWith(result, held.entries ?? [], declaration, at) }),
  };
}

/** The best results with one more; of equal ones the earlier stands higher. */
function entriesWith(
  { value, name, note }: Pick<Submit, 'value' | 'name' | 'note'>,
  held: readonly ScoreEntry[],
  { better, entries }: ScoreDeclaration,
  at: string,
): readonly ScoreEntry[] {
  const entry = { value, at, ...(name !== undefined && { name }), ...(note !== undefined && { note }) };
  const place = held.findIndex((one) => (better === 'higher' ? value > one.value : value < one.value));
  const all = place < 0 ? [...held, entry] : [...held.slice(0, place), entry, ...held.slice(place)];
  return all.slice(0, entries);
}

/** What in a score record can't have come from results; undefined if it is sound. */
export function wrongInScore({ latest, best, sum, count, entries = [] }: ScoreValue): string | undefined {
  if (!Number.isSafeInteger(count) || count < 0) return `${count} can't be how many results there were`;
  if (count === 0) {
    // A doubtful result is the latest, and counts nowhere.
    return best === null && sum === 0 ? undefined : 'it has no result, and holds one all the same';
  }
  if (latest === null || best === null || !Number.isFinite(sum))
    return `it has ${count} results, and lacks one of them`;
  if (count === 1 && sum !== best) return 'it has one result, and holds several';
  return entries.length > count ? `it lists ${entries.length} results, and has ${count}` : undefined;
}
