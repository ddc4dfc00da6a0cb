import { folded, imported, isProblem } from '@vekkon/core';
import { erased, inSession, isThere } from '../../reader/transfer.js';
import { tombstoneOf, type Existing, type ImportLine, type ImportOutcome } from '../../transfer.js';
import type { PlayerRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
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
  return outcomes;
}

async function importOne(
  context: WriterContext,
  line: ImportLine,
  { environment, existing, revives, by, now }: Omit<ImportPlayers, 'lines'> & Stamp,
): Promise<ImportOutcome> {
  const { db } = context;
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const found = await findPlayer(context, environment, line.player);
  const tombstone = tombstoneOf(environment, line.player);
  if (found === undefined && !revives) {
    const stone = await db
      .selectFrom('tombstones')
      .select('erased_at')
      .where('environment', '=', environment)
      .where('player', '=', tombstone)
      .executeTakeFirst();
    if (stone !== undefined) return { outcome: 'refused', problem: erased };
  }
  const held = found && (await RecordsInWork.load(context, found.number, rules.manifest));
  const back = imported(line.records, held?.records ?? new Map(), rules);
  if (isProblem(back)) return { outcome: 'refused', problem: back.problem };
  if (found !== undefined) {
    if (back.changed.size === 0) return { outcome: 'same' };
    if (existing === 'keep') return { outcome: 'kept' };
    if (existing === 'refuse') return { outcome: 'refused', problem: isThere };
    if ((await openSessionOf(context, found)) !== undefined) return { outcome: 'refused', problem: inSession };
  }
  const player = found ?? (await addPlayer(context, { environment, player: line.player, now: line.createdAt ?? now }));
  const records = held ?? (await RecordsInWork.load(context, player.number, rules.manifest));
  records.set(back.changed, back.ledger, { session: null, by, label: 'imported', at: now }, { trash: back.trash });
  await records.writeFor(player, now);
  if (found === undefined) await takeOver(context, player, line);
  return { outcome: found === undefined ? 'new' : 'updated' };
}

/** Who they were elsewhere: their name, and when they played. */
async function takeOver({ db }: WriterContext, player: PlayerRow, line: ImportLine): Promise<void> {
  await db
    .updateTable('players')
    .set({
      name: line.name,
      folded: folded(player.id, line.name),
      first_joined_at: line.firstJoinedAt,
      last_joined_at: line.lastJoinedAt,
      last_left_at: line.lastLeftAt,
    })
    .where('number', '=', player.number)
    .execute();
}
