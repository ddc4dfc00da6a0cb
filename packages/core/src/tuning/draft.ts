import { equalJson } from '../json.js';
import { tunedIn, untuned, type EditionContent, type Tuned } from './tuning.js';

/** One tunable that is edited and not yet published. */
export interface DraftEdit {
  /** What it is to be. */
  readonly tuned: Tuned;
  /** What was published when it was edited. */
  readonly over: Tuned;
  readonly by: string;
  /** RFC 3339. */
  readonly at: string;
}

/** What waits to be published, by tunable: all others are as they are published. */
export type DraftEdits = { readonly [tunable: string]: DraftEdit };

/** The edits with one more, or, where it is to be as published, without it. */
export function withEdit(
  edits: DraftEdits,
  published: EditionContent,
  tunable: string,
  { tuned, by, at }: Omit<DraftEdit, 'over'>,
): DraftEdits {
  const over = tunedIn(published, tunable);
  return equalJson(tuned, over) ? withoutEdit(edits, tunable) : { ...edits, [tunable]: { tuned, over, by, at } };
}

export function withoutEdit(edits: DraftEdits, tunable: string): DraftEdits {
  return Object.fromEntries(Object.entries(edits).filter(([name]) => name !== tunable));
}

/** Tunables that others have published something else for since they were edited: whoever publishes must look again. */
export function outdatedIn(edits: DraftEdits, published: EditionContent): readonly string[] {
  return Object.entries(edits).flatMap(([tunable, { over }]) =>
    equalJson(over, tunedIn(published, tunable)) ? [] : [tunable],
  );
}

/** What an edition would hold with the edits in it; of those, only some where they are named. */
export function asPublished(edits: DraftEdits, published: EditionContent, only?: readonly string[]): EditionContent {
  const content: { [tunable: string]: Tuned } = { ...published };
  for (const [tunable, { tuned }] of Object.entries(edits)) {
    if (only !== undefined && !only.includes(tunable)) continue;
    content[tunable] = tuned;
  }
  // Of what is as the manifest says nothing is said.
  return Object.fromEntries(Object.entries(content).filter(([, tuned]) => !equalJson(tuned, untuned)));
}
