import { accessSync, chmodSync, constants, existsSync, mkdirSync, readdirSync, statSync } from 'node:fs';
import path from 'node:path';

/** For the owner's eyes: what lies here are players' data and the hashes of keys. */
const folderMode = 0o700;
const fileMode = 0o600;

/**
 * Makes a data folder, if it is missing, and lets nobody but its owner look
 * into it.
 *
 * @throws if it can't be made or written in, saying what to do
 */
export function makeFolder(folder: string): void {
  const whole = path.resolve(folder);
  // One level after the other: some file systems answer a folder that can't be there as one that is missing.
  const missing: string[] = [];
  for (let one = whole; !existsSync(one); one = path.dirname(one)) missing.unshift(one);
  try {
    for (const one of missing) mkdirSync(one, { mode: folderMode });
    if (!statSync(whole).isDirectory()) throw new Error('it is a file');
    accessSync(whole, constants.R_OK | constants.W_OK | constants.X_OK);
  } catch (cause) {
    const why = inWords((cause as NodeJS.ErrnoException).code) ?? (cause as Error).message;
    throw new Error(
      `${folder} can't be used as a data folder: ${why}. Choose another with --data, or let this user write there.`,
      {
        cause,
      },
    );
  }
}

/** Folders and files of a version that left them open are closed. Where that is not ours to do, it stays as it is. */
export function closeToOthers(folder: string): void {
  try {
    chmodSync(folder, folderMode);
    for (const name of readdirSync(folder)) {
      if (/^(vekkon\.sqlite|lock\.|last-commit\.json)/.test(name)) chmodSync(path.join(folder, name), fileMode);
    }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') throw error;
  }
}

function inWords(code: string | undefined): string | undefined {
  switch (code) {
    case 'EACCES':
    case 'EPERM':
      return 'this user may not write there';
    case 'EROFS':
      return 'it lies on a file system that can only be read';
    case 'ENOENT':
    case 'EINVAL':
      return 'nothing can be made there';
    case 'ENOTDIR':
      return 'a part of the path is a file';
    case 'ENOSPC':
      return 'the disk is full';
    default:
      return undefined;
  }
}
