/** What can go wrong with players' accounts. */
export const accountProblems = {
  'account-exists': {
    status: 409,
    title: 'This player has an account already',
    advice: 'Sign in to it, or sign out first.',
  },
  'account-unknown': {
    status: 404,
    title: 'No account',
    advice: 'This player is known on their device only: make an account first.',
  },
  'account-disabled': {
    status: 403,
    title: 'Account is shut out',
    advice: 'Ask whoever runs the game.',
  },
  'password-refused': {
    status: 422,
    title: 'Password not taken',
    advice: 'Choose one of at least 8 characters that is not among the commonest.',
  },
  'account-refused': {
    status: 401,
    title: 'E-mail or password is wrong',
    advice: 'Try again, or have a link mailed with which to set another password.',
  },
  'sign-in-over': {
    status: 401,
    title: 'Sign-in is over',
    advice: 'Sign in again.',
  },
  'link-over': {
    status: 410,
    title: 'Link is over',
    advice: 'A link works once, for a while: ask for another.',
  },
} as const;
