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
  'operator-exists': {
    status: 409,
    title: 'Already an operator',
    advice: 'Change their role instead.',
  },
  'operator-unknown': {
    status: 404,
    title: 'No such operator',
    advice: 'See the list of operators.',
  },
  'last-admin': {
    status: 409,
    title: 'Nobody would be left who may do this',
    advice: 'Make somebody else an admin first.',
  },
  'sign-in-unknown': {
    status: 404,
    title: 'No such sign-in',
    advice: 'It may have ended already: see the list.',
  },
  'second-factor-needed': {
    status: 401,
    title: 'A code is needed too',
    advice: 'Send the code that your authenticator shows, or a recovery code.',
  },
  'second-factor-wrong': {
    status: 401,
    title: 'The code is wrong',
    advice: 'A code is good once, for half a minute: wait for the next. Is the clock of your authenticator right?',
  },
  'link-over': {
    status: 410,
    title: 'Link is over',
    advice: 'A link works once, for a while: ask for another.',
  },
} as const;
