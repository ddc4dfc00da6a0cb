import type { Manifest, Reward } from '../manifest/manifest.js';
import { isUnique } from '../manifest/manifest.js';
import { currentItem } from '../manifest/former-names.js';
import type { Change, Transaction } from '../records/change.js';

/** Changes that a season may give: whatever is there already, they add to it. */
export const opsOfRewards = ['credit', 'gain', 'increase', 'outdo', 'collect'] as const;

/**
 * The reward for a place: the first line that fits.
 *
 * @param rank from 1
 * @param of   how many standings there are
 * @returns its index; undefined if none fits
 */
export function rewardFor(rank: number, of: number, rewards: readonly Reward[]): number | undefined {
  const index = rewards.findIndex((reward) => {
    if ('ranks' in reward) return rank >= reward.ranks[0] && rank <= reward.ranks[1];
    return rank <= (of * reward.share) / 100;
  });
  return index < 0 ? undefined : index;
}

/** Where a reward comes from. */
export interface RewardedPlace {
  /** The board's key, such as `gorge-run` or `valley/Gull Valley`. */
  readonly board: string;
  readonly season: number;
  readonly rank: number;
}

/** A reward as a transaction, whose reasons say board, season and rank. A unique piece gets the board and season for an id. */
export function rewardTransaction(reward: Reward, place: RewardedPlace, manifest: Manifest): Transaction {
  const reason = `${place.board}, season ${place.season}: rank ${place.rank}`;
  let pieces = 0;
  const changes = reward.changes.map((change): Change => {
    if (change.op === 'credit') return { ...change, reason };
    if (change.op !== 'gain') return change;
    const item = manifest.items[currentItem(change.item, manifest)];
    if (item === undefined || !isUnique(item)) return change;
    const piece = `${place.board}-${place.season}${pieces++ === 0 ? '' : `-${pieces}`}`.replaceAll('/', '-');
    return { ...change, piece };
  });
  return { changes, label: reason };
}

/** A reward in words, such as "120 of feather, 2 of flare". */
export function rewardInWords({ changes }: Reward): string {
  const words = changes.map((change) => {
    const name = change.key.split('/').slice(1).join('/');
    switch (change.op) {
      case 'credit':
        return `${change.amount} of ${name}`;
      case 'gain':
        return `${change.count ?? 1} of ${change.item}`;
      case 'increase':
        return `${name} by ${change.by}`;
      default:
        return name;
    }
  });
  return words.join(', ');
}
