/** What can go wrong with gifts. */
export const giftProblems = {
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
} as const;
