import type { Json } from '@vekkon/core';
import { adjustmentInWords, short, type Adjustment } from '@vekkon/core/tuning';
import type { Draft, Explanation, PutDraftRequest } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { timeInWords, valueInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import {
  audienceFrom,
  measureFrom,
  trialValuesFrom,
  windowFrom,
  withAdjustmentOptions,
  type AdjustmentOptions,
} from '../tuning/adjustment-options.js';
import { tunableIn, valueFrom } from '../tuning/value-from.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';
import { addTables } from './tuning-tables.js';
import { addTrial } from './tuning-trial.js';

export function addTuning(program: Command): void {
  const tuning = program.command('tuning').description('values of the running game: draft, publication, why');
  addReading(tuning);
  addEditing(tuning);
  addPublishing(tuning);
  addTables(tuning);
  addTrial(tuning);
}

function addReading(tuning: Command): void {
  tuning
    .command('list')
    .description('the tunables: what is published, what is edited, which builds ask for them')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const draft = await signedInOperator(options.environment).tuning.draft();
      print(draft, options, () => {
        const rows = Object.entries(draft.tunables).map(([name, one]) => [
          name,
          valueInWords(one.published.value ?? one.starting, 44),
          one.published.adjustments.length === 0 ? '–' : String(one.published.adjustments.length),
          one.isEdited ? 'edited' : '–',
          one.asked[0] === undefined ? 'never' : timeInWords(one.asked[0].at),
        ]);
        if (rows.length === 0) return 'No tunable is declared: add one under "tunables" in the manifest.';
        const made = table(['TUNABLE', 'VALUE', 'ADJUSTMENTS', 'DRAFT', 'LAST ASKED FOR'], rows);
        return `${made}\n\n${faint(editionInWords(draft))}`;
      });
    });

  tuning
    .command('show <tunable>')
    .description('one tunable: its base value and its adjustments in order, published and in the draft')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (name: string, options: ShowOptions) => {
      const draft = await signedInOperator(options.environment).tuning.draft();
      const tunable = tunableIn(draft, name);
      print(tunable, options, () => tunableInWords(name, tunable));
    });

  tuning
    .command('explain [player]')
    .description('every value and why, for a player, or for what is known of somebody')
    .option('--attribute <name=value...>', 'what is known, in place of a player or on top of them: country=PT')
    .option('--at <time>', 'at which moment; now if left out')
    .option('--edition <number|draft>', 'by which edition; the running one if left out')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (player: string | undefined, options: ShowOptions & ExplainTyped) => {
      const { at, edition, attribute } = options;
      const attributes = attribute === undefined ? undefined : attributesFrom(attribute);
      const asked = { player, at: at === undefined ? undefined : timeTyped(at), edition, attributes };
      const explained = await signedInOperator(options.environment).tuning.explain(asked);
      print(explained, options, () => explanationInWords(explained));
    });

  tuning
    .command('testers [player...]')
    .description('the players who get the draft, or set them')
    .option('--none', 'nobody any more')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (players: string[], options: ShowOptions & { readonly none?: true }) => {
      const { tuning: calls } = signedInOperator(options.environment);
      if (players.length > 0 || options.none === true) await calls.setTesters(players);
      const testers = await calls.testers();
      print({ players: testers }, options, () =>
        testers.length === 0
          ? 'Nobody gets the draft.'
          : `${testers.join(', ')} ${testers.length === 1 ? 'gets' : 'get'} the draft.`,
      );
    });
}

interface ExplainTyped {
  readonly attribute?: readonly string[];
  readonly at?: string;
  readonly edition?: string;
}

function attributesFrom(typed: readonly string[]): { readonly [name: string]: string | number | boolean } {
  return Object.fromEntries(
    typed.map((text) => {
      const [name = '', value] = text.split(/=(.*)/s);
      if (value === undefined) throw new WrongCommandLine(`"${text}": write NAME=VALUE, such as country=PT.`);
      const isNumber = /^-?\d+(\.\d+)?$/.test(value);
      return [name, isNumber ? Number(value) : value === 'true' || value === 'false' ? value === 'true' : value];
    }),
  );
}

function timeTyped(text: string): string {
  const at = Date.parse(text);
  if (Number.isNaN(at)) throw new WrongCommandLine(`"${text}" is no time: write it such as 2026-11-27T18:00:00Z.`);
  return new Date(at).toISOString();
}

