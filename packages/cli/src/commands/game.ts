import type { EnvironmentSummary, TermsInHours } from '@vekkon/protocol';
import type { Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { textOf } from '../text-of.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { table } from '../output/table.js';
import { signedInOperator } from '../signed-in.js';
import { timeInWords } from '../output/words.js';
import { addLimits } from './game-limits.js';
import { durationFrom, environmentOption, jsonOption } from './options.js';

interface OriginOptions {
  readonly allow?: string[];
  readonly any?: boolean;
  readonly none?: boolean;
}

/** @returns undefined where nothing is to be set */
function originsOf({ allow, any, none }: OriginOptions): readonly string[] | null | undefined {
  const said = [allow, any, none].filter((one) => one !== undefined).length;
  if (said > 1) throw new WrongCommandLine('Say one of --allow, --any and --none.');
  if (any === true) return null;
  return none === true ? [] : allow;
}

/** The environment that is named, or the only one that there is. */
async function placeNamed(name: string | undefined): Promise<EnvironmentSummary> {
  const { environments } = await signedInOperator(name).self();
  const only = environments.length === 1 ? environments[0] : undefined;
  const place = environments.find((one) => nameOf(one) === (name ?? process.env['VEKKON_ENVIRONMENT'])) ?? only;
  if (place === undefined) throw new WrongCommandLine('Name the environment: --environment GAME/ENVIRONMENT.');
  return place;
}

function nameOf({ game, environment }: EnvironmentSummary): string {
  return `${game}/${environment}`;
}

export function addGame(program: Command): void {
  const game = program.command('game').description('games and their environments');
  addLimits(game);

  game
    .command('create <manifest>')
    .description('make an environment, and its game if it is the first, from a manifest file')
    .option('--environment <name>', 'the name of the environment', 'dev')
    .option('--live', 'players play here: tools that could hurt them are refused', false)
    .option('--json', 'print JSON, for programs')
    .action(async (file: string, options: { environment: string; live: boolean; json?: boolean }) => {
      const made = await signedInOperator(undefined).createEnvironment({
        manifest: textOf(file),
        environment: options.environment,
        live: options.live,
      });
      print(made, options.json === undefined ? {} : { json: options.json }, () =>
        [
          `${made.title}: environment ${made.game}/${made.environment} is made. The keys are shown only now:`,
          `  Host key    ${made.hostKey}`,
          `  Device key  ${made.deviceKey}`,
        ].join('\n'),
      );
    });

  game
    .command('list')
    .description('games and their environments')
    .option('--json', 'print JSON, for programs')
    .action(async (options: ShowOptions) => {
      const { environments } = await signedInOperator(undefined).self();
      const rows = environments.map((one) => [
        `${one.game}/${one.environment}`,
        one.title,
        one.isLive ? 'live' : '–',
        one.manifestVersion === null ? 'none' : String(one.manifestVersion),
      ]);
      print(environments, options, () => table(['ENVIRONMENT', 'TITLE', 'LIVE', 'MANIFEST'], rows));
    });

  game
    .command('origins')
    .description('from which web pages devices may call, or set it')
    .option('--allow <origin...>', 'only from these, such as https://play.highfell.example')
    .option('--any', 'from any page')
    .option('--none', 'from none but those that the service itself serves')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & OriginOptions) => {
      const wanted = originsOf(options);
      if (wanted !== undefined) await signedInOperator(options.environment).setOrigins(wanted);
      const place = await placeNamed(options.environment);
      const { origins } = place;
      const words = origins === null ? 'any page' : origins.join(', ') || 'no page but those that the service serves';
      print({ origins }, options, () => `Devices may call ${nameOf(place)} from ${words}.`);
    });

  game
    .command('publishers')
    .description('who may publish tuning where the environment is live, or set it')
    .option('--designers', 'designers too')
    .option('--admins', 'admins only')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly designers?: true; readonly admins?: true }) => {
      if (options.designers === true && options.admins === true) {
        throw new WrongCommandLine('Say --designers or --admins, not both.');
      }
      const operator = signedInOperator(options.environment);
      if (options.designers === true || options.admins === true)
        await operator.setPublishers(options.designers === true);
      const place = await placeNamed(options.environment);
      const who = place.designersPublish || !place.isLive ? 'designers and admins' : 'admins only';
      const live = place.isLive ? '' : ' It is not live: designers always may.';
      print({ designers: place.designersPublish }, options, () => `${nameOf(place)} is published to by ${who}.${live}`);
    });

  game
    .command('terms')
    .description('how long what was is kept, and how much went; or set it')
    .option('--revisions <time>', 'every revision of a record, such as 1h', durationFrom)
    .option('--sessions <time>', 'then the last of each session, such as 30d', durationFrom)
    .option('--days <time>', 'then the last of each day, such as 365d', durationFrom)
    .option('--ledger <time>', 'every line of the ledger, before they are summed by day, such as 730d', durationFrom)
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(showTerms);

  game
    .command('found-by')
    .description('what players can be found by beside their names, or add to it and take away')
    .option('--add <what...>', 'such as currency/feather, progress/flight#/chapter, attribute/country')
    .option('--drop <what...>', 'find players by these no more')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly add?: string[]; readonly drop?: string[] }) => {
      const { add = [], drop = [] } = options;
      const operator = signedInOperator(options.environment);
      let told = await operator.foundBy();
      const before = told.foundBy.map(({ of }) => of);
      const unknown = drop.find((one) => !before.includes(one));
      if (unknown !== undefined)
        throw new WrongCommandLine(`Players are not found by ${unknown}: see "vekkon game found-by".`);
      if (add.length + drop.length > 0) {
        told = await operator.setFoundBy([...before.filter((one) => !drop.includes(one)), ...add]);
      }
      const rows = told.foundBy.map(({ of, isReady }) => [of, isReady ? 'ready' : 'being taken in']);
      print(told, options, () =>
        rows.length === 0
          ? 'Players are found by name and id only: add to it with --add currency/NAME.'
          : table(['PLAYERS ARE FOUND BY', 'STATE'], rows),
      );
    });

  game
    .command('empty')
    .description('make every player of an environment new; never of a live one')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly yes: boolean }) => {
      const operator = signedInOperator(options.environment);
      const { total } = await operator.players({ count: 1 });
      if (total === 0)
        return print({ made: 0, inSession: 0 }, options, () => 'Nobody is in it: there is nothing to empty.');
      await confirmed(
        `${total} ${total === 1 ? 'player loses' : 'players lose'} all they have: it goes to the trash, and a checkpoint of each keeps a copy. Empty the environment?`,
        options.yes,
      );
      const emptied = await operator.makeAllNew();
      print(emptied, options, () => {
        const left = emptied.inSession === 0 ? '' : ` Left as they are, being in a session: ${emptied.inSession}.`;
        return `${emptied.made} players are new.${left}`;
      });
    });
}

