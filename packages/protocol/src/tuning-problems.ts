/** What can go wrong with tuning. */
export const tuningProblems = {
  'tunable-unknown': {
    status: 404,
    title: 'No such tunable',
    advice: 'Check the spelling against the nearest declared tunable, or declare it under tunables in the manifest.',
  },
  'tunable-exists': {
    status: 409,
    title: 'Tunable exists already',
    advice: 'Choose another name, or edit the one that there is.',
  },
  'tuning-invalid': {
    status: 422,
    title: 'Tuning not as it must be',
    advice: 'The issues say where and what to write instead. Nothing was changed.',
  },
  'tuning-too-large': {
    status: 422,
    title: 'Edition too large',
    advice: 'An edition takes up to 512 KiB: make tables smaller, or keep them elsewhere.',
  },
  'draft-changed': {
    status: 409,
    title: 'Somebody else has edited the draft',
    advice: 'Read the draft again: the changes say what is another since the revision that you saw.',
  },
  'draft-outdated': {
    status: 409,
    title: 'Edited on an edition that is no longer the newest',
    advice: 'Look at what is published now, and put the tunable into the draft again, or take it out.',
  },
  'nothing-to-publish': {
    status: 409,
    title: 'Nothing is edited',
    advice: 'All is as it is published: put something into the draft first.',
  },
  'publishing-not-allowed': {
    status: 403,
    title: 'Only an admin publishes here',
    advice:
      'The environment is live: ask an admin to publish, or to let designers do it with "vekkon game publishers --designers".',
  },
  'edition-unknown': { status: 404, title: 'No such edition', advice: 'Editions are numbered from 1: see their list.' },
  'trial-unknown': {
    status: 404,
    title: 'No such trial',
    advice: 'A trial is an adjustment with values: see the running edition for those that there are.',
  },
} as const;
