import type { Who } from '@vekkon/core/tuning';
import type { TuningTold } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow, type TuningState } from '@vekkon/store';
import type { Desk } from './serve-route.js';
import { attributesOf } from './session-tunings.js';
import type { TuningNow } from './tuning-streams.js';
import type { ReadyTuning } from './tunings.js';

/** How many sessions are told before others have their turn. */
const toldAtATime = 200;

/** What an answer carries of tuning, if anything. */
export function tuningPart(told: TuningTold | undefined): { readonly tuning?: TuningTold } {
  return told === undefined ? {} : { tuning: told };
}

/** Something about tuning has changed: everybody who listens is told, each session only if it gets something else. */
export async function tellTuning(desk: Desk, environment: number, state: TuningState): Promise<void> {
  const place = desk.environments.numbered(environment);
  if (place.manifest_version === null) return;
  const ready = await desk.tunings.asOf(place, state);
  await Promise.all([
    desk.tuningStreams.tell(environment, (player) => tuningNow(desk, place, ready, player), ready.testers),
    tellSessions(desk, place, ready),
  ]);
}

/** Games on devices hear what their session gets; game servers know it from the rules, but for what testers get. */
async function tellSessions(
  { streams, sessionTunings }: Desk,
  place: EnvironmentRow,
  { testers }: ReadyTuning,
): Promise<void> {
  let looked = 0;
  const listening = streams.sessionsListening(place.number);
  for (const { host, session } of [...listening, ...sessionTunings.ofTesters(place.number, testers)]) {
    const tuning = await sessionTunings.told(place, session, { read: null, has: undefined });
    if (tuning !== undefined) streams.tell(place.number, host, 'tuning', { session, tuning });
    if (++looked % toldAtATime === 0) await new Promise((resolve) => setImmediate(resolve));
  }
}

/** How things stand for a player, or for nobody in particular. */
export async function tuningNow(
  desk: Desk,
  place: EnvironmentRow,
  ready: ReadyTuning,
  player: string | undefined,
): Promise<TuningNow> {
  const who = player === undefined ? { attributes: {} } : await whoIs(desk, place, ready, player);
  const told = desk.tunings.toldTo(ready, who ?? { player, attributes: {} });
  const id = desk.tunings.eventIdOf(ready);
  return {
    id: told.draft === undefined ? id : `${id}.${told.draft}`,
    now: rfc3339(desk.clock.now()),
    told,
  };
}

/** A player as audiences know them; undefined if nobody does. */
export async function whoIs(
  { sessionTunings, reader }: Desk,
  place: EnvironmentRow,
  { installed }: ReadyTuning,
  player: string,
): Promise<Who | undefined> {
  const plays = sessionTunings.whoPlays(place.number, player);
  if (plays !== undefined) return plays;
  const known = await reader.tuning.player(place.number, player, installed.rules);
  return known && { player, attributes: attributesOf(known.name, known.sent, known.read) };
}
