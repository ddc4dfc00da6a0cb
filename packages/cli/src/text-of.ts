import { readFileSync } from 'node:fs';
import { WrongCommandLine } from './exit-status.js';

/** The text of a file that the command line names. */
export function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new WrongCommandLine(`${file} can't be read: ${(error as Error).message}.`);
  }
}
