import { Refusal } from '@vekkon/protocol/problems';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer } from '../sessions.js';
import { note } from './activity.js';
import { copyAll } from './make-new.js';

export interface CopyPlayer {
  readonly environment: number;
  readonly player: string;
  readonly name: string;
  readonly summary: string;
  readonly by: string;
}

/** A person makes a checkpoint of all that a player has, which the game does not see. */
export async function copyPlayer(
  context: WriterContext,
  { environment, player: id, name, summary, by, now }: CopyPlayer & Stamp,
): Promise<{ readonly records: number }> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  const taken = await context.db
    .selectFrom('checkpoints')
    .select('number')
    .where('player', '=', player.number)
    .where('name', '=', name)
    .where('given_up_at', 'is', null)
    .executeTakeFirst();
  if (taken !== undefined) {
    throw new Refusal('checkpoint-exists', `"${id}" has a checkpoint "${name}" already: choose another name.`);
  }
  const { records } = await RecordsInWork.load(context, player, rules.manifest);
  await copyAll(context, player, records, { name, summary, by, givenUpAt: null }, now);
  await note(context, { environment, what: 'checkpoint-made', by, player: id, detail: name, now });
  return { records: [...records.values()].filter(({ removed }) => removed !== true).length };
}
