import { readFileSync, writeFileSync } from 'node:fs';
import { WrongCommandLine } from './exit-status.js';

/** The text of a file that the command line names. */
export function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new WrongCommandLine(`${file} can't be read: ${reasonOf(error)}.`);
  }
}

/** Writes a file that the command line names. */
export function writeText(file: string, text: string): void {
  try {
    writeFileSync(file, text);
  } catch (error) {
    throw new WrongCommandLine(`${file} can't be written: ${reasonOf(error)}.`);
  }
}

/** Why a file can't be read or written, in our words. */
export function reasonOf(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  switch (code) {
    case 'ENOENT':
      return 'there is no such file or folder: check how the path is written';
    case 'EISDIR':
      return 'it is a folder: name a file in it';
    case 'EACCES':
    case 'EPERM':
      return 'this user may not: ask its owner, or name another';
    case 'ENOSPC':
      return 'the disk is full';
    default:
      return message;
  }
}
