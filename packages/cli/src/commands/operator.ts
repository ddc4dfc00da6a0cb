import { VekkonOperator } from '@vekkon/client/operator';
import type { OperatorRole } from '@vekkon/protocol';
import { Option, type Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { timeInWords } from '../output/words.js';
import { keepSignedIn, signedInOperator } from '../signed-in.js';
import { jsonOption, wholeNumber } from './options.js';

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

  addLookAfter(operator);
}

const roleOption = () =>
  new Option('--role <role>', 'what they may do').choices(['none', 'viewer', 'support', 'designer', 'admin']);

function addLookAfter(operator: Command): void {
  operator
    .command('list')
    .description('everybody who can sign in, and who is invited')
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const list = await signedInOperator(undefined).access.list();
      const rows = [
        ...list.operators.map((one) => [
          one.email,
          one.name,
          one.role,
          one.roles.map(({ environment, role }) => `${environment}: ${role}`).join(', ') || '–',
          one.hasSecondFactor ? 'yes' : 'no',
          one.disabledAt === null ? timeInWords(one.createdAt) : `shut out ${timeInWords(one.disabledAt)}`,
        ]),
        ...list.invited.map((one) => [
          one.email,
          '–',
          one.role,
          '–',
          '–',
          `invited until ${timeInWords(one.expiresAt)}`,
        ]),
      ];
      print(list, options, () =>
        table(['OPERATOR', 'NAME', 'ROLE', 'IN ENVIRONMENTS', 'SECOND FACTOR', 'SINCE'], rows),
      );
    });

  operator
    .command('invite <e-mail>')
    .description('make a link with which somebody becomes an operator; it works once, for a week')
    .addOption(roleOption().default('support'))
    .option('--in <game/environment=role...>', 'another role for an environment')
    .option(...jsonOption)
    .action(async (email: string, options: ShowOptions & { readonly role: OperatorRole; readonly in?: string[] }) => {
      const roles = (options.in ?? []).map(roleIn);
      const made = await signedInOperator(undefined).access.invite({ email, role: options.role, roles });
      print(made, options, () => `Send this link to ${email}:\n\n  ${made.link}\n`);
    });

  operator
    .command('change <e-mail>')
    .description('another role, other roles for environments, or shut out')
    .addOption(roleOption())
    .option(
      '--in <game/environment=role...>',
      'the roles for environments, in place of those before; "none=none" for no others',
    )
    .option('--shut-out', 'sign them out, and take no password of theirs')
    .option('--let-in', 'take their password again')
    .action(async (email: string, options: ChangeOptions) => {
      const { role, shutOut, letIn } = options;
      const disabled = shutOut === true ? true : letIn === true ? false : undefined;
      const roles = options.in?.filter((one) => one !== 'none=none').map(roleIn);
      await signedInOperator(undefined).access.change(email, {
        ...(role !== undefined && { role }),
        ...(roles !== undefined && { roles }),
        ...(disabled !== undefined && { disabled }),
      });
      process.stdout.write(`${email} is changed.\n`);
    });

  operator
    .command('service-token <name>')
    .description('a token for a program, such as one that publishes from a build; put it into VEKKON_TOKEN there')
    .addOption(roleOption().default('designer'))
    .option('--days <number>', 'how long it holds', wholeNumber(1, 730), 365)
    .option(...jsonOption)
    .action(async (name: string, options: ShowOptions & { readonly role: OperatorRole; readonly days: number }) => {
      const { role, days } = options;
      const made = await signedInOperator(undefined).access.createServiceToken({ name, role, days });
      print(made, options, () => made.token);
    });
}

interface ChangeOptions {
  readonly role?: OperatorRole;
  readonly in?: string[];
  readonly shutOut?: true;
  readonly letIn?: true;
}

function roleIn(text: string): { readonly environment: string; readonly role: OperatorRole } {
  const [environment = '', role = ''] = text.split('=');
  if (!['none', 'viewer', 'support', 'designer', 'admin'].includes(role)) {
    throw new WrongCommandLine(`"${text}": write it as in highfell-gliders/live=support.`);
  }
  return { environment, role: role as OperatorRole };
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