type Publishing = ShowOptions & { readonly publish?: true; readonly yes: boolean; readonly note?: string };

function publishingOptions(command: Command): Command {
  return command
    .option('--publish', 'publish it at once, and nothing else of the draft')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption);
}

function addEditing(tuning: Command): void {
  const set = tuning
    .command('set <tunable> <value>')
    .description('another value: for everybody from now on, or for a time and for some, where options say so');
  publishingOptions(withAdjustmentOptions(set)).action(
    async (name: string, typed: string, options: Publishing & AdjustmentOptions) => {
      await edit(name, options, (tunable) => {
        const value = valueFrom(typed, tunable.schema);
        const limits = limitsFrom(options);
        if (Object.keys(limits).length === 0) return { value, adjustments: tunable.adjustments };
        const one = { ...limits, value, note: options.note ?? 'set on the command line' };
        // Whoever sets it wants to see it: it goes before all others.
        return { ...baseOf(tunable), adjustments: [one, ...tunable.adjustments] };
      });
    },
  );

  const adjust = tuning
    .command('adjust <tunable>')
    .description('add an adjustment, change one, or take one out')
    .option('--value <value>', 'the value that it gives')
    .option('--trial <value:share...>', 'in place of a value: two to five values by share, such as 1:50 1.25:50')
    .option('--measure <key>', 'what a trial compares: score/gorge-run, currency/feather, progress/flight:/metres')
    .option('--id <id>', 'which one to change, or the id of a new one')
    .option('--remove <id>', 'take one out')
    .option('--last', 'after all others, in place of before them');
  publishingOptions(withAdjustmentOptions(adjust)).action(
    async (name: string, options: Publishing & AdjustmentOptions & AdjustTyped) => {
      await edit(name, options, (tunable) => ({ ...baseOf(tunable), adjustments: adjusted(tunable, name, options) }));
    },
  );
}

interface AdjustTyped {
  readonly value?: string;
  readonly trial?: readonly string[];
  readonly measure?: string;
  readonly id?: string;
  readonly remove?: string;
  readonly last?: true;
}

type SentAdjustment = NonNullable<PutDraftRequest['adjustments']>[number];
type Tunable = Draft['tunables'][string];

function adjusted(tunable: Tunable, name: string, options: AdjustmentOptions & AdjustTyped): SentAdjustment[] {
  const { value, trial, measure, id, remove, last } = options;
  const there = tunable.adjustments;
  const known = there.map((one) => one.id).join(', ') || 'none';
  if (remove !== undefined) {
    if (!there.some((one) => one.id === remove)) {
      throw new WrongCommandLine(`${name} has no adjustment "${remove}": there are ${known}.`);
    }
    return there.filter((one) => one.id !== remove);
  }
  const before = there.find((one) => one.id === id);
  if (before === undefined && value === undefined && trial === undefined) {
    throw new WrongCommandLine(`Say --value or --trial for a new adjustment, or --id of one that there is: ${known}.`);
  }
  const gives =
    trial !== undefined
      ? { value: undefined, values: [...trialValuesFrom(trial, tunable.schema)] }
      : value !== undefined
        ? { value: valueFrom(value, tunable.schema), values: undefined, measure: undefined }
        : {};
  const one = {
    ...before,
    ...(id !== undefined && { id }),
    ...gives,
    ...(measure !== undefined && { measure: measureFrom(measure) }),
    ...limitsFrom(options),
    ...noteOf(options),
  } as SentAdjustment;
  if (before !== undefined) return there.map((other) => (other === before ? one : other));
  return last === true ? [...there, one] : [one, ...there];
}

function limitsFrom(options: AdjustmentOptions): Pick<SentAdjustment, 'window' | 'audience' | 'percent'> {
  const window = windowFrom(options);
  const audience = audienceFrom(options.where);
  return {
    ...(window !== undefined && { window }),
    ...(audience !== undefined && { audience }),
    ...(options.percent !== undefined && { percent: options.percent }),
  };
}

function noteOf({ note }: { readonly note?: string }) {
  return note === undefined ? {} : { note };
}

function baseOf(tunable: Tunable): { readonly value?: Json } {
  return tunable.value === undefined ? {} : { value: tunable.value };
}

