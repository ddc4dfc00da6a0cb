import { VekkonOperator } from '@vekkon/client/operator';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { keepSignedIn } from '../signed-in.js';

interface FirstOptions {
  readonly email: string;
  readonly name: string;
}

export function addOperator(program: Command): void {
  const operator = program.command('operator').description('the people who sign in');

  operator
    .command('first <link>')
    .description('make the first admin with the link that "vekkon serve" printed, and sign in')
    .requiredOption('--email <e-mail>', 'who you are; the password is asked for, or taken from VEKKON_PASSWORD')
    .requiredOption('--name <name>', 'how others see you')
    .action(async (link: string, { email, name }: FirstOptions) => {
      const { url, invitation } = partsOf(link);
      const { token, operator: made } = await VekkonOperator.becomeFirstAdmin(url, {
        invitation,
        email,
        name,
        password: await newPassword(),
      });
      const file = keepSignedIn({ url, token, email });
      process.stdout.write(`${made.name} is the first admin of ${url}, and signed in. Kept in ${file}.\n`);
    });
}

function partsOf(link: string): { readonly url: string; readonly invitation: string } {
  const [, url, invitation] = /^(https?:\/\/[^/]+).*#(vki_\S+)$/.exec(link.trim()) ?? [];
  if (url === undefined || invitation === undefined) {
    throw new WrongCommandLine(
      'This is not the whole link: it reads http://…/console/first-admin#vki_…, and needs quotes around it.',
    );
  }
  return { url, invitation };
}

async function newPassword(): Promise<string> {
  const given = process.env['VEKKON_PASSWORD'];
  if (given !== undefined) return given;
  if (!process.stdin.isTTY) {
    throw new WrongCommandLine('Without a terminal to ask on: give the password in VEKKON_PASSWORD.');
  }
  const { password } = await import('@inquirer/prompts');
  return password({ message: 'A new password, of at least 10 characters' });
}
