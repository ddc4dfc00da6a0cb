/** Why a gift does not reach a player. */
export interface GiftProblem {
  readonly code: string;
  readonly detail: string;
}

export function unknownPlayer(id: string): GiftProblem {
  return { code: 'player-unknown', detail: `Nobody knows a player "${id}".` };
}

export const notThereYet: GiftProblem = {
  code: 'player-unknown',
  detail: 'The player was not there yet at that moment.',
};

export function inSession(host: string): GiftProblem {
  return {
    code: 'player-in-session',
    detail: `"${host}" holds the player, and whole values would overwrite what it does: give again once they have left.`,
  };
}