/** Puts one tunable into the draft, says what that changes, and publishes it where that was asked for. */
export async function edit(
  name: string,
  options: Publishing,
  make: (tunable: Tunable) => Omit<PutDraftRequest, 'revision'>,
): Promise<void> {
  const { tuning } = signedInOperator(options.environment);
  const before = await tuning.draft();
  const tuned = make(tunableIn(before, name));
  const { revision } = await tuning.put(name, { ...tuned, revision: before.revision });
  const draft = await tuning.draft();
  const differences = draft.differences.filter(({ tunable }) => tunable === name).map(({ words }) => words);
  if (options.publish !== true) {
    print({ revision, differences }, options, () =>
      differences.length === 0
        ? `${name} is as it is published: the draft holds nothing of it.`
        : `${differences.join('\n')}\n${faint(`in the draft, revision ${revision}; "vekkon tuning publish" makes it the next edition`)}`,
    );
    return;
  }
  if (differences.length === 0) {
    return print({ revision, differences }, options, () => `${name} is so already: nothing was published.`);
  }
  if (!options.json) process.stdout.write(`${differences.join('\n')}\n`);
  if (draft.tunables[name]?.isOutdated !== true && process.stdin.isTTY) {
    await confirmed('Publish it for all?', options.yes);
  }
  const note = options.note ?? differences.join('; ').slice(0, 500);
  const published = await tuning.publish({ note, revision, only: [name] });
  print({ ...published, differences }, options, () => `Edition ${published.edition} is published.`);
}

function addPublishing(tuning: Command): void {
  tuning
    .command('draft')
    .description('what is edited and not published, and by whom')
    .option('--put-back <tunable>', 'let one be as it is published')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly putBack?: string }) => {
      const { tuning: calls } = signedInOperator(options.environment);
      if (options.putBack !== undefined) {
        const { revision } = await calls.draft();
        await calls.putBack(options.putBack, revision);
      }
      const draft = await calls.draft();
      print(draft, options, () => draftInWords(draft));
    });

  tuning
    .command('publish')
    .description('make the draft the next edition, after saying what that changes')
    .option('--note <text>', 'why, for the activity')
    .option('--only <tunable...>', 'these, and let the rest wait')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { note?: string; only?: string[]; yes: boolean }) => {
      const { tuning: calls } = signedInOperator(options.environment);
      const draft = await calls.draft();
      const { only } = options;
      for (const name of only ?? []) tunableIn(draft, name);
      const changes = draft.differences.filter(({ tunable }) => only === undefined || only.includes(tunable));
      if (changes.length > 0 && options.note === undefined) {
        throw new WrongCommandLine('Say why with --note: it stands in the activity and in the list of editions.');
      }
      if (changes.length > 0 && !options.json)
        process.stdout.write(`${changes.map(({ words }) => words).join('\n')}\n\n`);
      if (changes.length > 0) await confirmed(`This holds at once for all players. Publish it?`, options.yes);
      const note = options.note ?? '–';
      const published = await calls.publish({ note, revision: draft.revision, ...(only !== undefined && { only }) });
      print(published, options, () => `Edition ${published.edition} is published.`);
    });

  tuning
    .command('editions')
    .description('what was published, the newest first')
    .option('--count <n>', 'how many, up to 200', wholeNumber(1, 200), 20)
    .option('--before <number>', 'only those before this one', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly count: number; readonly before?: number }) => {
      const { count, before } = options;
      const which = { count, ...(before !== undefined && { before }) };
      const list = await signedInOperator(options.environment).tuning.editions(which);
      print(list, options, () => {
        if (list.editions.length === 0) return 'Nothing was published yet: all is as the manifest says.';
        const rows = list.editions.map(({ edition, at, by, note, reissueOf, differences }) => [
          String(edition),
          timeInWords(at),
          by,
          `${note}${reissueOf === null ? '' : ` (edition ${reissueOf} again)`}\n${faint(differences.join('\n') || 'nothing is another')}`,
        ]);
        const next = list.next === null ? '' : `\n\n${faint(`go on with --before ${list.next}`)}`;
        return `${table(['EDITION', 'AT', 'BY', 'NOTE AND CHANGES'], rows)}${next}`;
      });
    });

  tuning
    .command('reissue <edition>')
    .description('publish an earlier edition again, as the next one; 0 is what the manifest says')
    .option('--note <text>', 'why, for the activity')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (typed: string, options: ShowOptions & { note?: string; yes: boolean }) => {
      const edition = wholeNumber(0, Number.MAX_SAFE_INTEGER)(typed);
      const { tuning: calls } = signedInOperator(options.environment);
      if (edition > 0) await calls.edition(edition);
      const { edition: running, revision } = await calls.draft();
      await confirmed(
        `Edition ${edition} will take the place of edition ${running} for all players. Publish it?`,
        options.yes,
      );
      const published = await calls.reissue(edition, { revision, ...noteOf(options) });
      print(published, options, () => `Edition ${published.edition} is published: edition ${edition} again.`);
    });
}

