import type { Reader } from './reader.js';

/** What walks so much that it may hold up nobody who waits for a short answer. */
const longReads = {
  playersPage: ({ players }) => players.page.bind(players),
  playersFound: ({ players }) => players.found.bind(players),
  foundValues: ({ foundBy }) => foundBy.values.bind(foundBy),
  playersFoundBy: ({ foundBy }) => foundBy.page.bind(foundBy),
  playersNumbered: ({ players }) => players.numbered.bind(players),
  playerText: ({ players }) => players.text.bind(players),
  recordsAsOf: ({ players }) => players.asOf.bind(players),
  exportRows: ({ exported }) => exported.rows.bind(exported),
  historyPage: ({ history }) => history.page.bind(history),
  savesOfSession: ({ history }) => history.ofSession.bind(history),
  recordsAt: ({ history }) => history.asOf.bind(history),
  copy: ({ players }) => players.copy.bind(players),
  copies: ({ players }) => players.copies.bind(players),
  trash: ({ players }) => players.trash.bind(players),
  outdated: ({ outdated }) => outdated.page.bind(outdated),
  exportPage: ({ transfer }) => transfer.page.bind(transfer),
  lookAtImport: ({ transfer }) => transfer.look.bind(transfer),
  lookAtGift: ({ gifts }) => gifts.look.bind(gifts),
  everybody: ({ gifts }) => gifts.everybody.bind(gifts),
  giftPlayers: ({ gifts }) => gifts.players.bind(gifts),
  diff: ({ manifests }) => manifests.diff.bind(manifests),
  misfits: ({ manifests }) => manifests.misfits.bind(manifests),
  misfitsBeside: ({ manifests }) => manifests.misfitsBeside.bind(manifests),
  misfitsBesideAgain: ({ manifests }) => manifests.misfitsBesideAgain.bind(manifests),
  spreadOfResults: ({ boards }) => boards.spread.bind(boards),
  standingsPage: ({ boards }) => boards.page.bind(boards),
  resultsOfTrial: ({ tuning }) => tuning.trial.bind(tuning),
} satisfies { readonly [name: string]: (reader: Reader) => unknown };

export type LongRead = keyof typeof longReads;

/** The reads of the reading thread, by name. */
export type LongReads = { readonly [Name in LongRead]: ReturnType<(typeof longReads)[Name]> };

export const namesOfLongReads = Object.keys(longReads) as readonly LongRead[];

/** A long read of a reader, to be called with what it asks. */
export function longRead<Name extends LongRead>(reader: Reader, name: Name): LongReads[Name] {
  return longReads[name](reader) as LongReads[Name];
}
