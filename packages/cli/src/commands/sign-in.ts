import { readFileSync } from 'node:fs';
import { VekkonOperator } from '@vekkon/client/operator';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { keepSignedIn } from '../signed-in.js';

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
      const { token, operator } = await VekkonOperator.signIn(url, email, password);
      const file = keepSignedIn({ url, token, email });
      process.stdout.write(`Signed in to ${url} as ${operator.name} (${operator.role}). Kept in ${file}.\n`);
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
  try {
    const { url, operator } = JSON.parse(readFileSync(file, 'utf8')) as {
      url: string;
      operator: { email: string; password: string };
    };
    return { url, email: operator.email, password: operator.password };
  } catch (error) {
    throw new WrongCommandLine(`${file} can't be read as a demo's access.json: ${(error as Error).message}.`);
  }
}
