import {
  adjustmentInWords,
  asPublished,
  checkTuned,
  nameOf,
  outdatedIn,
  readEdition,
  tunedIn,
  tuningDifferences,
  tuningLimits,
  underCurrentNames,
  untuned,
  withEdit,
  withoutEdit,
  type Adjustment,
  type DraftEdits,
  type EditionContent,
  type Tuned,
  type TunedMistake,
} from '@vekkon/core/tuning';
import type { Rules } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { rfc3339 } from '../../clock.js';
import { contentOf, tuningStateOf, type TuningState } from '../../tuning.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { note } from './activity.js';

/** What somebody does to the tuning of an environment. */
interface OnTuning {
  readonly environment: number;
  readonly by: string;
  /** The draft's revision that they saw; null where they did not look at it. */
  readonly revision: number | null;
}

export interface Revised {
  readonly revision: number;
}

export interface Published {
  readonly edition: number;
}

interface Found {
  readonly state: TuningState;
  readonly rules: Rules;
}

/** How many changes of a draft are told of, and kept. */
const mostChanges = 500;

async function find(context: WriterContext, { environment, revision }: OnTuning): Promise<Found> {
  const place = await environmentOf(context, environment);
  const { rules } = await context.manifests.newestOf(place);
  const state = await tuningStateOf(context.db, environment);
  if (revision !== null && revision !== state.revision) throw await draftChanged(context, state, revision);
  const content = underCurrentNames(state.content, rules.manifest);
  const edits = underCurrentNames(state.edits, rules.manifest);
  return { state: { ...state, content, edits }, rules };
}

async function draftChanged({ db }: WriterContext, state: TuningState, seen: number): Promise<Refusal> {
  const rows = await db
    .selectFrom('draft_changes')
    .selectAll()
    .where('environment', '=', state.environment)
    .where('revision', '>', seen)
    .orderBy('revision', 'desc')
    .limit(20)
    .execute();
  const changes = rows.map(({ revision, tunable, words, by, at }) => ({
    revision,
    tunable,
    words,
    by,
    at: rfc3339(at),
  }));
  const told = changes.map(({ by, words }) => `${by}: ${words}`).join('; ');
  return new Refusal(
    'draft-changed',
    `The draft is at revision ${state.revision}, and you saw ${seen}: ${told === '' ? 'there is none of that' : `since then ${told}`}. Look at it again, and send your edit with the revision of now.`,
    { revision: state.revision, changes },
  );
}

export interface PutInDraft extends OnTuning {
  readonly tunable: string;
  /** What it is to be; null to go back to what is published. */
  readonly tuned: Tuned | null;
}

/** Edits one tunable in the draft, checked by its schema and by what the manifest declares. */
export async function putInDraft(context: WriterContext, put: PutInDraft & Stamp): Promise<Revised> {
  const { tunable, tuned, by, now } = put;
  const { state, rules } = await find(context, put);
  const { content, edits } = state;
  if (tuned === null) {
    if (!Object.hasOwn(edits, tunable) && !Object.hasOwn(rules.manifest.tunables, tunable))
      throw unknown(tunable, rules);
    return keepDraft(context, state, withoutEdit(edits, tunable), {
      tunable,
      words: `${tunable}: back to what is published`,
      by,
      now,
    });
  }
  if (!Object.hasOwn(rules.manifest.tunables, tunable)) throw unknown(tunable, rules);
  checkIds(tunable, tuned, asPublished(edits, content));
  const before = known(tunable, content, edits);
  refuseMistakes(tunable, checkTuned(tunable, tuned, before, rules, now), '');
  const after = withEdit(edits, content, tunable, { tuned, by, at: rfc3339(now) });
  const is = tunedIn(asPublished(after, content), tunable);
  const was = tunedIn(asPublished(edits, content), tunable);
  const words = tuningDifferences({ [tunable]: was }, { [tunable]: is }, rules.manifest).map((one) => one.words);
  checkSize(asPublished(after, content));
  return keepDraft(context, state, after, { tunable, words: words.join('; ') || `${tunable}: as it was`, by, now });
}

