import { setTimeout as pause } from 'node:timers/promises';
import type { GiftForeseen } from '@vekkon/client/operator';
import type { Change } from '@vekkon/core';
import type { Gift, GiftAudience, GiftRequest } from '@vekkon/protocol';
import { InvalidArgumentError, type Command } from 'commander';
import { WrongCommandLine } from '../exit-status.js';
import { confirmed } from '../output/confirm.js';
import { print, type ShowOptions } from '../output/print.js';
import { ProgressBar } from '../output/progress-bar.js';
import { bold, faint, table } from '../output/table.js';
import { changeInWords, timeInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { textOf } from '../text-of.js';
import { environmentOption, jsonOption, timeFrom, wholeNumber } from './options.js';

interface GiveOptions extends ShowOptions {
  readonly label: string;
  readonly credit?: readonly string[];
  readonly debit?: readonly string[];
  readonly gain?: readonly string[];
  readonly lose?: readonly string[];
  readonly changes?: string;
  readonly asOf?: string;
  readonly key?: string[];
  readonly everybody?: true;
  readonly search?: string;
  readonly inSession?: true;
  readonly unsettled?: true;
  readonly joinedSince?: string;
  readonly ids?: string;
  readonly dryRun?: true;
  readonly wait: boolean;
  readonly yes: boolean;
}

/** How often it is asked how far a gift has come, in milliseconds. */
const askEvery = 300;
/** How many of those for whom it does not apply are listed. */
const mostListed = 50;

export function addGift(program: Command): void {
  const gift = program.command('gift').description('the same for many players at once');

  gift
    .command('give')
    .description('give many players the same changes, or what they had at a moment: shown before, each once')
    .requiredOption('--label <text>', 'what it is, for people: ledgers name it', labelFrom)
    .option('--credit <currency=amount...>', 'credit a currency: feather=100')
    .option('--debit <currency=amount...>', 'debit a currency')
    .option('--gain <inventory/item=count...>', 'add to an inventory: pack/flare=2')
    .option('--lose <inventory/item=count...>', 'take from an inventory')
    .option('--changes <file>', 'any changes, as a list in YAML or JSON')
    .option('--as-of <time>', 'in place of changes: their records as they were, such as 2h ago', timeFrom)
    .option('--key <key...>', 'with --as-of: only these records')
    .option('--everybody', 'to everybody')
    .option('--search <text>', 'to those in whose id or name this stands')
    .option('--in-session', 'to those who are in a session now')
    .option('--unsettled', 'to those who have unsettled transactions')
    .option('--joined-since <time>', 'to those who joined last since a time, such as 1h', timeFrom)
    .option('--ids <file>', 'to those whose ids stand in a file: one a line, or the first column of a CSV')
    .option('--dry-run', 'only say what it would do')
    .option('--no-wait', 'do not wait until everybody has it')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(give);

  gift
    .command('list')
    .description('gifts, the newest first')
    .option('--count <number>', 'how many, at most 200', wholeNumber(1, 200), 20)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions & { readonly count: number }) => {
      const list = await signedInOperator(options.environment).gifts.list({ count: options.count });
      print(list, options, () => {
        if (list.gifts.length === 0) return 'Nothing was given to many yet.';
        const rows = list.gifts.map((one) => [
          String(one.number),
          one.label,
          one.state,
          `${one.given} of ${one.asked}`,
          String(one.refused),
          timeInWords(one.at),
          one.by,
        ]);
        return table(['NUMBER', 'LABEL', 'STATE', 'GIVEN', 'REFUSED', 'BEGUN', 'BY'], rows);
      });
    });

  gift
    .command('show')
    .argument('<number>', 'its number', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .description('how far a gift has come, and for whom it did not apply')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (number: number, options: ShowOptions) => {
      const { gifts } = signedInOperator(options.environment);
      const one = await gifts.one(number);
      const state = one.state.startsWith('tak') ? 'kept' : 'refused';
      const { players } = await gifts.players(number, { state, count: mostListed });
      print({ ...one, [state]: players }, options, () => giftInWords(one, players));
    });

  for (const [what, description, done] of [
    ['stop', 'stop a gift: who has it keeps it', 'is stopped'],
    ['resume', 'go on with a gift that was stopped', 'goes on'],
  ] as const) {
    gift
      .command(what)
      .argument('<number>', 'its number', wholeNumber(1, Number.MAX_SAFE_INTEGER))
      .description(description)
      .option(...environmentOption)
      .option(...jsonOption)
      .action(async (number: number, options: ShowOptions) => {
        const one = await signedInOperator(options.environment).gifts[what](number);
        print(one, options, () => `Gift ${number} ${done}: ${one.given} of ${one.asked} have it.`);
      });
  }

  gift
    .command('take-back')
    .argument('<number>', 'its number', wholeNumber(1, Number.MAX_SAFE_INTEGER))
    .description('take a gift back from everybody who got it, within a day')
    .option('--no-wait', 'do not wait until it is done')
    .option('--yes', 'do not ask', false)
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (number: number, options: ShowOptions & { readonly wait: boolean; readonly yes: boolean }) => {
      const { gifts } = signedInOperator(options.environment);
      const before = await gifts.one(number);
      await confirmed(`"${before.label}" is taken back from ${before.given} players. Take it back?`, options.yes);
      await gifts.takeBack(number);
      await shown(number, options);
    });
}

