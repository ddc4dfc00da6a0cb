import type { AsOfResponse, HistoryPage } from '@vekkon/protocol';
import { existsSync } from 'node:fs';
import type { Command } from 'commander';
import { NotThere, WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { writeText } from '../text-of.js';
import { environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';

interface HistoryOptions extends ShowOptions {
  readonly count: number;
  readonly before?: number;
}

interface RestoreOptions extends ShowOptions {
  readonly yes: boolean;
  readonly record?: string;
  readonly revision?: number;
  readonly asOf?: string;
  readonly only?: readonly string[];
}

/** What a player's records held before: listed, looked at, and brought back. */
export function addHistory(player: Command): void {
  player
    .command('history <id> [key]')
    .description("what a player's records held before, the newest first, with what each revision changed")
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 30)
    .option('--before <number>', 'go on where the page before ended', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, key: string | undefined, options: HistoryOptions) => {
      const { count, before } = options;
      const page = await signedInOperator(options.environment).history.page(id, { key, count, before });
      print(page, options, () => historyInWords(page));
    });

  player
    .command('as-of <id> <time>')
    .description('what a player had at a moment, such as 2026-11-23T14:05:00Z or "2h ago", and what is different now')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, time: string, options: ShowOptions) => {
      const then = await signedInOperator(options.environment).history.asOf(id, timeFrom(time));
      print(then, options, () => asOfInWords(id, then));
    });

  player
    .command('export <id> [file]')
    .description('everything that is kept of a player, as one JSON document; to the screen if no file is named')
    .option('--yes', 'overwrite the file without asking', false)
    .option(...environmentOption)
    .action(async (id: string, file: string | undefined, options: ShowOptions & { readonly yes: boolean }) => {
      const document = await signedInOperator(options.environment).history.export(id);
      const text = `${JSON.stringify(document, null, 2)}\n`;
      if (file === undefined) return void process.stdout.write(text);
      if (existsSync(file)) await confirmed(`${file} is there already. Overwrite it?`, options.yes);
      writeText(file, text);
      process.stdout.write(
        `${file} has everything of ${id}: ${document.records.length} records, ${document.history.length} revisions, ${document.ledger.length} lines of the ledger.\n`,
      );
    });

  player
    .command('restore <id>')
    .argument('[checkpoint]', 'the number of a checkpoint', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .description('bring back what a checkpoint holds, what one revision held, or everything as it was at a moment')
    .option('--record <key>', 'one record, with --revision')
    .option(
      '--revision <number>',
      'the revision to bring back, as "player history" shows it',
      wholeNumber(1, Number.MAX_SAFE_INTEGER),
    )
    .option('--as-of <time>', 'everything as it was at a moment, such as 2026-11-23T14:05:00Z or "2h ago"', timeFrom)
    .option('--only <keys...>', 'with --as-of: only these records')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action((id: string, checkpoint: number | undefined, options: RestoreOptions) => {
      const { record, revision, asOf } = options;
      const ways = [checkpoint, record ?? revision, asOf].filter((one) => one !== undefined);
      if (ways.length !== 1 || (record === undefined) !== (revision === undefined)) {
        throw new WrongCommandLine(
          'Say one of three: the number of a checkpoint, --record with --revision, or --as-of with a time.',
        );
      }
      if (checkpoint !== undefined) return restoreCheckpoint(id, checkpoint, options);
      if (record !== undefined && revision !== undefined) return restoreRevision(id, record, revision, options);
      return restoreAsOf(id, asOf ?? '', options);
    });
}

async function restoreCheckpoint(id: string, checkpoint: number, options: RestoreOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  const found = (await operator.checkpoints(id)).checkpoints.find((one) => one.number === checkpoint);
  if (found === undefined) {
    throw new NotThere(`${id} has no checkpoint ${checkpoint}: see "vekkon player checkpoints ${id}".`);
  }
  const what = `"${found.name}" (${found.records.length} records)`;
  const { differences } = await operator.checkpointDifference(id, checkpoint);
  for (const { key, words } of differences) process.stderr.write(`${key}\n  ${words.join('\n  ')}\n`);
  await confirmed(
    `${id} gets back what the checkpoint ${what} holds; what is there now goes to the trash, and gifts since are kept. Restore it?`,
    options.yes,
  );
  const done = await operator.restoreCheckpoint(id, checkpoint);
  print(done, options, () =>
    done.restored.length === 0
      ? 'Everything was as the checkpoint holds it.'
      : `Restored: ${done.restored.join(', ')}.`,
  );
}

async function restoreRevision(id: string, key: string, revision: number, options: RestoreOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  const [{ revisions }, { records }] = await Promise.all([
    operator.history.page(id, { key, count: 1 }),
    operator.player(id),
  ]);
  const ifRevision = records[key]?.revision ?? revisions[0]?.revision ?? 0;
  const { value, removed } = await operator.history.revision(id, key, revision);
  if (!removed) process.stderr.write(`${key}, revision ${revision}: ${JSON.stringify(value)}\n`);
  await confirmed(
    `${key} of ${id} holds that again; revision ${ifRevision} goes to the trash. Restore it?`,
    options.yes,
  );
  const done = await operator.history.restore(id, { key, revision, ifRevision });
  print(done, options, () => `Restored: ${done.key} is at revision ${done.revision}.`);
}

async function restoreAsOf(id: string, at: string, options: RestoreOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  const then = await operator.history.asOf(id, at);
  const chosen = then.differences.filter(({ key }) => options.only === undefined || options.only.includes(key));
  if (chosen.length === 0) {
    const done = { restored: [] };
    return print(done, options, () => `${id} has what they had ${timeInWords(at)}.`);
  }
  process.stderr.write(`${differencesInWords(chosen)}\n`);
  await confirmed(
    `${id} gets back what they had ${timeInWords(at)}; what is there now goes to the trash. Restore it?`,
    options.yes,
  );
  const keys = options.only === undefined ? undefined : chosen.map(({ key }) => key);
  const done = await operator.history.restoreAsOf(id, { at, ifSeen: then.seen, keys });
  print(done, options, () => `Restored: ${done.restored.join(', ')}.`);
}

function historyInWords({ revisions, next }: HistoryPage): string {
  if (revisions.length === 0) return 'No revision is kept.';
  const rows = revisions.map((one) => [
    timeInWords(one.at),
    one.key,
    String(one.revision),
    one.by ?? '–',
    one.label ?? '–',
    changeOf(one),
  ]);
  const shown = table(['WHEN', 'RECORD', 'REVISION', 'BY', 'LABEL', 'CHANGED'], rows);
  return next === null ? shown : `${shown}\n\nThere are more: add --before ${next}.`;
}

/** What a revision changed, on one line. */
function changeOf({ words, more, removed }: HistoryPage['revisions'][number]): string {
  if (removed) return 'removed';
  if (words === null) return '(what came before it is kept no more)';
  const [first = 'nothing', ...others] = words;
  const line = first.length <= 60 ? first : `${first.slice(0, 59)}…`;
  const rest = others.length + more;
  return rest === 0 ? line : `${line} and ${rest} more`;
}

function asOfInWords(id: string, { at, differences }: AsOfResponse): string {
  if (differences.length === 0) return `${id} has what they had ${timeInWords(at)}.`;
  return `${bold(`From now to ${timeInWords(at)}`)}\n\n${differencesInWords(differences)}\n\nTo bring it back: vekkon player restore ${id} --as-of ${at}`;
}

function differencesInWords(differences: AsOfResponse['differences']): string {
  return differences.map(({ key, words }) => `${bold(key)}\n${words.map((one) => `  ${one}`).join('\n')}`).join('\n');
}
