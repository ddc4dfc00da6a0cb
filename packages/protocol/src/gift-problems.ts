/** What can go wrong with many players at once. */
export const giftProblems = {
  'player-exists': {
    status: 409,
    title: 'Player is there already',
    advice: 'Import again with the choice to keep what they have, or to update it.',
  },
  'player-erased': {
    status: 409,
    title: 'Player was erased',
    advice: 'Take them in again only if they want it: say so in the import.',
  },
  'gift-unknown': {
    status: 404,
    title: 'No such gift',
    advice: 'See the list of gifts for their numbers.',
  },
  'gift-not-so': {
    status: 409,
    title: 'The gift does not stand so',
    advice: 'Look at how it stands, and decide again.',
  },
  'gift-too-old': {
    status: 409,
    title: 'Too late to take the gift back',
    advice: 'A gift can be taken back within a day: mend single players, or give the opposite.',
  },
  'found-by-not-ready': {
    status: 409,
    title: 'Players are not found by this yet',
    advice: 'Add it to what players are found by, and ask again once it is ready.',
  },
} as const;
