import type { Change, Json } from '@vekkon/core';

/** How times, numbers and values are put into words. */

const dayAndTime = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' });
const numbers = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 3 });
const relative = new Intl.RelativeTimeFormat('en-GB', { numeric: 'auto' });

export function timeInWords(time: string | null): string {
  return time === null ? 'never' : dayAndTime.format(new Date(time));
}

const spans = [
  ['day', 86_400],
  ['hour', 3_600],
  ['minute', 60],
] as const;

/** "3 hours ago", for a glance. */
export function agoInWords(time: string | null): string {
  if (time === null) return 'never';
  const seconds = (Date.now() - Date.parse(time)) / 1000;
  for (const [unit, length] of spans) {
    if (seconds >= length) return relative.format(-Math.floor(seconds / length), unit);
  }
  return 'just now';
}

const clock = new Intl.DateTimeFormat('en-GB', { timeStyle: 'short' });

/** "14:05": of today. */
export function clockInWords(time: string): string {
  return clock.format(new Date(time));
}

const clockWithSeconds = new Intl.DateTimeFormat('en-GB', { timeStyle: 'medium' });

/** "14:05:32": of a day that is known. */
export function secondInWords(time: string): string {
  return clockWithSeconds.format(new Date(time));
}

/** "41.5 MiB" */
export function bytesInWords(bytes: number): string {
  const units = ['bytes', 'KiB', 'MiB', 'GiB', 'TiB'];
  const step = Math.min(units.length - 1, Math.floor(Math.log2(Math.max(bytes, 1)) / 10));
  const amount = bytes / 1024 ** step;
  return `${numbers.format(Number(amount.toFixed(amount < 10 ? 1 : 0)))} ${units[step]}`;
}

export function numberInWords(value: number): string {
  return numbers.format(value);
}

/** A stretch of time as a game shows it: 1:04.250. */
function durationInWords(milliseconds: number): string {
  const minutes = Math.floor(milliseconds / 60_000);
  const seconds = ((milliseconds % 60_000) / 1000).toFixed(3).padStart(6, '0');
  return `${minutes}:${seconds}`;
}

/** A result with its unit; `null` is "none yet", which is not 0. */
export function resultInWords(value: Json | undefined, unit: string | undefined): string {
  if (typeof value !== 'number') return 'none yet';
  if (unit === 'milliseconds') return durationInWords(value);
  return unit === undefined ? numberInWords(value) : `${numberInWords(value)} ${unit}`;
}

/** A bare value: yes and no, numbers, texts. */
export function valueInWords(value: Json | undefined): string {
  if (value === undefined || value === null) return 'none';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number') return numberInWords(value);
  return typeof value === 'string' ? (value === '' ? 'empty text' : value) : JSON.stringify(value);
}

const ends = {
  left: 'left',
  'joined-again': 'joined again on the same host',
  'lease-over': 'taken over: its lease was over',
  'host-restarted': 'host was started again',
} as const;

export function endInWords(end: keyof typeof ends | null): string {
  return end === null ? 'open' : ends[end];
}

/** A host's name; a tab on the player's own device has one that says nothing to people. */
export function hostInWords(host: string): string {
  return host.startsWith('dev-') && host.includes('/') ? 'their own device' : host;
}

/** "credit currency/feather 100", "gain inventory/pack 2 flare". */
export function changeInWords(change: Change): string {
  const key = 'key' in change ? ` ${change.key}` : '';
  if ('item' in change) return `${change.op}${key} ${change.count ?? 1} ${change.item}`;
  if ('amount' in change) return `${change.op}${key} ${numberInWords(change.amount)}`;
  return `${change.op}${key}`;
}