/** What may stay as it is: all that is published, and all that is in the draft. */
function known(tunable: string, content: EditionContent, edits: DraftEdits): Tuned {
  const published = tunedIn(content, tunable);
  const edited = edits[tunable]?.tuned ?? untuned;
  return { adjustments: [...edited.adjustments, ...published.adjustments] };
}

function unknown(tunable: string, rules: Rules): Refusal {
  const [mistake] = checkTuned(tunable, untuned, untuned, rules, 0);
  return new Refusal('tunable-unknown', mistake?.detail ?? `"${tunable}" is not declared.`);
}

/** The same id takes the same players: two adjustments would follow each other. */
function checkIds(tunable: string, tuned: Tuned, content: EditionContent): void {
  const taken = new Map<string, string>();
  for (const [name, other] of Object.entries(content)) {
    if (name !== tunable) for (const { id } of other.adjustments) taken.set(id, name);
  }
  const issues = tuned.adjustments.flatMap(({ id }, index) =>
    taken.has(id)
      ? [
          {
            pointer: `/adjustments/${index}/id`,
            detail: `"${id}" is the id of an adjustment of ${taken.get(id)} already: leave it out, and one is made.`,
          },
        ]
      : [],
  );
  refuseMistakes(tunable, issues, '');
}

function refuseMistakes(tunable: string, mistakes: readonly TunedMistake[], what: string): void {
  const [first] = mistakes;
  if (first === undefined) return;
  const more =
    mistakes.length > 1 ? ` There ${mistakes.length === 2 ? 'is one more' : `are ${mistakes.length - 1} more`}.` : '';
  const where = first.pointer === '' ? '' : ` at ${first.pointer}`;
  throw new Refusal('tuning-invalid', `${what}${tunable}${where}: ${first.detail}${more} Nothing was changed.`, {
    issues: mistakes.slice(0, 50),
  });
}

function checkSize(content: EditionContent): void {
  const bytes = Buffer.byteLength(JSON.stringify(content));
  if (bytes <= tuningLimits.editionBytes) return;
  throw new Refusal(
    'tuning-too-large',
    `An edition would take ${Math.ceil(bytes / 1024)} KiB, and ${tuningLimits.editionBytes / 1024} KiB are the most: make tables smaller. Nothing was changed.`,
  );
}

interface DraftChange {
  readonly tunable: string;
  readonly words: string;
  readonly by: string;
  readonly now: number;
}

/** Makes the next revision of the draft, and tells of it. */
async function keepDraft(
  { db, feed }: WriterContext,
  state: TuningState,
  edits: DraftEdits,
  { tunable, words, by, now }: DraftChange,
): Promise<Revised> {
  const { environment } = state;
  const revision = state.revision + 1;
  const row = { revision, edits: JSON.stringify(edits) };
  await db
    .insertInto('drafts')
    .values({ environment, ...row, edges_until: state.edgesUntil })
    .onConflict((conflict) => conflict.column('environment').doUpdateSet(row))
    .execute();
  await db
    .insertInto('draft_changes')
    .values({ environment, revision, tunable, words: words.slice(0, 1000), by, at: now })
    .execute();
  await db
    .deleteFrom('draft_changes')
    .where('environment', '=', environment)
    .where('revision', '<=', revision - mostChanges)
    .execute();
  feed.tell({ what: 'tuning', state: await tuningStateOf(db, environment) });
  return { revision };
}

export interface PublishDraft extends OnTuning {
  readonly note: string;
  /** The tunables to publish; all that are edited if null. */
  readonly only: readonly string[] | null;
}

