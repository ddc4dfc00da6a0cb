import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { VekkonOperator } from '@vekkon/client/operator';
import envPaths from 'env-paths';
import { WrongCommandLine } from './exit-status.js';

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
  try {
    return JSON.parse(readFileSync(fileOf(), 'utf8')) as SignedIn;
  } catch {
    throw new WrongCommandLine('You are not signed in: run "vekkon sign-in --url URL --email E-MAIL" first.');
  }
}

/** The operator who is signed in, for an environment. */
export function signedInOperator(environment: string | undefined): VekkonOperator {
  const { url, token } = readSignedIn();
  return new VekkonOperator({ url, token, environment: environment ?? process.env['VEKKON_ENVIRONMENT'] });
}
