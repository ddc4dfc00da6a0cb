import type { Manifest } from '@vekkon/core';
import type { EnvironmentRow } from '@vekkon/store';
import type { Desk } from './serve-route.js';
import { newRequestId } from './tokens.js';

/** How many players' keys are counted while nobody is written, some 50 µs each, and how often it is tried. */
const mostRecounts = 100;
const mostTries = 20;

/** A manifest that is to be installed. */
interface SentManifest {
  readonly manifest: Manifest;
  readonly source: string;
  readonly acceptMisfits: boolean;
  readonly by: string;
}

/**
 * Makes a manifest the next version of an environment.
 *
 * @returns the version, `unchanged` where it says the same as the one that there is
 */
export async function installManifest(
  desk: Desk,
  environment: () => EnvironmentRow,
  sent: SentManifest,
): Promise<{ readonly version: number; readonly unchanged?: true }> {
  for (;;) {
    const done = await tryToInstall(desk, environment(), sent);
    if ('version' in done) return done;
  }
}

/**
 * Misfits are counted beside the writer, then those of players who were
 * written meanwhile, until so few are left that the writer counts them
 * while nobody else is written. At the last try it takes all that are left,
 * so that it comes to an end however busy the game is.
 */
async function tryToInstall({ writer, longReads }: Desk, place: EnvironmentRow, sent: SentManifest) {
  const { manifest } = sent;
  const watch = newRequestId();
  await writer.do('watchPlayers', { watch });
  let counted = manifest.game === place.game ? await longReads.misfitsBeside(place, manifest) : [];
  for (let tries = 1; ; tries++) {
    const recountsAtMost = tries < mostTries ? mostRecounts : Number.MAX_SAFE_INTEGER;
    const given = { ...sent, environment: place.number, counted, watch, recountsAtMost, countedAt: place };
    const done = await writer.do('installManifest', given);
    if (!('changed' in done)) return done;
    counted = await longReads.misfitsBesideAgain(place, manifest, counted, done.changed);
  }
}
