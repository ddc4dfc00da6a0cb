import type { LedgerPage, PlayerDetails, SessionList } from '@vekkon/protocol';
import type { Command } from 'commander';
import { NotThere } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { recordInWords, timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';
import { addCheckpoints, addDevices, addMakeCheckpoint } from './player-copies.js';
import { addCopy } from './player-copy.js';
import { addErase } from './player-erase.js';
import { addEdit } from './player-edit.js';
import { addFind, listInWords } from './player-find.js';
import { addHistory } from './player-history.js';

interface ListOptions extends ShowOptions {
  readonly search?: string;
  readonly inSession?: true;
  readonly unsettled?: true;
  readonly joinedSince?: string;
  readonly count: number;
}

export function addPlayer(program: Command): void {
  const player = program.command('player').description('look at players and what is stored for them');

  player
    .command('list')
    .description('players, those who joined last first')
    .option('--search <text>', 'a part of the id or of the name')
    .option('--in-session', 'only those who are in a session now')
    .option('--unsettled', 'only those who have unsettled transactions')
    .option('--joined-since <time>', 'only those who joined last since a time, such as 1h', timeFrom)
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 20)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ListOptions) => {
      const { search, count, inSession, unsettled, joinedSince } = options;
      const list = await signedInOperator(options.environment).players({
        ...(search !== undefined && { search }),
        ...(inSession === true && { inSession: 'true' }),
        ...(unsettled === true && { hasUnsettled: 'true' }),
        joinedSince,
        count,
      });
      print(list, options, () => listInWords(list, undefined));
    });

  addFind(player);

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

  player
    .command('ledger <id>')
    .description("every movement of a player's currencies, the newest first")
    .option('--currency <name>', 'of one currency only')
    .option('--count <number>', 'how many, at most 500', wholeNumber(1, 500), 30)
    .option(
      '--before <number>',
      'go on with what came before a line, by its number',
      wholeNumber(1, Number.MAX_SAFE_INTEGER),
    )
    .option(...environmentOption)
    .option(...jsonOption)
    .action(
      async (
        id: string,
        options: ShowOptions & { readonly currency?: string; readonly count: number; readonly before?: number },
      ) => {
        const { currency, count, before } = options;
        const page = await signedInOperator(options.environment).ledger(id, {
          currency,
          count,
          ...(before !== undefined && { before }),
        });
        print(page, options, () => ledgerInWords(page));
      },
    );

  player
    .command('trash <id>')
    .description('what was removed from a player, and until when it can be brought back')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions) => {
      const { trash } = await signedInOperator(options.environment).trash(id);
      const rows = trash.map((one) => [
        String(one.number),
        one.key,
        recordInWords(one.key, one.value, 50),
        one.why,
        timeInWords(one.at),
        timeInWords(one.until),
      ]);
      print(trash, options, () =>
        rows.length === 0
          ? 'Nothing is in the trash.'
          : table(['NUMBER', 'RECORD', 'HELD', 'WHY', 'REMOVED', 'KEPT UNTIL'], rows),
      );
    });

  player
    .command('bring-back <id>')
    .argument('<number>', 'its number in the trash', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .description('bring back what was removed, by its number in the trash')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, trashed: number, options: ShowOptions & { readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const key = (await operator.trash(id)).trash.find((one) => one.number === trashed)?.key;
      if (key === undefined) {
        throw new NotThere(
          `Nothing with the number ${trashed} is in the trash of ${id}: see "vekkon player trash ${id}".`,
        );
      }
      await confirmed(`What ${id} has under ${key} now goes to the trash in its place. Bring it back?`, options.yes);
      const done = await operator.bringBack(id, trashed);
      print(done, options, () => `${done.broughtBack} is back.`);
    });

  addHistory(player);
  addEdit(player);
  addCheckpoints(player);
  addMakeCheckpoint(player);
  addCopy(player);
  addErase(player);
  addDevices(player);

  player
    .command('make-new <id>')
    .description('make a player new again: their next join is their first')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string, options: ShowOptions & { readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const { records } = await operator.player(id);
      const held = Object.keys(records).length;
      await confirmed(
        `${id} loses ${held} records: they go to the trash, and a checkpoint keeps a copy. Make the player new?`,
        options.yes,
      );
      const made = await operator.makeNew(id);
      print(made, options, () =>
        [
          `${id} is new: the next join is their first, with starting values.`,
          `${made.records} records lie in the trash, and in the checkpoint "${made.checkpoint}".`,
        ].join('\n'),
      );
    });
}

function playerInWords(details: PlayerDetails, sessions: SessionList['sessions']): string {
  const title = bold(details.name === null ? details.id : `${details.name}  ${details.id}`);
  const state =
    details.sessionOn === null ? `last left ${timeInWords(details.lastLeftAt)}` : `in session on ${details.sessionOn}`;
  const records = Object.entries(details.records).map(([key, record]) => [
    key,
    String(record.revision),
    record.misfit === true
      ? `${recordInWords(key, record.value)}  (misfit: what is stored does not fit)`
      : recordInWords(key, record.value),
  ]);
  const stays = sessions.map((one) => [
    timeInWords(one.joinedAt),
    timeInWords(one.endedAt),
    one.host,
    String(one.saves),
    one.end ?? 'open',
    one.changedAfter === null ? '–' : one.changedAfter === 0 ? 'the same' : `changed ${one.changedAfter}×`,
  ]);
  return [
    title,
    faint(`first seen ${timeInWords(details.createdAt)}, ${state}`),
    '',
    table(['RECORD', 'REVISION', 'VALUE'], records),
    '',
    table(['JOINED', 'ENDED', 'HOST', 'SAVES', 'END', 'NEXT JOIN FOUND'], stays),
  ].join('\n');
}

function ledgerInWords({ lines, next }: LedgerPage): string {
  if (lines.length === 0) return 'Nothing has moved.';
  const rows = lines.map((one) => [
    timeInWords(one.at),
    one.key.slice('currency/'.length),
    one.amount > 0 ? `+${one.amount}` : String(one.amount),
    String(one.balance),
    one.count > 1 ? `${one.reason} (${one.count}×)` : one.reason,
    one.by ?? '–',
    one.label ?? '–',
  ]);
  const more = next === null ? '' : faint(`\n\nEarlier ones: --before ${next}`);
  return `${table(['WHEN', 'CURRENCY', 'MOVED', 'BALANCE', 'REASON', 'BY', 'LABEL'], rows)}${more}`;
}