async function give(options: GiveOptions): Promise<void> {
  const { gifts } = signedInOperator(options.environment);
  const request: GiftRequest = {
    label: options.label,
    ...(await contentIn(options)),
    audience: await audienceIn(options),
  };
  const { label: _, ...asked } = request;
  const bar = new ProgressBar('players looked at', options.json === true);
  const foreseen = await gifts.foresee(asked, (looked, total) => bar.show(looked, total));
  bar.end();
  if (options.dryRun || foreseen.changed === 0) return print(foreseen, options, () => foreseenInWords(foreseen));
  if (!options.json) process.stdout.write(`${foreseenInWords(foreseen)}\n\n`);
  await confirmed(`${players(foreseen.changed)} will be changed like this. Give it?`, options.yes);
  const { number } = await gifts.give(request);
  await shown(number, options);
}

/** Waits until a gift is given or taken back, and says what became of it. */
async function shown(number: number, options: ShowOptions & { readonly wait: boolean }): Promise<void> {
  const { gifts } = signedInOperator(options.environment);
  let one = await gifts.one(number);
  const bar = new ProgressBar('per cent', options.json === true);
  while (options.wait && (one.state === 'giving' || one.state === 'taking-back')) {
    bar.show(Math.floor(one.share * 100), 100);
    await pause(askEvery);
    one = await gifts.one(number);
  }
  bar.end();
  const state = one.state.startsWith('tak') ? 'kept' : 'refused';
  const { players: others } = await gifts.players(number, { state, count: mostListed });
  print({ ...one, [state]: others }, options, () => giftInWords(one, others));
}

function giftInWords(
  one: Gift,
  others: readonly { player: string; code: string | null; detail: string | null }[],
): string {
  const what =
    one.changes === null ? `their records as at ${timeInWords(one.asOf)}` : one.changes.map(amountInWords).join(', ');
  const lines = [
    bold(`Gift ${one.number}, ${one.label}: ${one.state}`),
    faint(`${what}; to ${one.audience}; begun ${timeInWords(one.at)} by ${one.by}`),
    `${players(one.given)} got it${one.refused > 0 ? `, ${one.refused} were refused` : ''}.`,
  ];
  if (one.takenBack + one.kept > 0) lines.push(`Taken back from ${one.takenBack}, kept by ${one.kept}.`);
  if (one.takenBackUntil !== null) {
    lines.push(faint(`Until ${timeInWords(one.takenBackUntil)}: vekkon gift take-back ${one.number}`));
  }
  if (others.length > 0) {
    const rows = others.map(({ player, code, detail }) => [player, code ?? '–', detail ?? '–']);
    lines.push('', table(['PLAYER', 'REASON', 'DETAIL'], rows));
  }
  return lines.join('\n');
}

function foreseenInWords({ looked, changed, same, examples, refused, refusals }: GiftForeseen): string {
  const lines = [
    bold(
      `Of ${players(looked)} it would change ${changed}, leave ${same} as they are, and be refused for ${refusals}.`,
    ),
  ];
  if (examples.length > 0) {
    lines.push(
      '',
      table(
        ['PLAYER', 'NAME', 'WHAT WOULD CHANGE'],
        examples.map((one) => [one.player, one.name ?? '–', one.words]),
      ),
    );
  }
  if (refused.length > 0) {
    const rows = refused.slice(0, mostListed).map(({ player, code, detail }) => [player, code, detail]);
    lines.push('', table(['REFUSED FOR', 'REASON', 'DETAIL'], rows));
    if (refusals > mostListed) lines.push(faint(`and ${refusals - mostListed} more: --json lists up to 10,000.`));
  }
  return lines.join('\n');
}

