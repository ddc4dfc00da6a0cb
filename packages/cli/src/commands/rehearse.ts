import { setTimeout as pause } from 'node:timers/promises';
import type { VekkonOperator } from '@vekkon/client/operator';
import type { HostSessionList } from '@vekkon/protocol';
import { type Command } from 'commander';
import { exitStatus, NotThere, WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import type { Step } from '../rehearsal/step.js';
import { signedInIfAny, signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';
import { untilAsked } from './running.js';

interface RehearseOptions extends ShowOptions {
  readonly url?: string;
  readonly key?: string;
  readonly faults: boolean;
  readonly watch?: string;
}

export function addRehearse(program: Command): void {
  program
    .command('rehearse')
    .description('walk through join, save, leave and rejoin, and say what a game would have lost')
    .option('--url <url>', 'where the service is; the one that you are signed in to, or http://127.0.0.1:4600')
    .option('--key <host key>', 'the host key of the environment; or VEKKON_HOST_KEY')
    .option(
      '--faults',
      'also lost responses, outages, wrong and wide changes, closing in mid-play, a killed host, a long call',
      false,
    )
    .option(
      '--watch <host>',
      'watch a running host of your own instead, as an operator, until Ctrl-C; once where the output is no terminal',
    )
    .option(...environmentOption)
    .option(...jsonOption)
    .action((options: RehearseOptions) =>
      options.watch === undefined ? walk(options) : watch(options.watch, options),
    );
}

async function walk(options: RehearseOptions): Promise<void> {
  const hostKey = options.key ?? process.env['VEKKON_HOST_KEY'];
  if (hostKey === undefined) throw new WrongCommandLine('Give the host key: --key vkh_…, or in VEKKON_HOST_KEY.');
  const { rehearse } = await import('../rehearsal/rehearsal.js');
  const say = (step: Step) => process.stdout.write(`${stepInWords(step)}\n`);
  const url = (options.url ?? signedInIfAny()?.url ?? 'http://127.0.0.1:4600').replace(/\/+$/, '');
  const steps = await rehearse({ url, hostKey, faults: options.faults, onStep: options.json ? () => undefined : say });
  const failed = steps.filter((step) => !step.isAsExpected);
  print({ steps, failed: failed.length }, options, () =>
    failed.length === 0
      ? `\n${bold('Nothing was lost.')} ${steps.length} steps, all as expected.`
      : `\n${bold(`${failed.length} of ${steps.length} steps were not as expected.`)}`,
  );
  if (failed.length > 0) {
    const isReached = failed.every(({ step }) => step !== 'reach the service');
    process.exitCode = isReached ? exitStatus.refused : exitStatus.notReached;
  }
}

function stepInWords({ step, expected, found, isAsExpected, advice }: Step): string {
  const mark = isAsExpected ? 'ok  ' : 'NOT ';
  const line = `${mark} ${step.padEnd(22)} ${found}`;
  if (isAsExpected) return line;
  return `${line}\n     ${faint('expected:')} ${expected}\n     ${faint('what to do:')} ${advice ?? ''}`;
}

/** What a host's sessions show of mistakes in the game. */
interface Noticed {
  readonly player: string;
  readonly joinedAt: string;
  readonly noticed: string;
}

async function watch(host: string, options: RehearseOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  const { sessions } = await operator.sessionsOfHost(host, 500);
  if (sessions.length === 0) {
    throw new NotThere(`No session was ever opened by "${host}": check the name that the game gives itself.`);
  }
  const noticed = sessions.flatMap((session) => noticedIn(session));
  print({ host, sessions: sessions.length, noticed }, options, () => {
    const looked = `${sessions.length} sessions of ${host} looked at.`;
    if (noticed.length === 0) return `${looked} Every player was saved, left, and found the same again.`;
    const rows = noticed.map((one) => [one.player, timeInWords(one.joinedAt), one.noticed]);
    return `${table(['PLAYER', 'JOINED', 'NOTICED'], rows)}\n\n${looked}`;
  });
  if (process.stdout.isTTY && options.json !== true) await goOnWatching(operator, host, noticed);
}

const everyMilliseconds = 2_000;

/** Says what is noticed from now on, a line each, until it is asked to stop. */
async function goOnWatching(operator: VekkonOperator, host: string, before: readonly Noticed[]): Promise<void> {
  const told = new Set(before.map((one) => JSON.stringify(one)));
  process.stdout.write(faint(`Watching ${host}: what is noticed from now on stands here. Ctrl-C ends it.\n`));
  const asked = untilAsked().then(() => true);
  while (!(await Promise.race([asked, pause(everyMilliseconds, false)]))) {
    const { sessions } = await operator.sessionsOfHost(host, 500);
    for (const one of sessions.flatMap((session) => noticedIn(session))) {
      const name = JSON.stringify(one);
      if (told.has(name)) continue;
      told.add(name);
      process.stdout.write(`${timeInWords(new Date().toISOString())}  ${one.player}  ${one.noticed}\n`);
    }
  }
}

function noticedIn(session: HostSessionList['sessions'][number]): readonly Noticed[] {
  const { player, joinedAt, saves, end, isLeaseOver, changedBefore } = session;
  const notices: string[] = [];
  if (saves === 0 && end === null && isLeaseOver) notices.push('joined and never saved');
  if (end === null && isLeaseOver) notices.push('never left: its lease is over');
  if (end === 'left' && saves === 0) notices.push('left without a save');
  if (end === 'lease-over' || end === 'host-restarted') notices.push(`never left: taken over (${end})`);
  if (changedBefore > 0) notices.push(`found something else than it had left: ${changedBefore} changes from outside`);
  return notices.map((one) => ({ player, joinedAt, noticed: one }));
}
