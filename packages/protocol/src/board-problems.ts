/** What can go wrong with boards. */
export const boardProblems = {
  'board-unknown': {
    status: 404,
    title: 'No such board',
    advice: 'Check the spelling against the nearest declared board, or declare it under boards in the manifest.',
  },
  'board-not-ready': {
    status: 503,
    title: 'Board not ready yet',
    advice: 'The service has just started and is still reading the standings: try again in a moment.',
  },
  'season-unknown': {
    status: 404,
    title: 'No such season',
    advice: 'Seasons are numbered from 1: see the list of the board.',
  },
  'standing-unknown': {
    status: 404,
    title: 'Not on the board',
    advice: 'The player has no result that counts in this season: show that there is none yet.',
  },
  'player-barred': {
    status: 409,
    title: 'Player is kept off the board',
    advice: 'Readmit the player first: what they had stands again then.',
  },
  'player-not-barred': {
    status: 409,
    title: 'Player is not kept off the board',
    advice: 'Nothing needs to be done.',
  },
  'doubtful-unknown': {
    status: 404,
    title: 'No such doubtful result',
    advice: 'See the list of doubtful results for those that wait.',
  },
  'doubtful-decided': {
    status: 409,
    title: 'Doubtful result is decided already',
    advice: 'The activity says by whom and why.',
  },
} as const;
