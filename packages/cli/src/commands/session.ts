import type { HostSessionList, SessionDetails, SessionList, SessionSaves } from '@vekkon/protocol';
import { valueDifferences, differenceInWords, type Json } from '@vekkon/core';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { recordInWords, timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

interface ListOptions extends ShowOptions {
  readonly player?: string;
  readonly host?: string;
  readonly count: number;
}

/** Stays of players on hosts. */
export function addSession(program: Command): void {
  const session = program.command('session').description("players' stays on hosts");

  session
    .command('list')
    .description('the newest sessions of a player or of a host')
    .option('--player <id>', 'of a player')
    .option('--host <name>', 'of a host')
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 20)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ListOptions) => {
      const { player, host, count } = options;
      const operator = signedInOperator(options.environment);
      if ((player === undefined) === (host === undefined)) {
        throw new WrongCommandLine(
          'Say whose: --player or --host. "vekkon player list --in-session" shows who is in a session now.',
        );
      }
      if (player !== undefined) {
        const list = await operator.sessionsOf(player, count);
        return print(list.sessions, options, () => ofPlayer(list));
      }
      const list = await operator.sessionsOfHost(host ?? '', count);
      print(list.sessions, options, () => ofHost(list));
    });

  session
    .command('show <id>')
    .description('a session: what was loaded at join, and what its stay made of it')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions) => {
      const operator = signedInOperator(options.environment);
      const [one, saves] = await Promise.all([operator.session(id), operator.savesOf(id, { count: savesShown })]);
      print({ ...one, ...saves }, options, () => `${sessionInWords(one)}\n\n${savesInWords(saves)}`);
    });
}

const savesShown = 30;

function savesInWords({ saves, troubles, next }: SessionSaves): string {
  const rows = [
    ...saves.map((one) => ({ at: one.at, what: 'save', size: `${one.bytes} B`, words: changesInWords(one) })),
    ...troubles.map(({ at, what, detail }) => ({ at, what, size: '', words: detail })),
  ].toSorted((one, other) => (one.at < other.at ? 1 : -1));
  if (rows.length === 0) return faint('No save has changed anything.');
  const shown = rows.map(({ at, what, size, words }) => [timeInWords(at), what, size, words]);
  const more = next === null ? '' : faint(`\n\n${savesShown} saves are shown: there are earlier ones.`);
  return `${table(['WHEN', 'WHAT', 'SIZE', 'CHANGED'], shown)}${more}`;
}

/** What one save did: movements with their reasons, then what else is different. */
function changesInWords({ moved, records }: SessionSaves['saves'][number]): string {
  const others = records
    .filter(({ key }) => moved.length === 0 || !key.startsWith('currency/'))
    .map(({ key, words }) => `${key} ${words === null ? 'changed' : words.join(', ')}`);
  return short([...moved, ...others].join('; '));
}

function short(text: string): string {
  return text.length <= 160 ? text : `${text.slice(0, 159)}…`;
}

function ofPlayer({ sessions }: SessionList): string {
  if (sessions.length === 0) return 'The player never joined.';
  const rows = sessions.map((one) => [
    one.id,
    one.host,
    timeInWords(one.joinedAt),
    timeInWords(one.endedAt),
    String(one.saves),
    one.end ?? 'open',
    one.changedAfter === null ? '–' : one.changedAfter === 0 ? 'carried over' : `changed ${one.changedAfter}×`,
  ]);
  return table(['SESSION', 'HOST', 'JOINED', 'ENDED', 'SAVES', 'END', 'NEXT JOIN'], rows);
}

function ofHost({ sessions }: HostSessionList): string {
  if (sessions.length === 0) return 'Nobody was joined to this host.';
  const rows = sessions.map((one) => [
    one.id,
    one.player,
    timeInWords(one.joinedAt),
    timeInWords(one.endedAt),
    String(one.saves),
    one.end ?? (one.isLeaseOver ? 'open, its lease is over' : 'open'),
  ]);
  return table(['SESSION', 'PLAYER', 'JOINED', 'ENDED', 'SAVES', 'END'], rows);
}

function sessionInWords(one: SessionDetails): string {
  const state = one.endedAt === null ? 'open' : `ended ${timeInWords(one.endedAt)} (${one.end})`;
  const keys = [...new Set([...Object.keys(one.loaded), ...Object.keys(one.stored)])].sort();
  const valueOf = (records: SessionDetails['loaded'], key: string): Json | undefined => {
    const record = records[key];
    return record === undefined || record.removed === true ? undefined : record.value;
  };
  const rows = keys.map((key) => {
    const [was, is] = [valueOf(one.loaded, key), valueOf(one.stored, key)];
    const changed = valueDifferences(was, is).map(differenceInWords).slice(0, 5).join(', ');
    return [key, was === undefined ? '–' : recordInWords(key, was, 50), changed === '' ? 'as it was' : changed];
  });
  return [
    bold(`${one.id}  on ${one.host}`),
    faint(`joined ${timeInWords(one.joinedAt)}, ${one.saves} saves, ${state}`),
    '',
    table(['RECORD', 'LOADED AT JOIN', 'CHANGED SINCE'], rows),
  ].join('\n');
}
