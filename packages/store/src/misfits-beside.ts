import type { Manifest } from '@vekkon/core';
import type { MisfitCount } from '@vekkon/protocol';
import type { Kysely } from 'kysely';
import { Breath, examplesShown, misfitsOfPlayer, misfitsUnder } from './misfits.js';
import type { Tables } from './tables.js';

/** The misfits of one declared key, as they were counted beside the writer. */
export interface CountedBeside extends MisfitCount {
  /** Whose they are, by number, and how many of each; as many players as are kept. */
  readonly byPlayer: readonly (readonly [player: number, count: number])[];
}

/** Of how many players it is kept that they have misfits: beyond that a player who changes meanwhile counts as before. */
const mostKept = 20_000;

/** Counts the misfits under some declared keys, without the writer. */
export async function countBeside(
  db: Kysely<Tables>,
  environment: number,
  manifest: Manifest,
  keys: ReadonlySet<string>,
): Promise<readonly CountedBeside[]> {
  const counted: CountedBeside[] = [];
  for (const declared of keys) {
    const byPlayer = new Map<number, number>();
    const examples: MisfitCount['examples'][number][] = [];
    let count = 0;
    for await (const { number, player, key, detail } of misfitsUnder(db, environment, manifest, declared)) {
      count++;
      if (examples.length < examplesShown) examples.push({ player, key, detail });
      if (byPlayer.size < mostKept || byPlayer.has(number)) byPlayer.set(number, (byPlayer.get(number) ?? 0) + 1);
    }
    counted.push({ key: declared, count, examples, byPlayer: [...byPlayer] });
  }
  return counted;
}

/** The counts as they are now: those of players who changed meanwhile are counted anew. */
export async function recount(
  db: Kysely<Tables>,
  manifest: Manifest,
  counted: readonly CountedBeside[],
  changed: Iterable<number>,
): Promise<readonly CountedBeside[]> {
  const breath = new Breath();
  const now = counted.map((one) => ({ ...one, examples: [...one.examples], byPlayer: new Map(one.byPlayer) }));
  for (const player of changed) {
    for (const one of now) {
      const found = await misfitsOfPlayer(db, player, manifest, one.key);
      one.count += found.length - (one.byPlayer.get(player) ?? 0);
      if (found.length === 0) one.byPlayer.delete(player);
      else if (one.byPlayer.size < mostKept || one.byPlayer.has(player)) one.byPlayer.set(player, found.length);
      const fresh = found.slice(0, examplesShown - one.examples.length);
      one.examples.push(...fresh.map(({ player: id, key, detail }) => ({ player: id, key, detail })));
    }
    await breath.takeIfDue();
  }
  return now.map((one) => ({ ...one, byPlayer: [...one.byPlayer] }));
}
