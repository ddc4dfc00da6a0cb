import type { DraftEdits, EditionContent } from '@vekkon/core/tuning';
import type { Kysely } from 'kysely';
import { keptQuery } from './kept-query.js';
import type { EditionRow, Tables } from './tables.js';

/** How an environment is tuned now: what is published, what waits, and who gets it all the same. */
export interface TuningState {
  readonly environment: number;
  /** The running edition; 0 before the first. */
  readonly edition: number;
  readonly content: EditionContent;
  /** What was published last; null before the first. */
  readonly published: Pick<EditionRow, 'note' | 'by' | 'at'> | null;
  /** Of the draft: grows with every edit. */
  readonly revision: number;
  readonly edits: DraftEdits;
  /** The ids of the players who get the draft. */
  readonly testers: readonly string[];
  /** Up to when windows that opened or closed stand in the activity, in milliseconds since 1970. */
  readonly edgesUntil: number;
}

const newestEdition = keptQuery((db, environment: number) =>
  db.selectFrom('editions').selectAll().where('environment', '=', environment).orderBy('number', 'desc').limit(1),
);

const draftOf = keptQuery((db, environment: number) =>
  db.selectFrom('drafts').selectAll().where('environment', '=', environment),
);

const testersOf = keptQuery((db, environment: number) =>
  db.selectFrom('testers').select('player').where('environment', '=', environment).orderBy('player'),
);

export async function tuningStateOf(db: Kysely<Tables>, environment: number): Promise<TuningState> {
  const [edition] = await newestEdition(db, environment);
  const [draft] = await draftOf(db, environment);
  const testers = await testersOf(db, environment);
  return {
    environment,
    edition: edition?.number ?? 0,
    content: contentOf(edition),
    published: edition === undefined ? null : { note: edition.note, by: edition.by, at: edition.at },
    revision: draft?.revision ?? 0,
    edits: draft === undefined ? {} : (JSON.parse(draft.edits) as DraftEdits),
    testers: testers.map(({ player }) => player),
    edgesUntil: draft?.edges_until ?? 0,
  };
}

/** What an edition holds; nothing before the first. */
export function contentOf(edition: Pick<EditionRow, 'content'> | undefined): EditionContent {
  return edition === undefined ? {} : (JSON.parse(edition.content) as EditionContent);
}