interface TermsOptions extends ShowOptions {
  readonly revisions?: number;
  readonly sessions?: number;
  readonly days?: number;
  readonly ledger?: number;
  readonly yes: boolean;
}

const hour = 3_600_000;

async function showTerms({ revisions, sessions, days, ledger, ...options }: TermsOptions): Promise<void> {
  const operator = signedInOperator(options.environment);
  let told = await operator.terms();
  if ([revisions, sessions, days, ledger].some((one) => one !== undefined)) {
    const inHours = (given: number | undefined, before: number) => (given === undefined ? before : given / hour);
    const wanted = {
      revisions: inHours(revisions, told.terms.revisions),
      ofSessions: inHours(sessions, told.terms.ofSessions),
      ofDays: inHours(days, told.terms.ofDays),
      ledger: inHours(ledger, told.terms.ledger),
    };
    await confirmed(
      `${termsInWords(wanted)}\nWhat is older goes within a day, and can't be brought back. Keep it so long?`,
      options.yes,
    );
    told = await operator.setTerms(wanted);
  }
  print(told, options, () => {
    const gone = told.pruned.map(({ what, rows, at }) => `${rows} of ${what}, last ${timeInWords(at)}`);
    return `${termsInWords(told.terms)}\nGone so far: ${gone.length === 0 ? 'nothing' : gone.join('; ')}.`;
  });
}

function termsInWords({ revisions, ofSessions, ofDays, ledger }: TermsInHours): string {
  const long = (hours: number) => (hours < 48 ? `${hours} hours` : `${Math.round(hours / 24)} days`);
  return `Kept: every revision for ${long(revisions)}, the last of each session for ${long(ofSessions)}, the last of each day for ${long(ofDays)}; lines of the ledger for ${long(ledger)}, then one a day.`;
}
