import type { Manifest, Reward } from '../manifest/manifest.js';
import type { Complain } from '../manifest/mistake.js';
import { checkSchema } from '../manifest/schema-check.js';
import { applyTransaction } from '../records/apply-transaction.js';
import { checkTransactionShape } from '../records/transaction-shape.js';
import { opsOfRewards, rewardTransaction } from './rewards.js';

/** Finds rewards that could never be given: each is tried on a new player. */
export function checkRewards(manifest: Manifest, complain: Complain): void {
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.kind !== 'score') continue;
    const name = key.slice('score/'.length);
    for (const [index, reward] of (declaration.rewards ?? []).entries()) {
      const path = ['boards', name, 'rewards', index];
      if (declaration.season === 'none') {
        complain(
          path,
          `"${name}" has no seasons, so that nothing is ever given: declare a "season", or take the rewards out.`,
        );
        break;
      }
      checkReward(reward, name, manifest, (at, detail) => complain([...path, ...at], detail));
    }
  }
}

function checkReward(reward: Reward, board: string, manifest: Manifest, complain: Complain): void {
  if ('ranks' in reward && reward.ranks[0] > reward.ranks[1]) {
    complain(['ranks'], `Ranks ${reward.ranks[0]} to ${reward.ranks[1]} are none: write the better rank first.`);
  }
  for (const [index, change] of reward.changes.entries()) {
    const { op } = change as { readonly op?: unknown };
    if (!(opsOfRewards as readonly unknown[]).includes(op)) {
      complain(
        ['changes', index],
        `A reward adds to what is there: its changes are of ${opsOfRewards.join(', ')}, not "${String(op)}".`,
      );
      return;
    }
  }
  const transaction = rewardTransaction(reward, { board, season: 1, rank: 1 }, manifest);
  const misshapen = checkTransactionShape(transaction);
  if (misshapen !== undefined) {
    complain(['changes'], `This reward can't be given: ${misshapen.detail}`);
    return;
  }
  const tried = applyTransaction(new Map(), transaction, { manifest, check: checkSchema }, '2000-01-01T00:00:00.000Z');
  if (tried.applied) return;
  complain(
    ['changes', tried.problem.change],
    `This reward can't be given even to a new player: ${tried.problem.detail}`,
  );
}
