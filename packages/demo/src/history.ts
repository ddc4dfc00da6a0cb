import type { Records } from '@vekkon/core';
import type { Clock, Store } from '@vekkon/store';
import { flySome, land } from './flying.js';
import { makePilots, type Pilot } from './pilots.js';
import { Random } from './random.js';

const day = 24 * 60 * 60 * 1000;
const historyDays = 40;
const hosts = ['ridge-eu-1', 'ridge-eu-2', 'ridge-us-1'];

/** A clock that the made-up history sets. */
export class HistoryClock implements Clock {
  time: number;

  constructor(time: number) {
    this.time = time;
  }

  now(): number {
    return this.time;
  }

  monotonic(): number {
    return this.time;
  }
}

/**
 * Writes forty days of made-up play through the real write path.
 *
 * @param until when the history ends, in milliseconds since 1970, UTC
 * @returns how many saves it wrote
 */
export async function writeHistory(
  { writer }: Store,
  clock: HistoryClock,
  environment: number,
  pilotCount: number,
  until: number,
): Promise<number> {
  let saves = 0;
  await Promise.all(makePilots(pilotCount).map((pilot, index) => playFor(pilot, new Random(1000 + index))));
  return saves;

  async function playFor(pilot: Pilot, random: Random): Promise<void> {
    let at = until - random.next() * historyDays * day;
    const stays = random.between(1, 9);
    const pause = (until - at) / (stays + 1);
    for (let stay = 0; stay < stays; stay++) {
      at += pause * (0.4 + random.next());
      if (at > until - 40 * 60_000) return;
      at = await stayOnce(pilot, random, at, stay);
    }
  }

  /** One session: joined, saved a few times, left. Pilots play at the same time, so the clock is set at each step. */
  async function stayOnce(pilot: Pilot, random: Random, joinedAt: number, stay: number): Promise<number> {
    let at = joinedAt;
    clock.time = Math.round(at);
    const joined = await writer.do('join', {
      environment,
      player: pilot.id,
      session: `ses_history-${pilot.id}-${String(stay).padStart(3, '0')}`,
      host: random.oneOf(hosts),
      instance: null,
      attempt: null,
      name: pilot.name,
      manifest: null,
      attributes: { build: '1.8.0', platform: random.oneOf(['linux', 'windows', 'android']) },
    });
    if ('holder' in joined)
      throw new Error(`${pilot.id} is held by ${joined.holder.host}: pilots play on one host at a time.`);
    const count = random.between(1, 4);
    for (let number = 1; number <= count; number++) {
      at += random.between(40, 300) * 1000;
      clock.time = Math.round(at);
      const isLast = number === count;
      await writer.do('save', {
        environment,
        session: joined.session.id,
        number,
        seen: null,
        transactions: [
          ...flySome(random, balanceIn(joined.records)),
          ...(isLast ? land(random, chapterIn(joined.records)) : []),
        ],
        leave: isLast,
      });
      saves++;
    }
    return at;
  }
}

/** As it was at join: a refit that costs more than is left by now is refused, as it would be in the game. */
function balanceIn(records: Records): number {
  return Number(records.get('currency/feather')?.value ?? 0);
}

function chapterIn(records: Records): number {
  const flight = records.get('progress/flight')?.value as { readonly chapter?: number } | undefined;
  return flight?.chapter ?? 1;
}
