import { VekkonError, VekkonHost, type HostSession } from '@vekkon/client';
import { setMaxListeners } from 'node:events';
import { setTimeout as pause } from 'node:timers/promises';
import type { Transaction } from '@vekkon/core';
import { flySome, land } from './flying.js';
import { countryOf } from './history.js';
import { makePilots, type Pilot } from './pilots.js';
import { Random } from './random.js';
import { trialOfThermals, type TradeTable } from './tuned.js';

export interface FleetReport {
  readonly joins: number;
  readonly saves: number;
  readonly leaves: number;
  /** Joins that found, to the byte, what the pilot had when they last left. */
  readonly foundAgain: number;
  /** What a join found that was not what the pilot had left. Must stay empty. */
  readonly differences: readonly string[];
  readonly failures: readonly string[];
}

/** Milliseconds that landing may take. */
const longestLanding = 8_000;
const hour = 60 * 60 * 1000;
/** What a pilot earns within an hour at the most: the manifest lets nobody be credited 5,000 feathers in one. */
const mostEarned = 4_500;
/** How often one tries for more all the same, so that a refusal is there to be looked at. */
const triesForMore = 0.0001;

/** Pilots who really join, save and leave through the client, until they are told to stop. */
export class Fleet {
  readonly #hosts: readonly VekkonHost[];
  readonly #stopping = new AbortController();
  readonly #flying: Promise<void>[];
  /** What each pilot was credited, and when. */
  readonly #earned = new Map<string, { readonly at: number; readonly amount: number }[]>();
  readonly #report = {
    joins: 0,
    saves: 0,
    leaves: 0,
    foundAgain: 0,
    differences: [] as string[],
    failures: [] as string[],
  };

  constructor(url: string, hostKey: string, count: number) {
    setMaxListeners(0, this.#stopping.signal);
    this.#hosts = ['ridge-eu-1', 'ridge-eu-2'].map((host) => new VekkonHost({ url, hostKey, host }));
    this.#flying = makePilots(count).map((pilot, index) => this.#fly(pilot, new Random(Date.now() + index)));
  }

  get report(): FleetReport {
    return this.#report;
  }

  /** Every pilot lands, saves and leaves; who can't within a while is left where they are. */
  async stop(): Promise<FleetReport> {
    this.#stopping.abort();
    const late = pause(longestLanding, undefined, { ref: false });
    await Promise.race([Promise.all(this.#flying), late]);
    await Promise.all(this.#hosts.map((host) => host.close({ within: 1_000 })));
    return this.#report;
  }

  async #fly(pilot: Pilot, random: Random): Promise<void> {
    let left: string | undefined;
    await this.#rest(random.between(0, 2_000));
    while (!this.#stopping.signal.aborted) {
      try {
        left = await this.#stay(pilot, random, left);
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
        this.#report.failures.push(`${pilot.id}: ${error.message}`);
        left = undefined;
      }
      await this.#rest(random.between(500, 4_000));
    }
  }

  /** @returns what the pilot had when they left, as text */
  async #stay(pilot: Pilot, random: Random, left: string | undefined): Promise<string> {
    const session = await random
      .oneOf(this.#hosts)
      .join(pilot.id, { name: pilot.name, attributes: { build: '1.8.0', country: countryOf(pilot) } });
    // What an earlier fleet earned within the hour counts too: one refusal is enough to know it.
    session.onRefused(({ problem }) => {
      if (problem.code === 'credit-limit') this.#earned.set(pilot.id, [{ at: Date.now(), amount: mostEarned }]);
    });
    this.#report.joins++;
    const found = textOf(session);
    const others = left === undefined ? [] : differing(left, found);
    if (left !== undefined && others.length === 0) this.#report.foundAgain++;
    if (others.length > 0) this.#report.differences.push(`${pilot.id} left and found: ${others.join('; ')}`);
    for (let legs = random.between(2, 6); legs > 0 && !this.#stopping.signal.aborted; legs--) {
      const prices = session.tuning.get('trade-table') as unknown as TradeTable;
      const gorge = session.tuning.get('thermal-strength') === 1.2 ? trialOfThermals.faster : 1;
      for (const transaction of flySome(random, session.balance('feather'), { prices, gorge })) {
        make(session, this.#withinLimits(pilot, random, transaction));
      }
      await this.#rest(random.between(400, 1_600));
      await session.save();
      this.#report.saves++;
    }
    const { chapter } = session.value('flight') as { readonly chapter: number };
    for (const transaction of land(random, chapter)) make(session, transaction);
    await session.leave();
    this.#report.leaves++;
    return textOf(session);
  }

  /** A transaction as it is, or without its feathers where the pilot has earned enough of them. */
  #withinLimits(pilot: Pilot, random: Random, transaction: Transaction): Transaction {
    const now = Date.now();
    const earned = (this.#earned.get(pilot.id) ?? []).filter(({ at }) => at > now - hour);
    this.#earned.set(pilot.id, earned);
    const before = earned.reduce((sum, { amount }) => sum + amount, 0);
    const more = transaction.changes.reduce((sum, one) => sum + (one.op === 'credit' ? one.amount : 0), 0);
    if (more === 0) return transaction;
    if (before + more > mostEarned && !random.chance(triesForMore)) {
      return { ...transaction, changes: transaction.changes.filter(({ op }) => op !== 'credit') };
    }
    earned.push({ at: now, amount: more });
    return transaction;
  }

  async #rest(milliseconds: number): Promise<void> {
    await pause(milliseconds, undefined, { signal: this.#stopping.signal }).catch(() => undefined);
  }
}

/** What a pilot holds; revisions are left out, since changes that were folded make fewer of them. */
function textOf(session: HostSession): string {
  const values = [...session.records].map(([key, { value }]) => [key, value] as const);
  return JSON.stringify(values.sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** Does with a session what a transaction says. */
function make(session: HostSession, { label, changes }: Transaction): void {
  if (label === undefined) {
    for (const change of changes) void session.make(change);
  } else {
    session.transaction(label, (draft) => {
      for (const change of changes) draft.make(change);
    });
  }
}

/** What a season of the gorge gives meanwhile is no difference. */
const rewards: { readonly [key: string]: number } = { 'currency/feather': 150, 'currency/opal': 1 };

/** @returns each record that was found otherwise than it was left, in words */
function differing(left: string, found: string): readonly string[] {
  const before = new Map(JSON.parse(left) as [string, unknown][]);
  const now = new Map(JSON.parse(found) as [string, unknown][]);
  const differences: string[] = [];
  for (const key of new Set([...before.keys(), ...now.keys()])) {
    const [was, is] = [JSON.stringify(before.get(key)), JSON.stringify(now.get(key))];
    const reward = rewards[key];
    const isGiven = reward !== undefined && Number(is) > Number(was) && (Number(is) - Number(was)) % reward === 0;
    if (was !== is && !isGiven) differences.push(`${key} ${was}, ${is}`);
  }
  return differences;
}
