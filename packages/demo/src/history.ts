import type { Transaction } from '@vekkon/core';
import type { Clock, Store } from '@vekkon/store';
import { findWing, flySome, land, startOver } from './flying.js';
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

/** How many pilots are written at a time: their pages stay at hand, and a commit is full. */
const lanes = 24;

/**
 * Writes forty days of made-up play through the real write path: joins,
 * saves, leaves, each decided by the rules. Nobody waits for an answer before
 * the next save, so that commits are full.
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
  const pilots = makePilots(pilotCount).entries();
  await Promise.all(
    Array.from({ length: lanes }, async () => {
      for (const [index, pilot] of pilots) await Promise.all(playFor(pilot, new Random(1000 + index)));
    }),
  );
  return saves;

  /** @returns what resolves when all of it is written */
  function playFor(pilot: Pilot, random: Random): Promise<unknown>[] {
    const written: Promise<unknown>[] = [];
    const have: Holdings = { feathers: 40, chapter: 1 };
    let at = until - random.next() * historyDays * day;
    const stays = random.between(2, 6);
    const pause = (until - at) / (stays + 1);
    for (let stay = 0; stay < stays; stay++) {
      at += pause * (0.4 + random.next());
      if (at > until - 60 * 60_000) break;
      at = stayOnce(pilot, random, at, stay, have, written);
    }
    return written;
  }

  /** One session: joined, saved a few times, left. The clock is set at each step, and each step is stamped with it. */
  function stayOnce(
    pilot: Pilot,
    random: Random,
    joinedAt: number,
    stay: number,
    have: Holdings,
    written: Promise<unknown>[],
  ): number {
    let at = joinedAt;
    clock.time = Math.round(at);
    const session = `ses_history-${pilot.id}-${String(stay).padStart(3, '0')}`;
    written.push(
      writer.do('join', {
        environment,
        player: pilot.id,
        session,
        host: random.oneOf(hosts),
        instance: null,
        device: null,
        attempt: null,
        name: pilot.name,
        manifest: null,
        waits: false,
        attributes: { build: '1.8.0', platform: random.oneOf(['linux', 'windows', 'android']) },
      }),
    );
    const count = random.between(2, 8);
    for (let number = 1; number <= count; number++) {
      at += random.between(40, 300) * 1000;
      clock.time = Math.round(at);
      const isLast = number === count;
      const transactions = [
        ...flySome(random, have.feathers),
        ...(isLast ? land(random, have.chapter) : []),
        ...(random.chance(0.04) ? [findWing(random, pilot.id)] : []),
        ...(isLast && random.chance(0.02) ? [startOver] : []),
      ];
      for (const transaction of transactions) keepCount(have, transaction);
      written.push(
        writer.do('save', {
          environment,
          session,
          number,
          seen: null,
          answered: number - 1,
          device: null,
          transactions,
          leave: isLast,
        }),
      );
      saves++;
    }
    return at;
  }
}

/** What a pilot has, as far as it decides what they do next. */
interface Holdings {
  feathers: number;
  chapter: number;
}

function keepCount(have: Holdings, { changes }: Transaction): void {
  for (const change of changes) {
    if (change.op === 'credit') have.feathers += change.amount;
    if (change.op === 'debit') have.feathers -= change.amount;
    if (change.op === 'start-over') have.chapter = 1;
    if (change.op === 'merge' && change.key === 'progress/flight') have.chapter++;
  }
}
