import { existsSync } from 'node:fs';
import type { Transaction } from '@vekkon/core';
import type { Command } from 'commander';
import { exitStatus, WrongCommandLine } from '../exit-status.js';
import { print } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { changeInWords, timeInWords } from '../output/words.js';
import { jsonOption } from './options.js';

interface SpoolShowOptions {
  readonly key?: readonly string[];
  readonly json?: boolean;
}

/** One line of what lies in a spool. */
interface Spooled {
  readonly host: string;
  readonly player: string | null;
  readonly session: string;
  /** The number of the save; null for what has none yet. */
  readonly save: number | null;
  readonly transactions: readonly Transaction[];
  /** Why the service will never take it, and since when that is known; null for what is still to be delivered. */
  readonly setAside: { readonly reason: string; readonly at: string } | null;
}

/** A spool that could not be read. */
interface Unreadable {
  readonly host: string;
  readonly file: string;
  readonly why: string;
}

export function addSpool(program: Command): void {
  const spool = program
    .command('spool')
    .description('what hosts keep on their machines because it could not be delivered');
  spool
    .command('show <folder>')
    .description("show what waits in a host's spool folder, and what the service refused; changes nothing")
    .option('--key <host key...>', 'the host key that seals it, and earlier ones; or VEKKON_HOST_KEY')
    .option(...jsonOption)
    .action(show);
}

async function show(folder: string, options: SpoolShowOptions): Promise<void> {
  const { VEKKON_HOST_KEY } = process.env;
  const keys = options.key ?? (VEKKON_HOST_KEY === undefined ? [] : [VEKKON_HOST_KEY]);
  if (keys.length === 0)
    throw new WrongCommandLine('Give the host key that seals it: --key vkh_…, or in VEKKON_HOST_KEY.');
  if (!existsSync(folder))
    throw new WrongCommandLine(`There is no folder ${folder}: name the one that the host was given as "spool".`);
  const { lookInSpool, spoolsIn } = await import('@vekkon/client/host');
  const spooled: Spooled[] = [];
  const unreadable: Unreadable[] = [];
  for (const { host, file } of spoolsIn(folder)) {
    const found = lookInSpool(file, keys);
    if ('why' in found) {
      unreadable.push({ host, file, why: found.why });
      continue;
    }
    for (const { session, player = null, saves, done } of found.undelivered) {
      const of = { host, player, session, setAside: null };
      spooled.push(...saves.map(({ number, transactions }) => ({ ...of, save: number, transactions })));
      if (done.length > 0) spooled.push({ ...of, save: null, transactions: done });
    }
    for (const { session, player = null, number, transactions, reason, at } of found.aside) {
      spooled.push({ host, player, session, save: number, transactions, setAside: { reason, at } });
    }
  }
  print({ spooled, unreadable }, options.json === undefined ? {} : { json: options.json }, () =>
    inWords(folder, spooled, unreadable),
  );
  if (unreadable.length > 0) process.exitCode = exitStatus.refused;
}

function inWords(folder: string, spooled: readonly Spooled[], unreadable: readonly Unreadable[]): string {
  const waiting = spooled.filter(({ setAside }) => setAside === null);
  const aside = spooled.filter(({ setAside }) => setAside !== null);
  const parts: string[] = [];
  if (waiting.length > 0) {
    const rows = waiting.map((one) => [one.host, one.player ?? one.session, saveOf(one), changesOf(one)]);
    parts.push(
      `${bold('To be delivered')} at the next start of the host, before its first join:\n\n${table(['HOST', 'PLAYER', 'SAVE', 'CHANGES'], rows)}`,
    );
  }
  if (aside.length > 0) {
    const lines = aside.map(
      (one) =>
        `${one.host}  ${one.player ?? one.session}  save ${saveOf(one)}  ${timeInWords(one.setAside?.at ?? null)}  ${changesOf(one)}\n    ${faint('why:')} ${one.setAside?.reason ?? ''}`,
    );
    parts.push(
      `${bold('Set aside')}, since the service will never take it as it is. Look at what it should have been, and give it to the player in another way:\n\n${lines.join('\n')}`,
    );
  }
  for (const { file, why } of unreadable) parts.push(`${file} can't be read: ${why}.`);
  return parts.length === 0 ? `Nothing waits in ${folder}: everything was delivered.` : parts.join('\n\n');
}

function saveOf({ save }: Spooled): string {
  return save === null ? 'none yet' : String(save);
}

function changesOf({ transactions }: Spooled): string {
  const shown = transactions.flatMap(({ label, changes }) => {
    const inWord = changes.map((change) => changeInWords(change)).join(', ');
    return label === undefined ? inWord : `${label} (${inWord})`;
  });
  const more = shown.length > 3 ? `, and ${shown.length - 3} more` : '';
  return shown.length === 0 ? 'none: the player leaves' : `${shown.slice(0, 3).join('; ')}${more}`;
}
