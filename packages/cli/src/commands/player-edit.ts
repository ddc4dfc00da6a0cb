import { spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import {
  differenceInWords,
  mendingChanges,
  valueDifferences,
  type Change,
  type Json,
  type StoredRecord,
} from '@vekkon/core';
import type { PlayerDetails } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

interface EditOptions extends ShowOptions {
  readonly set?: readonly string[];
  readonly reason: string;
  readonly yes: boolean;
}

/** A player's records, changed by hand. */
export function addEdit(player: Command): void {
  player
    .command('edit <id>')
    .description("change a player's records by hand: in your editor, as YAML, or with --set")
    .option('--set <key=value...>', 'what a record shall hold, its value as JSON: progress/climbs=17')
    .option('--reason <text>', 'what the ledger says of balances that move', 'changed by hand')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: EditOptions) => {
      const operator = signedInOperator(options.environment);
      const details = await operator.player(id);
      const wanted =
        options.set === undefined ? await edited(id, details) : new Map(options.set.map((one) => settingOf(one)));
      const { changes, lines } = changesTo(details.records, wanted, options.reason);
      if (changes.length === 0)
        return print({ changed: [] }, options, () => 'Nothing is different: nothing was changed.');
      process.stderr.write(`${lines.join('\n')}\n`);
      const where =
        details.sessionOn === null ? '' : ` They are in a session on "${details.sessionOn}", which is told at once.`;
      await confirmed(`${id} is changed like this, all of it or nothing.${where} Send it?`, options.yes);
      const label = options.reason.slice(0, 200);
      const answer = await operator.change(id, randomUUID(), [{ label, changes }]);
      const [outcome] = answer.transactions;
      if (outcome !== undefined && !outcome.applied) {
        throw new Error(`Nothing was changed: ${outcome.problem.detail} (${outcome.problem.code})`);
      }
      const changed = [...wanted.keys()].filter((key) => answer.records[key] !== undefined);
      print({ changed, seen: answer.seen }, options, () => `Changed: ${changed.join(', ')}.`);
    });
}

/** What was written after --set: a key, and its value as JSON; a word that is no JSON stands for itself. */
function settingOf(text: string): readonly [key: string, value: Json | undefined] {
  const at = text.indexOf('=');
  if (at <= 0) throw new WrongCommandLine(`Write what a record shall hold as KEY=VALUE, not "${text}".`);
  const value = text.slice(at + 1);
  try {
    return [text.slice(0, at), JSON.parse(value) as Json];
  } catch {
    return [text.slice(0, at), value];
  }
}

function changesTo(records: PlayerDetails['records'], wanted: ReadonlyMap<string, Json | undefined>, reason: string) {
  const changes: Change[] = [];
  const lines: string[] = [];
  for (const [key, value] of wanted) {
    const held = records[key] as StoredRecord | undefined;
    const mending = mendingChanges(key, held, value, reason);
    if ('problem' in mending) throw new WrongCommandLine(mending.problem.detail);
    if (mending.length === 0) continue;
    changes.push(...mending);
    const words = valueDifferences(held?.value, value).map((one) => `  ${differenceInWords(one)}`);
    lines.push(bold(key), ...words);
  }
  return { changes, lines };
}

/** Opens the records in an editor. @returns what they shall hold */
async function edited(id: string, { records }: PlayerDetails): Promise<Map<string, Json | undefined>> {
  const editor = process.env['VISUAL'] ?? process.env['EDITOR'];
  if (editor === undefined) {
    throw new WrongCommandLine('No editor is known: name one in EDITOR, or say what to change with --set.');
  }
  const { parseDocument, stringify } = await import('yaml');
  const shown = Object.fromEntries(
    Object.entries(records)
      .filter(([key]) => !key.startsWith('score/'))
      .map(([key, { value }]) => [key, value]),
  );
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-edit-'));
  const file = path.join(folder, 'records.yaml');
  try {
    const head = `# What ${id} has. Change what must change, save, and close the editor: the difference is shown, and then sent.\n# A line that is taken out removes its record. Scores are made by results, and are not here.\n`;
    writeFileSync(file, head + stringify(shown), { mode: 0o600 });
    const { status } = spawnSync(`${editor} "${file}"`, { stdio: 'inherit', shell: true });
    if (status !== 0) throw new WrongCommandLine('The editor ended with a mistake: nothing was changed.');
    const document = parseDocument(readFileSync(file, 'utf8'));
    const [mistake] = document.errors;
    if (mistake !== undefined) {
      const line = mistake.linePos?.[0].line;
      throw new WrongCommandLine(`Line ${line ?? '?'} can't be read as YAML: nothing was changed.`);
    }
    const written = (document.toJS() ?? {}) as { readonly [key: string]: Json };
    const keys = new Set([...Object.keys(shown), ...Object.keys(written)]);
    return new Map([...keys].map((key) => [key, Object.hasOwn(written, key) ? written[key] : undefined]));
  } finally {
    rmSync(folder, { recursive: true });
  }
}
