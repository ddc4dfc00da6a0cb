import type { Audience, AttributeTest, AttributeValue, Measure, TrialValue } from '@vekkon/core/tuning';
import type { Json } from '@vekkon/core';
import { InvalidArgumentError, type Command } from 'commander';
import { durationFrom } from '../commands/options.js';
import { WrongCommandLine } from '../exit-status.js';
import { valueFrom } from './value-from.js';

/** What limits an adjustment, as it was typed. */
export interface AdjustmentOptions {
  readonly from?: string;
  readonly until?: string;
  readonly for?: number;
  readonly percent?: number;
  readonly where?: readonly string[];
  readonly note?: string;
}

/** Options of a command that makes an adjustment. */
export function withAdjustmentOptions(command: Command): Command {
  return command
    .option('--from <time>', 'from when, such as 2026-11-27T18:00:00Z or "2026-11-27 18:00" on this machine', moment)
    .option('--until <time>', 'until when; not included', moment)
    .option('--for <duration>', 'for how long, from --from or from now: 30m, 24h or 7d', durationFrom)
    .option('--percent <n>', 'for that part of the players, above 0 and up to 100', percent)
    .option(
      '--where <test...>',
      'for whom: country=PT,IE  country!=PT  build>=1.8.0  "chapter<5"  squad=?  (all must hold)',
    )
    .option('--note <text>', 'what people call it, and why it is published');
}

function moment(text: string): string {
  const at = /^\d{4}-\d\d-\d\d/.test(text) ? Date.parse(text) : Number.NaN;
  if (!Number.isNaN(at)) return new Date(at).toISOString();
  throw new InvalidArgumentError('Write a time such as 2026-11-27T18:00:00Z, or "2026-11-27 18:00" on this machine.');
}

function percent(text: string): number {
  const number = Number(text);
  if (text.trim() === '' || !(number > 0 && number <= 100)) {
    throw new InvalidArgumentError('Write a percentage above 0 and up to 100.');
  }
  return number;
}

/** The window that was typed; undefined where there is none. */
export function windowFrom({ from, until, for: lasts }: AdjustmentOptions) {
  if (from === undefined && until === undefined && lasts === undefined) return undefined;
  if (until !== undefined && lasts !== undefined) throw new WrongCommandLine('Say --until or --for, not both.');
  if (lasts === undefined) return { ...(from !== undefined && { from }), ...(until !== undefined && { until }) };
  const start = from ?? new Date().toISOString();
  return { from: start, until: new Date(Date.parse(start) + lasts).toISOString() };
}

const tests = { '!=': 'isNot', '>=': 'atLeast', '<=': 'atMost', '>': 'above', '<': 'below', '=': 'is' } as const;

/** The audience that was typed: all of its tests must hold; undefined where there is none. */
export function audienceFrom(typed: readonly string[] | undefined): Audience | undefined {
  if (typed === undefined || typed.length === 0) return undefined;
  const all = typed.map(testFrom);
  return all.length === 1 ? all[0] : { all };
}

function testFrom(text: string): AttributeTest {
  const [, attribute, sign, value] = /^([a-z][a-z0-9-]*)(!=|>=|<=|=|>|<)(.*)$/.exec(text.trim()) ?? [];
  if (attribute === undefined || sign === undefined || value === undefined || value === '') {
    throw new WrongCommandLine(
      `"${text}" is no test: write an attribute, one of = != >= <= > <, and a value, such as country=PT,IE or "chapter>=5"; squad=? is whoever has none.`,
    );
  }
  if (value === '?') return { attribute, isMissing: sign === '=' };
  const values = value.split(',').map(plain);
  if (values.length > 1 && sign === '=') return { attribute, isOneOf: values };
  if (values.length > 1) throw new WrongCommandLine(`"${text}": only = takes several values.`);
  return { attribute, [tests[sign as keyof typeof tests]]: values[0] };
}

/** A build is a text, though it looks like a number with two points. */
function plain(text: string): AttributeValue {
  if (text === 'true' || text === 'false') return text === 'true';
  return /^-?\d+(\.\d+)?$/.test(text) ? Number(text) : text;
}

/** Values of a trial as they were typed, such as `1:50 1.25:50`. */
export function trialValuesFrom(typed: readonly string[], schema: Json): readonly TrialValue[] {
  return typed.map((text) => {
    const [, value, share] = /^(.*):(\d+(?:\.\d+)?)$/.exec(text) ?? [];
    if (value === undefined) throw new WrongCommandLine(`"${text}": write VALUE:SHARE, such as 1.25:50.`);
    return { value: valueFrom(value, schema), share: Number(share) };
  });
}

/** What a trial compares, as it was typed: a key, and for a progress record a path after a colon. */
export function measureFrom(text: string): Measure {
  const [key = '', path] = text.split(':');
  return path === undefined ? { key } : { key, path };
}
