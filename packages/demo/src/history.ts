import type { Transaction } from '@vekkon/core';
import type { Clock, Store } from '@vekkon/store';
import { findWing, flySome, land, startOver } from './flying.js';
import { makePilots, type Pilot } from './pilots.js';
import { Random } from './random.js';
import { pricesAt, publicationsUntil, publish, trialOfThermals, trialValueOf } from './tuned.js';

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

/** Something that happened at a moment, in milliseconds since 1970. */
interface Happening {
  readonly at: number;
  readonly write: () => Promise<unknown>;
}

/** How many happenings wait for their answers at a time, so that commits are full. */
const inFlight = 400;

/**
 * Writes forty days of made-up play through the real write path, in the order
 * in which it happened: joins, saves, leaves, each decided by the rules, and
 * the seasons of boards as they turn. Nobody waits for an answer before the
 * next save, so that commits are full.
 *
 * @param until when the history ends, in milliseconds since 1970, UTC
 * @returns how many saves it wrote
 */
export async function writeHistory(
  { writer }: Store,
  clock: HistoryClock,
  { environment, designer }: { readonly environment: number; readonly designer: string },
  pilotCount: number,
  until: number,
): Promise<number> {
  let saves = 0;
  const publications = publicationsUntil(until);
  const published = publications.map((one) => ({
    at: one.at,
    write: () => publish({ writer }, environment, designer, one),
  }));
  const happenings = makePilots(pilotCount)
    .flatMap((pilot, index) => lifeOf(pilot, new Random(1000 + index), index))
    .concat(published)
    .toSorted((one, other) => one.at - other.at);
  let turnsAt: number | null = clock.time;
  let written: Promise<unknown>[] = [];
  for (const { at, write } of happenings) {
    if (written.length >= inFlight || (turnsAt !== null && at >= turnsAt)) {
      await Promise.all(written);
      written = [];
    }
    // What is due before this happens is done before it.
    while (turnsAt !== null && at >= turnsAt) {
      clock.time = Math.max(clock.time, turnsAt);
      turnsAt = await tendSeasons();
    }
    clock.time = at;
    written.push(write());
  }
  await Promise.all(written);
  clock.time = until;
  await tendSeasons();
  return saves;

  async function tendSeasons(): Promise<number | null> {
    for (;;) {
      const { hasMore, nextAt } = await writer.do('tendSeasons', {});
      if (!hasMore) return nextAt;
    }
  }

  function lifeOf(pilot: Pilot, random: Random, index: number): readonly Happening[] {
    const happened: Happening[] = [];
    const have: Holdings = { feathers: 40, chapter: 1 };
    let at = until - random.next() * historyDays * day;
    const stays = random.between(2, 6);
    const pause = (until - at) / (stays + 1);
    for (let stay = 0; stay < stays; stay++) {
      at += pause * (0.4 + random.next());
      if (at > until - 60 * 60_000) break;
      const odd = stay === 0 ? oddGlides.get(index) : undefined;
      at = stayOnce(pilot, random, at, stay, have, happened, odd);
    }
    return happened;
  }

  /** One session: joined, saved a few times, left. Each step is stamped with its own time. */
  function stayOnce(
    pilot: Pilot,
    random: Random,
    joinedAt: number,
    stay: number,
    have: Holdings,
    happened: Happening[],
    odd: number | undefined,
  ): number {
    let at = Math.round(joinedAt);
    const session = `ses_history-${pilot.id}-${String(stay).padStart(3, '0')}`;
    const join = {
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
      attributes: {
        build: '1.8.0',
        platform: random.oneOf(['linux', 'windows', 'android']),
        country: countryOf(pilot),
      },
    };
    happened.push({ at, write: () => writer.do('join', join) });
    const value = trialValueOf(publications, pilot.id, at);
    if (value !== undefined) {
      const players = [{ environment, trial: trialOfThermals.id, player: pilot.id, value }];
      happened.push({ at: at + 1, write: () => writer.do('noteTrialPlayers', { players }) });
    }
    const gorge = value === 1 ? trialOfThermals.faster : 1;
    const count = random.between(2, 8);
    for (let number = 1; number <= count; number++) {
      at += random.between(40, 300) * 1000;
      const isLast = number === count;
      const transactions = [
        ...flySome(random, have.feathers, { prices: pricesAt(publications, at), gorge }),
        ...(isLast ? land(random, have.chapter) : []),
        ...(random.chance(0.04) ? [findWing(random, pilot.id)] : []),
        ...(isLast && random.chance(0.02) ? [startOver] : []),
        ...(isLast && odd !== undefined ? [glide(odd)] : []),
      ];
      for (const transaction of transactions) keepCount(have, transaction);
      const save = {
        environment,
        session,
        number,
        seen: null,
        answered: number - 1,
        device: null,
        transactions,
        leave: isLast,
      };
      happened.push({ at, write: () => writer.do('save', save) });
      saves++;
    }
    return at;
  }
}

const countries = ['PT', 'IE', 'NO', 'CH', 'JP'];

/** Where a pilot plays, always the same. */
export function countryOf({ id }: Pilot): string {
  const sum = [...id].reduce((all, letter) => all + letter.charCodeAt(0), 0);
  return countries[sum % countries.length] ?? 'PT';
}

/** Glides that nobody believes, by pilot. */
const oddGlides: ReadonlyMap<number, number> = new Map([
  [5, 95_400],
  [33, 412_000],
]);

function glide(value: number): Transaction {
  return { label: 'a long glide', changes: [{ op: 'submit', key: 'score/longest-glide', value }] };
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