/** Makes what is in the draft the next edition, in one commit. */
export async function publishDraft(context: WriterContext, publish: PublishDraft & Stamp): Promise<Published> {
  const { only, now } = publish;
  const { state, rules } = await find(context, publish);
  const chosen = Object.entries(state.edits).filter(([tunable]) => only === null || only.includes(tunable));
  const missing = (only ?? []).filter((tunable) => !Object.hasOwn(state.edits, tunable));
  if (missing.length > 0) {
    throw new Refusal('nothing-to-publish', `Nothing of ${missing.join(', ')} is edited: it is as it is published.`);
  }
  if (chosen.length === 0) throw new Refusal('nothing-to-publish');
  const edits = Object.fromEntries(chosen);
  const outdated = outdatedIn(edits, state.content);
  if (outdated.length > 0) {
    throw new Refusal(
      'draft-outdated',
      `Edition ${state.edition} has changed ${outdated.join(', ')} since it was edited: look at what is published, and put it into the draft again, or take it out. Nothing was published.`,
      { tunables: outdated },
    );
  }
  for (const [tunable, { tuned }] of chosen) {
    refuseMistakes(tunable, checkTuned(tunable, tuned, known(tunable, state.content, state.edits), rules, now), '');
  }
  const left = Object.fromEntries(Object.entries(state.edits).filter(([tunable]) => !Object.hasOwn(edits, tunable)));
  return makeEdition(context, state, rules, asPublished(edits, state.content), left, { ...publish, reissueOf: null });
}

export interface ReissueEdition extends OnTuning {
  readonly edition: number;
  readonly note: string;
}

/** Publishes an earlier edition again, as the next one. */
export async function reissueEdition(context: WriterContext, reissue: ReissueEdition & Stamp): Promise<Published> {
  const { environment, edition, now } = reissue;
  const { state, rules } = await find(context, reissue);
  const row = await context.db
    .selectFrom('editions')
    .select('content')
    .where('environment', '=', environment)
    .where('number', '=', edition)
    .executeTakeFirst();
  if (row === undefined && edition !== 0) throw new Refusal('edition-unknown');
  const content = underCurrentNames(contentOf(row), rules.manifest);
  for (const [tunable, tuned] of Object.entries(content)) {
    const mistakes = checkTuned(tunable, tuned, tuned, rules, now);
    refuseMistakes(tunable, mistakes, `Edition ${edition} does not fit the manifest of now. `);
  }
  return makeEdition(context, state, rules, content, state.edits, { ...reissue, reissueOf: edition });
}

export interface EndTrial extends OnTuning {
  readonly tunable: string;
  readonly trial: string;
  /** Which of its values becomes the base value, from 0. */
  readonly value: number;
  readonly note: string;
}

/** Ends a trial: one of its values is the base value from now on, in the next edition. */
export async function endTrial(context: WriterContext, end: EndTrial & Stamp): Promise<Published> {
  const { tunable, trial: id, value: index, by, now } = end;
  const { state, rules } = await find(context, end);
  const published = tunedIn(state.content, tunable);
  const trial = published.adjustments.find((one) => one.id === id);
  const value = trial?.values?.[index];
  if (trial?.values === undefined) throw new Refusal('trial-unknown');
  if (value === undefined) {
    throw new Refusal(
      'request-invalid',
      `The trial has ${trial.values.length} values: name one from 0 to ${trial.values.length - 1}.`,
    );
  }
  const ended = (tuned: Tuned): Tuned => ({
    value: value.value,
    adjustments: tuned.adjustments.filter((one) => one.id !== id),
  });
  const content = asPublished({}, { ...state.content, [tunable]: ended(published) });
  const made = await makeEdition(context, state, rules, content, state.edits, { ...end, reissueOf: null });
  const edit = state.edits[tunable];
  if (edit !== undefined) {
    // What is being edited of it goes on, without the trial: whoever saw it with the trial is told.
    const { state: after } = await find(context, { ...end, revision: null });
    const edits = withEdit(after.edits, content, tunable, { tuned: ended(edit.tuned), by, at: rfc3339(now) });
    await keepDraft(context, after, edits, { tunable, words: `${tunable}: its trial has ended`, by, now });
  }
  return made;
}

interface Publication {
  readonly note: string;
  readonly by: string;
  readonly now: number;
  readonly reissueOf: number | null;
}

