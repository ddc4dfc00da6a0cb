import type { Json, StoredRecord } from '@vekkon/core';
import type { PlayerDetails, PlayerList, SessionList } from '@vekkon/protocol';
import type { Command } from 'commander';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { timeInWords, valueInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';
import { countOf } from './running.js';

export function addPlayer(program: Command): void {
  const player = program.command('player').description('look at players and what is stored for them');

  player
    .command('list')
    .description('players, those who joined last first')
    .option('--search <text>', 'a part of the id or of the name')
    .option('--count <number>', 'how many, at most 200', countOf, 20)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly search?: string; readonly count: number }) => {
      const { search, count } = options;
      const list = await signedInOperator(options.environment).players({
        ...(search !== undefined && { search }),
        count,
      });
      print(list, options, () => listInWords(list));
    });

  player
    .command('show <id>')
    .description("a player's records and newest sessions")
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions) => {
      const operator = signedInOperator(options.environment);
      const [details, { sessions }] = await Promise.all([operator.player(id), operator.sessionsOf(id, 5)]);
      print({ ...details, sessions }, options, () => playerInWords(details, sessions));
    });
}

function listInWords({ players, total }: PlayerList): string {
  if (players.length === 0) return 'No player matches.';
  const rows = players.map((one) => [
    one.id,
    one.name ?? '–',
    one.sessionOn ?? '–',
    timeInWords(one.lastJoinedAt),
    timeInWords(one.createdAt),
  ]);
  const shown = faint(`${players.length} of ${total} players`);
  return `${table(['PLAYER', 'NAME', 'IN SESSION ON', 'LAST JOINED', 'FIRST SEEN'], rows)}\n\n${shown}`;
}

function playerInWords(details: PlayerDetails, sessions: SessionList['sessions']): string {
  const title = bold(details.name === null ? details.id : `${details.name}  ${details.id}`);
  const state =
    details.sessionOn === null ? `last left ${timeInWords(details.lastLeftAt)}` : `in session on ${details.sessionOn}`;
  const records = Object.entries(details.records).map(([key, record]) => [
    key,
    String(record.revision),
    recordInWords(key, record),
  ]);
  const stays = sessions.map((one) => [
    timeInWords(one.joinedAt),
    timeInWords(one.endedAt),
    one.host,
    String(one.saves),
    one.end ?? 'open',
  ]);
  return [
    title,
    faint(`first seen ${timeInWords(details.createdAt)}, ${state}`),
    '',
    table(['RECORD', 'REVISION', 'VALUE'], records),
    '',
    table(['JOINED', 'ENDED', 'HOST', 'SAVES', 'END'], stays),
  ].join('\n');
}

/** A score that nobody has set is told apart from 0. */
function recordInWords(key: string, { value }: StoredRecord): string {
  if (!key.startsWith('score/')) return valueInWords(value);
  const score = value as { readonly [name: string]: Json };
  if (score['count'] === 0) return 'no result yet';
  return `best ${score['best']}, latest ${score['latest']}, sum ${score['sum']} of ${score['count']}`;
}
