import { readFileSync } from 'node:fs';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { checkSchema } from '@vekkon/core/schema-check';
import { startingRecords, type Records, type Rules } from '@vekkon/core';

/** Rules from a manifest's text. */
export function rulesOf(source: string): Rules {
  const read = readManifestFile(source);
  if ('mistakes' in read) throw new Error(JSON.stringify(read.mistakes));
  return { manifest: read.manifest, check: checkSchema };
}

/** The rules of Highfell Gliders, as the demo has them. */
export const highfell = rulesOf(readFileSync(new URL('../../demo/highfell-gliders.yaml', import.meta.url), 'utf8'));

/** What a new pilot has. */
export function newPilot(): Records {
  return startingRecords(highfell.manifest).records;
}

export const noon = '2026-11-23T12:00:00.000Z';
