import { decideImport, type Existing } from '@vekkon/core';
import { isErased, type ImportLine, type ImportOutcome } from '../../transfer.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { note } from './activity.js';
import { addPlayer, findPlayer, openSessionOf } from '../sessions.js';

export interface ImportPlayers {
  readonly environment: number;
  readonly lines: readonly ImportLine[];
  readonly existing: Existing;
  /** Players who were erased may come back. */
  readonly revives: boolean;
  readonly by: string;
}

/**
 * Takes players in, each whole or not at all. Who is there already and has the
 * same is left as they are, so that the same import twice is the same as once.
 */
export async function importPlayers(
  context: WriterContext,
  { lines, ...about }: ImportPlayers & Stamp,
): Promise<readonly ImportOutcome[]> {
  const outcomes: ImportOutcome[] = [];
  for (const line of lines) outcomes.push(await importOne(context, line, about));
  const many = (one: ImportOutcome['outcome']) => outcomes.filter(({ outcome }) => outcome === one).length;
  const [made, updated] = [many('new'), many('updated')];
  const { environment, by, now } = about;
  const detail = `${made} ${made === 1 ? 'player' : 'players'} made, ${updated} changed`;
  if (made + updated > 0) await note(context, { environment, what: 'imported', by, player: null, detail, now });
  return outcomes;
}

async function importOne(
  context: WriterContext,
  line: ImportLine,
  { environment, existing, revives, by, now }: Omit<ImportPlayers, 'lines'> & Stamp,
): Promise<ImportOutcome> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const found = await findPlayer(context, environment, line.player);
  const open = found && (await openSessionOf(context, found));
  const held = found && (await RecordsInWork.load(context, found, rules.manifest));
  const known = {
    held: held?.records,
    isErased: found === undefined && !revives && (await isErased(context.db, environment, line.player)),
    isInSession: open !== undefined,
  };
  const decided = decideImport(line.records, known, existing, rules);
  if (!('taken' in decided)) return decided;
  const { changed, ledger, trash } = decided.taken;
  // Who they were elsewhere comes along: their name, and when they played.
  const player = found ?? (await addPlayer(context, { ...line, environment, now: line.createdAt ?? now }));
  const records = held ?? (await RecordsInWork.load(context, player, rules.manifest));
  records.set(changed, ledger, { session: null, by, label: 'imported', at: now }, { trash });
  await records.writeFor(player, now);
  await tellOutside(context, { player, open, keys: changed.keys(), records, rules });
  return { outcome: decided.outcome };
}
