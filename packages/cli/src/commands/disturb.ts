import type { Disturbance } from '@vekkon/protocol';
import { InvalidArgumentError, type Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption } from './options.js';

interface StartOptions extends ShowOptions {
  readonly refuse: number;
  readonly delay?: { readonly from: number; readonly to: number };
  readonly loseResponses: number;
  readonly for: number;
  readonly force: boolean;
}

export function addDisturb(program: Command): void {
  const disturb = program
    .command('disturb')
    .description("make faults on purpose for an environment's hosts, so that a game's own retries can be tried");

  disturb
    .command('start')
    .description('start a disturbance; it replaces one that runs, and ends by itself')
    .option('--refuse <share>', 'calls answered 503 before the work, such as 20%', shareOf, 0)
    .option('--delay <span>', 'how long each call is held up, such as 50..400ms', delayOf)
    .option('--lose-responses <share>', 'calls cut after the work was done, such as 5%', shareOf, 0)
    .option('--for <time>', 'how long, such as 90s, 10m or 2h', secondsOf, 600)
    .option('--force', 'in a live environment too; admins only', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: StartOptions) => {
      if (options.refuse === 0 && options.loseResponses === 0 && options.delay === undefined) {
        throw new WrongCommandLine('Say which faults: --refuse, --delay or --lose-responses.');
      }
      const { disturbance } = await signedInOperator(options.environment).startDisturbance({
        refuse: options.refuse,
        loseResponses: options.loseResponses,
        seconds: options.for,
        force: options.force,
        ...(options.delay !== undefined && { delay: options.delay }),
      });
      print(disturbance, options, () => inWords(disturbance));
    });

  disturb
    .command('show')
    .description('what runs, and what it did so far')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const { disturbance } = await signedInOperator(options.environment).disturbance();
      print(disturbance, options, () => inWords(disturbance));
    });

  disturb
    .command('stop')
    .description('end it now')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const { disturbance } = await signedInOperator(options.environment).stopDisturbance();
      print(disturbance, options, () =>
        disturbance === null ? 'None was running.' : `Ended. ${didInWords(disturbance)}`,
      );
    });
}

function inWords(disturbance: Disturbance | null): string {
  if (disturbance === null) return 'No disturbance runs.';
  const { refuse, delay, loseResponses, endsAt, by } = disturbance;
  const faults = [
    refuse > 0 && `${percent(refuse)} of calls refused`,
    delay !== null && `each held up ${delay.from} to ${delay.to} ms`,
    loseResponses > 0 && `${percent(loseResponses)} of responses lost`,
  ].filter(Boolean);
  return `${faults.join(', ') || 'No faults'}, until ${timeInWords(endsAt)}, by ${by}. ${didInWords(disturbance)}`;
}

function didInWords({ refused, lost }: Disturbance): string {
  return `So far ${refused} calls were refused and ${lost} responses lost.`;
}

function percent(share: number): string {
  return `${Number((share * 100).toFixed(1))}%`;
}

function shareOf(text: string): number {
  const [, number] = /^(\d+(?:\.\d+)?)%$/.exec(text) ?? [];
  if (number === undefined || Number(number) > 100) throw new InvalidArgumentError('Write a share such as 20%.');
  return Number(number) / 100;
}

function delayOf(text: string): { from: number; to: number } {
  const [, from, to] = /^(\d+)\.\.(\d+)ms$/.exec(text) ?? [];
  if (from === undefined || Number(from) > Number(to))
    throw new InvalidArgumentError('Write a span such as 50..400ms.');
  return { from: Number(from), to: Number(to) };
}

const secondsPerUnit: { readonly [unit: string]: number } = { s: 1, m: 60, h: 3600 };

function secondsOf(text: string): number {
  const [, number, unit = ''] = /^(\d+)([smh])$/.exec(text) ?? [];
  const factor = secondsPerUnit[unit];
  if (number === undefined || factor === undefined)
    throw new InvalidArgumentError('Write a time such as 90s, 10m or 2h.');
  return Number(number) * factor;
}