async function contentIn(options: GiveOptions): Promise<Pick<GiftRequest, 'changes' | 'asOf' | 'keys'>> {
  const changes: Change[] = [
    ...(options.credit ?? []).map((one): Change => ({ op: 'credit', ...currencyIn(one), reason: options.label })),
    ...(options.debit ?? []).map((one): Change => ({ op: 'debit', ...currencyIn(one), reason: options.label })),
    ...(options.gain ?? []).map((one): Change => ({ op: 'gain', ...stackIn(one) })),
    ...(options.lose ?? []).map((one): Change => ({ op: 'lose', ...stackIn(one) })),
    ...(options.changes === undefined ? [] : await changesIn(options.changes)),
  ];
  if ((options.asOf === undefined) === (changes.length === 0)) {
    throw new WrongCommandLine('Say what is given: --credit, --debit, --gain, --lose or --changes; or --as-of.');
  }
  if (options.asOf === undefined) return { changes };
  return { asOf: options.asOf, ...(options.key !== undefined && { keys: options.key }) };
}

async function audienceIn(options: GiveOptions): Promise<GiftAudience> {
  const { search, inSession, unsettled, joinedSince } = options;
  const found = {
    ...(search !== undefined && { search }),
    ...(inSession === true && { inSession }),
    ...(unsettled === true && { hasUnsettled: true as const }),
    ...(joinedSince !== undefined && { joinedSince }),
  };
  const isFound = Object.keys(found).length > 0;
  if (Number(isFound) + Number(options.everybody === true) + Number(options.ids !== undefined) !== 1) {
    throw new WrongCommandLine(
      'Say who gets it, in one way: --everybody, --ids, or --search, --in-session, --unsettled and --joined-since.',
    );
  }
  if (options.everybody === true) return { everybody: true };
  return isFound ? { found } : { players: await idsIn(options.ids ?? '') };
}

/** `feather=100` */
function currencyIn(text: string): { readonly key: string; readonly amount: number } {
  const [, name, amount] = /^(?:currency\/)?([^=/]+)=(\d+)$/.exec(text) ?? [];
  if (name === undefined)
    throw new WrongCommandLine(`Write how much of which currency, as feather=100, not "${text}".`);
  return { key: `currency/${name}`, amount: Number(amount) };
}

/** `pack/flare=2` */
function stackIn(text: string): { readonly key: string; readonly item: string; readonly count: number } {
  const [, inventory, item, count] = /^(?:inventory\/)?([^=/]+)\/([^=/]+)=(\d+)$/.exec(text) ?? [];
  if (inventory === undefined || item === undefined) {
    throw new WrongCommandLine(`Write how many of what in which inventory, as pack/flare=2, not "${text}".`);
  }
  return { key: `inventory/${inventory}`, item, count: Number(count) };
}

async function changesIn(file: string): Promise<readonly Change[]> {
  const { parse } = await import('yaml');
  const held: unknown = parse(textOf(file));
  if (!Array.isArray(held)) throw new WrongCommandLine(`${file} must hold a list of changes.`);
  return held as readonly Change[];
}

async function idsIn(file: string): Promise<string[]> {
  const { parse } = await import('csv-parse/sync');
  const rows = parse(textOf(file), {
    relax_column_count: true,
    skip_empty_lines: true,
    bom: true,
    trim: true,
  }) as string[][];
  const ids = rows.flatMap(([id]) => (id === undefined || id === '' ? [] : id));
  // A first line that names its column is no player.
  if (['id', 'player', 'player id'].includes(ids[0]?.toLowerCase() ?? '')) ids.shift();
  if (ids.length === 0) throw new WrongCommandLine(`${file} holds no ids: write one a line.`);
  return ids;
}

function amountInWords(change: Change): string {
  const amount = 'amount' in change ? ` ${change.amount}` : '';
  return 'item' in change
    ? `${changeInWords(change)} ${change.count ?? 1} ${change.item}`
    : `${changeInWords(change)}${amount}`;
}

function labelFrom(text: string): string {
  const label = text.trim();
  if (label === '' || label.length > 150) throw new InvalidArgumentError('Write 1 to 150 characters.');
  return label;
}

function players(count: number): string {
  return count === 1 ? '1 player' : `${count} players`;
}
