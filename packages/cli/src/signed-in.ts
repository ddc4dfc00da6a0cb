import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { VekkonOperator } from '@vekkon/client/operator';
import envPaths from 'env-paths';
import { WrongCommandLine } from './exit-status.js';
import { reasonOf } from './text-of.js';

/** What `vekkon sign-in` leaves for the other commands. */
export interface SignedIn {
  readonly url: string;
  readonly token: string;
  readonly email: string;
}

function fileOf(): string {
  const folder = process.env['VEKKON_CONFIG'] ?? envPaths('vekkon', { suffix: '' }).config;
  return path.join(folder, 'signed-in.json');
}

/** @returns the file in which it is kept, readable only by its owner */
export function keepSignedIn(signedIn: SignedIn): string {
  const file = fileOf();
  mkdirSync(path.dirname(file), { recursive: true, mode: 0o700 });
  writeFileSync(file, `${JSON.stringify(signedIn, null, 2)}\n`, { mode: 0o600 });
  return file;
}

export function readSignedIn(): SignedIn {
  // For programs, such as a build: nothing is kept on the machine.
  const { VEKKON_TOKEN: token, VEKKON_URL: url } = process.env;
  if (token !== undefined && url !== undefined) return { url, token, email: 'VEKKON_TOKEN' };
  let text: string;
  try {
    text = readFileSync(fileOf(), 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') {
      throw new WrongCommandLine(`${fileOf()}, which keeps your sign-in, can't be read: ${reasonOf(error)}.`);
    }
    throw new WrongCommandLine('You are not signed in: run "vekkon sign-in --url URL --email E-MAIL" first.');
  }
  const signedIn = parsed(text);
  if (signedIn === undefined) {
    throw new WrongCommandLine(`${fileOf()} is damaged: sign in again with "vekkon sign-in --url URL --email E-MAIL".`);
  }
  return signedIn;
}

/** Who is signed in, if anybody is. */
export function signedInIfAny(): SignedIn | undefined {
  try {
    return readSignedIn();
  } catch {
    return undefined;
  }
}

/** Forgets the sign-in on this machine. */
export function forgetSignedIn(): void {
  rmSync(fileOf(), { force: true });
}

function parsed(text: string): SignedIn | undefined {
  try {
    const { url, token, email } = JSON.parse(text) as Partial<SignedIn>;
    if (typeof url !== 'string' || typeof token !== 'string') return undefined;
    return { url, token, email: email ?? '' };
  } catch {
    return undefined;
  }
}

/** The operator who is signed in, for an environment. */
export function signedInOperator(environment: string | undefined): VekkonOperator {
  const { url, token } = readSignedIn();
  return new VekkonOperator({ url, token, environment: environment ?? process.env['VEKKON_ENVIRONMENT'] });
}
