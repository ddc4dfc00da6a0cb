import { InvalidArgumentError } from 'commander';

/** Resolves at SIGINT or SIGTERM. A second signal ends the process at once, as usual. */
export function untilAsked(): Promise<void> {
  return new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => resolve());
  });
}

export function portOf(text: string): number {
  return wholeNumber(text, 0, 65535);
}

export function countOf(text: string): number {
  return wholeNumber(text, 0, 10_000);
}

function wholeNumber(text: string, least: number, most: number): number {
  const number = Number(text);
  if (!/^\d+$/.test(text) || number < least || number > most) {
    throw new InvalidArgumentError(`It must be a whole number from ${least} to ${most}.`);
  }
  return number;
}