async function makeEdition(
  context: WriterContext,
  state: TuningState,
  rules: Rules,
  content: EditionContent,
  edits: DraftEdits,
  { note: why, by, now, reissueOf }: Publication,
): Promise<Published> {
  const { environment } = state;
  checkSize(content);
  // What opened and closed until now, did so by the edition before.
  await noteEdges(context, state, rules, now);
  const number = state.edition + 1;
  const differences = tuningDifferences(state.content, content, rules.manifest).map(({ words }) => words);
  await context.db
    .insertInto('editions')
    .values({
      environment,
      number,
      content: JSON.stringify(content),
      differences: JSON.stringify(differences),
      note: why,
      at: now,
      by,
      reissue_of: reissueOf,
    })
    .execute();
  const words = `edition ${number}${reissueOf === null ? '' : ` (edition ${reissueOf} again)`}: ${why}`;
  // The revision counts edits: what was seen of the draft is what is published, or still waits.
  const row = { edits: JSON.stringify(edits), edges_until: now };
  await context.db
    .insertInto('drafts')
    .values({ environment, revision: state.revision, ...row })
    .onConflict((conflict) => conflict.column('environment').doUpdateSet(row))
    .execute();
  context.feed.tell({ what: 'tuning', state: await tuningStateOf(context.db, environment) });
  const detail = `${words} · ${differences.join('; ') || 'nothing is another'}`;
  await note(context, { environment, what: 'edition-published', by, player: null, detail: detail.slice(0, 2000), now });
  return { edition: number };
}

/** Sets who gets the draft. */
export async function setTesters(
  context: WriterContext,
  {
    environment,
    players,
    by,
    now,
  }: { readonly environment: number; readonly players: readonly string[]; readonly by: string } & Stamp,
): Promise<null> {
  await environmentOf(context, environment);
  await context.db.deleteFrom('testers').where('environment', '=', environment).execute();
  for (const player of new Set(players)) {
    await context.db.insertInto('testers').values({ environment, player }).execute();
  }
  context.feed.tell({ what: 'tuning', state: await tuningStateOf(context.db, environment) });
  const detail = players.join(', ') || 'nobody';
  await note(context, { environment, what: 'testers-set', by, player: null, detail: detail.slice(0, 2000), now });
  return null;
}

/** Writes into the activity which windows have opened and closed. @returns when the next does, over all environments */
export async function tendWindows(context: WriterContext, { now }: Stamp): Promise<number | null> {
  let next: number | null = null;
  for (const { environment } of await context.db.selectFrom('drafts').select('environment').execute()) {
    const place = await environmentOf(context, environment);
    if (place.manifest_version === null) continue;
    const { rules } = await context.manifests.newestOf(place);
    const state = await tuningStateOf(context.db, environment);
    await noteEdges(context, state, rules, now);
    for (const { at } of edgesOf(state, rules)) if (at > now && (next === null || at < next)) next = at;
  }
  return next;
}

interface Edge {
  readonly at: number;
  readonly tunable: string;
  readonly adjustment: Adjustment;
  readonly is: 'opened' | 'closed';
}

function edgesOf({ content }: TuningState, rules: Rules): readonly Edge[] {
  const { tunables } = readEdition(content, rules).rules;
  return Object.entries(tunables)
    .flatMap(([tunable, { adjustments }]) =>
      adjustments.flatMap((adjustment): Edge[] => {
        const { from, until } = adjustment.window ?? {};
        return [
          ...(from === undefined ? [] : [{ at: Date.parse(from), tunable, adjustment, is: 'opened' as const }]),
          ...(until === undefined ? [] : [{ at: Date.parse(until), tunable, adjustment, is: 'closed' as const }]),
        ];
      }),
    )
    .toSorted((one, other) => one.at - other.at);
}

async function noteEdges(context: WriterContext, state: TuningState, rules: Rules, now: number): Promise<void> {
  const due = edgesOf(state, rules).filter(({ at }) => at > state.edgesUntil && at <= now);
  if (due.length === 0) return;
  const { environment, edition, published } = state;
  for (const { at, tunable, adjustment, is } of due) {
    const detail = `${tunable}: “${nameOf(adjustment)}” ${is} at ${rfc3339(at)}: ${adjustmentInWords(adjustment)} · edition ${edition}: ${published?.note ?? ''}`;
    const what = is === 'opened' ? 'window-opened' : 'window-closed';
    await note(context, {
      environment,
      what,
      by: published?.by ?? null,
      player: null,
      detail: detail.slice(0, 2000),
      now,
    });
  }
  await context.db.updateTable('drafts').set({ edges_until: now }).where('environment', '=', environment).execute();
}
