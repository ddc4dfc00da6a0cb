import { shownResult } from '@vekkon/core';
import { short } from '@vekkon/core/tuning';
import type { Trial } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { bold, faint, table } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { environmentOption, jsonOption, wholeNumber } from './options.js';

/** Trials: several values by share of the players, compared by a measure. */
export function addTrial(tuning: Command): void {
  tuning
    .command('trial [id]')
    .description('the trials that run, or what one has come to; --end makes one of its values the base')
    .option('--end <value>', 'end it: the number of the value that wins, from 1', wholeNumber(1, 5))
    .option('--note <text>', 'why, for the activity')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (id: string | undefined, options: ShowOptions & { end?: number; note?: string; yes: boolean }) => {
      const { tuning: calls } = signedInOperator(options.environment);
      if (id === undefined) {
        const trials = await calls.trials();
        return print({ trials }, options, () =>
          trials.length === 0
            ? 'No trial runs: "vekkon tuning adjust" begins one with --trial and --measure.'
            : table(
                ['TRIAL', 'TUNABLE', 'NOTE', 'MEASURE'],
                trials.map(({ trial, tunable, note, measure }) => [trial, tunable, note ?? '–', measure]),
              ),
        );
      }
      const trial = await calls.trial(id);
      if (options.end === undefined) return print(trial, options, () => trialInWords(trial));
      const winner = trial.values[options.end - 1];
      if (winner === undefined) throw new WrongCommandLine(`The trial has ${trial.values.length} values.`);
      if (!options.json) process.stdout.write(`${trialInWords(trial)}\n\n`);
      await confirmed(`${trial.tunable} is ${short(winner.value)} for all from now on. End the trial?`, options.yes);
      const { revision } = await calls.draft();
      const note = options.note ?? `the trial “${trial.note ?? trial.trial}” ended with ${short(winner.value)}`;
      const published = await calls.endTrial(id, { value: options.end - 1, note, revision });
      print(
        published,
        options,
        () => `Edition ${published.edition} is published: ${trial.tunable} is ${short(winner.value)}.`,
      );
    });
}

function trialInWords(trial: Trial): string {
  const { measure, unit, values, words, bins } = trial;
  const shown = (amount: number | null | undefined) =>
    amount === null || amount === undefined ? '–' : shownResult(Math.round(amount * 1000) / 1000, unit ?? undefined);
  const most = Math.max(1, ...values.flatMap(({ counts }) => counts));
  const bars = '▁▂▃▄▅▆▇█';
  const rows = values.map(({ value, share, players, measured, mean, interval, counts }, index) => [
    String(index + 1),
    short(value),
    `${share} %`,
    String(players),
    String(measured),
    shown(mean),
    interval === null ? '–' : `${shown(interval[0])} to ${shown(interval[1])}`,
    counts.map((count) => (count === 0 ? ' ' : (bars[Math.ceil((count / most) * bars.length) - 1] ?? ''))).join(''),
  ]);
  const heading = ['', 'VALUE', 'SHARE', 'PLAYERS', 'MEASURED', 'MEAN', '95 % INTERVAL', 'SPREAD'];
  const spread = bins.length === 0 ? '' : `\n${faint(`spread from ${shown(bins[0])} to ${shown(bins.at(-1))}`)}`;
  const path = measure.path === undefined ? '' : `${measure.path} of `;
  return `${bold(trial.note ?? trial.trial)}: ${trial.tunable}, measured by ${path}${measure.key}\n\n${table(heading, rows)}${spread}\n\n${words}`;
}
