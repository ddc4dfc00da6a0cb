import { InvalidArgumentError } from 'commander';

/** Resolves at SIGINT or SIGTERM. A second signal ends the process at once, as usual. */
export function untilAsked(): Promise<void> {
  return new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => resolve());
  });
}

/** Waits until the service is asked to end, or must: then the process ends with status 1, when all is answered. */
export async function askedOrFault(asked: Promise<void>, fault: Promise<Error>): Promise<void> {
  const cause = await Promise.race([asked, fault]);
  if (cause === undefined) return;
  process.exitCode = 1;
  process.stderr.write(
    `Vekkon ends by a fault of its own: ${cause.message} What was answered is on disk. Start it again.\n`,
  );
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
