import { ServiceRefused, VekkonOperator } from '@vekkon/client/operator';
import type { SignInResponse } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { forgetSignedIn, keepSignedIn, readSignedIn, signedInOperator } from '../signed-in.js';
import { textOf } from '../text-of.js';

interface SignInOptions {
  readonly url?: string;
  readonly email?: string;
  readonly access?: string;
}

export function addSignIn(program: Command): void {
  program
    .command('sign-in')
    .description('sign in to a service; the other commands use it from then on')
    .option('--url <url>', 'where the service is, such as http://127.0.0.1:4600')
    .option('--email <e-mail>', 'who you are; the password is asked for, or taken from VEKKON_PASSWORD')
    .option('--access <file>', "a demo's access.json, instead of all of the above")
    .action(async (options: SignInOptions) => {
      const { url, email, password } = options.access === undefined ? await asked(options) : fromFile(options.access);
      const { token, operator } = await VekkonOperator.signIn(url, email, password).catch((error: unknown) => {
        if (!(error instanceof ServiceRefused) || error.code !== 'second-factor-needed') throw error;
        return withCode(url, email, password);
      });
      const file = keepSignedIn({ url, token, email });
      process.stdout.write(`Signed in to ${url} as ${operator.name} (${operator.role}). Kept in ${file}.\n`);
    });
}

/** The password was right, and a second factor is asked for. */
async function withCode(url: string, email: string, password: string): Promise<SignInResponse> {
  const given = process.env['VEKKON_CODE'];
  if (given === undefined && !process.stdin.isTTY) {
    throw new WrongCommandLine(
      'A second factor is set: give its code in VEKKON_CODE, or a service token in VEKKON_TOKEN.',
    );
  }
  const code = given ?? (await (await import('@inquirer/prompts')).input({ message: 'Code of your authenticator' }));
  return VekkonOperator.signIn(url, email, password, { code });
}

/** `sign-out`: the token is over, here and at the service. */
export function addSignOut(program: Command): void {
  program
    .command('sign-out')
    .description('end the sign-in of this machine')
    .action(async () => {
      const { url, email } = readSignedIn();
      // Whatever becomes of the call, this machine forgets the token.
      const isTold = await signedInOperator(undefined)
        .signOut()
        .then(() => true)
        .catch(() => false);
      forgetSignedIn();
      const more = isTold ? '' : ' The service was not reached: the token holds there until it is over.';
      process.stdout.write(`${email} is signed out of ${url}.${more}\n`);
    });
}

interface Credentials {
  readonly url: string;
  readonly email: string;
  readonly password: string;
}

async function asked(options: SignInOptions): Promise<Credentials> {
  const canAsk = process.stdin.isTTY;
  if (options.url === undefined) {
    throw new WrongCommandLine('Say which service: --url http://127.0.0.1:4600, or --access demo-data/access.json.');
  }
  // Loaded where somebody is asked: prompts are slow to load.
  const { input, password: askPassword } = await import('@inquirer/prompts');
  const email = options.email ?? (canAsk ? await input({ message: 'E-mail' }) : undefined);
  const password = process.env['VEKKON_PASSWORD'] ?? (canAsk ? await askPassword({ message: 'Password' }) : undefined);
  if (email === undefined || password === undefined) {
    throw new WrongCommandLine('Without a terminal to ask on: give --email, and the password in VEKKON_PASSWORD.');
  }
  return { url: options.url, email, password };
}

function fromFile(file: string): Credentials {
  const text = textOf(file);
  try {
    const { url, operator } = JSON.parse(text) as { url: string; operator: { email: string; password: string } };
    return { url, email: operator.email, password: operator.password };
  } catch {
    throw new WrongCommandLine(`${file} is no access.json of a demo: it lies in the demo's data folder.`);
  }
}