function editionInWords({ edition, published, differences }: Draft): string {
  const running =
    published === null
      ? 'nothing was published yet: all is as the manifest says'
      : `edition ${edition}, published ${timeInWords(published.at)} by ${published.by}: ${published.note}`;
  return differences.length === 0
    ? running
    : `${running}\nthe draft changes ${differences.length}: see "vekkon tuning draft"`;
}

function tunableInWords(name: string, one: Tunable): string {
  const lines = [bold(name), ...(one.about === null ? [] : [one.about])];
  lines.push(
    `published  ${short(one.published.value ?? one.starting)}${one.published.value === undefined ? faint('  (the manifest’s)') : ''}`,
  );
  for (const adjustment of one.published.adjustments) lines.push(`  ${lineOf(adjustment as Adjustment)}`);
  if (one.isEdited) {
    lines.push(
      `draft      ${short(one.value ?? one.starting)}  ${faint(`by ${one.editedBy}, ${timeInWords(one.editedAt)}`)}`,
    );
    for (const adjustment of one.adjustments) lines.push(`  ${lineOf(adjustment as Adjustment)}`);
  }
  for (const misfit of one.misfits) lines.push(`does not fit the manifest, and counts no more: ${misfit}`);
  if (one.isOutdated) lines.push('Something else was published since it was edited: look again before you publish.');
  const asked = one.asked.map(
    ({ build, at }) => `${build === '' ? 'a build that says no version' : build} (${timeInWords(at)})`,
  );
  lines.push(faint(asked.length === 0 ? 'no build has asked for it yet' : `asked for by ${asked.join(', ')}`));
  return lines.join('\n');
}

function lineOf(adjustment: Adjustment): string {
  const called = adjustment.note === undefined ? adjustment.id : `“${adjustment.note}” (${adjustment.id})`;
  return `${called}: ${adjustmentInWords(adjustment)}`;
}

function draftInWords(draft: Draft): string {
  const { differences, undeclared } = draft;
  const lines = differences.map(({ words }) => words);
  for (const [name, one] of Object.entries(draft.tunables)) {
    if (one.isOutdated) lines.push(`${name}: something else was published since it was edited`);
  }
  for (const name of undeclared) lines.push(`${name} is not declared any more, and counts no more`);
  if (lines.length === 0) return `Nothing is edited. ${editionInWords(draft)}`;
  const [last] = draft.changes;
  const by = last === undefined ? '' : `, last changed ${timeInWords(last.at)} by ${last.by}`;
  return `${lines.join('\n')}\n\n${faint(`revision ${draft.revision}${by}`)}`;
}

function explanationInWords(explained: Explanation): string {
  const { player, attributes, edition, isDraft, at, nextChangeAt } = explained;
  const known = Object.entries(attributes).map(([name, value]) => `${name} ${String(value)}`);
  const who = player ?? 'nobody in particular';
  const by = isDraft ? `the draft over edition ${edition}` : `edition ${edition}`;
  const rows = Object.entries(explained.tunables).map(([name, { value, why }]) => [
    name,
    valueInWords(value, 32),
    wrapped(why),
  ]);
  const next =
    nextChangeAt === null ? 'nothing changes by itself' : `something changes by itself at ${timeInWords(nextChangeAt)}`;
  return `${bold(who)}${known.length === 0 ? '' : ` (${known.join(', ')})`}, by ${by}, at ${timeInWords(at)}\n\n${table(['TUNABLE', 'VALUE', 'WHY'], rows)}\n\n${faint(next)}`;
}

function wrapped(why: string): string {
  return why.replaceAll('; not ', ';\nnot ');
}
