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
  'sign-in-too-old': {
    status: 403,
    title: 'Sign in again first',
    advice: 'This account has no password: sign in with its identity provider, and do this within ten minutes.',
  },
  'identity-provider-unknown': {
    status: 404,
    title: 'No such identity provider',
    advice: 'See with whom players may sign in here: GET /v1/account/providers.',
  },
  'identity-provider-fails': {
    status: 424,
    title: 'The identity provider does not answer as it must',
    advice: 'Check its issuer and what the game is known by there; else try again soon.',
  },
  'identity-refused': {
    status: 403,
    title: 'The identity provider has not let you in',
    advice: 'Begin again, and say yes there.',
  },
  'identity-code-wrong': {
    status: 403,
    title: 'The code is wrong',
    advice: 'Type the code that the browser shows; after a few wrong ones the sign-in must be begun again.',
  },
  'identity-taken': {
    status: 409,
    title: 'Belongs to another account',
    advice: 'Sign in with it instead, or take it off the other account first.',
  },
  'identity-unknown': {
    status: 404,
    title: 'Not linked',
    advice: 'See the identities of the account.',
  },
  'last-sign-in': {
    status: 409,
    title: 'Nobody could sign in any more',
    advice: 'Give the account an address and a password, or another identity provider, first.',
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
