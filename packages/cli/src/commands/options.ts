import { InvalidArgumentError } from 'commander';

/** Options that many commands take. */
export const environmentOption = [
  '--environment <game/environment>',
  'which environment; needed where there are several',
] as const;
export const jsonOption = ['--json', 'print JSON, for programs'] as const;

const units = { m: 60_000, h: 3_600_000, d: 86_400_000 } as const;

/** A time as it was typed: RFC 3339, or how long ago, such as `30m`, `2h` or `7d`. @returns RFC 3339, in UTC */
export function timeFrom(text: string): string {
  const [, many, unit] = /^(\d{1,6})([mhd])(?: ago)?$/.exec(text.trim()) ?? [];
  if (unit !== undefined) return new Date(Date.now() - Number(many) * units[unit as keyof typeof units]).toISOString();
  const at = /^\d{4}-\d\d-\d\d/.test(text) ? Date.parse(text) : Number.NaN;
  if (Number.isNaN(at)) {
    throw new InvalidArgumentError('Write a time such as 2026-11-23T12:00:00Z, or how long ago, such as 2h or 7d.');
  }
  return new Date(at).toISOString();
}

/** A whole number within bounds, as it was typed. */
export function wholeNumber(least: number, most: number): (text: string) => number {
  return (text) => {
    const number = Number(text);
    if (!/^\d+$/.test(text) || number < least || number > most) {
      throw new InvalidArgumentError(`Write a whole number from ${least} to ${most}.`);
    }
    return number;
  };
}

/** A length of time as it was typed, such as `2m`, `1h` or `7d`. @returns milliseconds */
export function durationFrom(text: string): number {
  const [, many, unit] = /^(\d{1,6})([mhd])$/.exec(text.trim()) ?? [];
  if (unit === undefined) throw new InvalidArgumentError('Write how long, such as 2m, 1h or 7d.');
  return Number(many) * units[unit as keyof typeof units];
}

/** A number as it was typed, such as `-3` or `0.5`. */
export function anyNumber(text: string): number {
  const number = Number(text);
  if (text.trim() === '' || !Number.isFinite(number)) throw new InvalidArgumentError('Write a number.');
  return number;
}

/** A name as it is written on the command line: `deviceCalls` is `device-calls`. */
export function kebab(name: string): string {
  return name.replaceAll(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`);
}
