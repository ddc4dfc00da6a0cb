import type { Stamp, WriterContext } from '../context.js';

/** Somebody was given a value of a trial. */
export interface InTrial {
  readonly environment: number;
  readonly trial: string;
  /** The player's id. */
  readonly player: string;
  readonly value: number;
}

/** Takes note of who is in which trial; who is known already stays as they are. */
export async function noteTrialPlayers(
  { db }: WriterContext,
  { players, now }: { readonly players: readonly InTrial[] } & Stamp,
): Promise<null> {
  for (const { environment, trial, player, value } of players) {
    const found = await db
      .selectFrom('players')
      .select('number')
      .where('environment', '=', environment)
      .where('id', '=', player)
      .executeTakeFirst();
    if (found === undefined) continue;
    await db
      .insertInto('trial_players')
      .values({ environment, trial, player: found.number, value, since: now })
      .onConflict((conflict) => conflict.doNothing())
      .execute();
  }
  return null;
}

/** A build has asked for a tunable. */
export interface Asked {
  readonly environment: number;
  readonly tunable: string;
  readonly build: string;
}

/** How many builds are known of one tunable: those that asked longest ago are forgotten. */
const mostBuilds = 100;

/** Takes note of which tunables builds have asked for. */
export async function noteAsked(
  { db }: WriterContext,
  { asked, now }: { readonly asked: readonly Asked[] } & Stamp,
): Promise<null> {
  for (const { environment, tunable, build } of asked) {
    await db
      .insertInto('tunables_asked')
      .values({ environment, tunable, build, at: now })
      .onConflict((conflict) => conflict.columns(['environment', 'tunable', 'build']).doUpdateSet({ at: now }))
      .execute();
    const old = await db
      .selectFrom('tunables_asked')
      .select('build')
      .where('environment', '=', environment)
      .where('tunable', '=', tunable)
      .orderBy('at', 'desc')
      .offset(mostBuilds)
      .limit(mostBuilds)
      .execute();
    if (old.length === 0) continue;
    await db
      .deleteFrom('tunables_asked')
      .where('environment', '=', environment)
      .where('tunable', '=', tunable)
      .where(
        'build',
        'in',
        old.map((one) => one.build),
      )
      .execute();
  }
  return null;
}
