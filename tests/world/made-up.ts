import fc from 'fast-check';
import type { Fate } from './fault-proxy.js';

/** What may become of a request in a made-up afternoon. */
export const fates = fc.constantFrom<Fate>('drop-request', 'drop-response', 'double', 'cut-response');

/** How many players play at the same time. */
export const laneCount = 20;
/** How many afternoons are made up. */
export const runs = Number(process.env['VEKKON_MODEL_RUNS'] ?? 400);

/** How so many afternoons are made up; what failed is played again with VEKKON_MODEL_SEED. */
export function howToRun<Steps>(count: number): fc.Parameters<[Steps[][]]> {
  return {
    numRuns: Math.ceil(count / laneCount),
    endOnFailure: true,
    seed: Number(process.env['VEKKON_MODEL_SEED'] ?? Date.now() % 1_000_000_000),
    reporter: report,
  };
}

function report<Steps>(details: fc.RunDetails<[Steps[][]]>): void {
  process.stdout.write(`      seed ${details.seed}: ${details.numRuns * laneCount} afternoons\n`);
  if (details.failed) throw new Error(String(details.errorInstance), { cause: details.errorInstance });
}
