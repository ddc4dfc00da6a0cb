import type { MinuteOfPlay, Overview } from '@vekkon/protocol';
import { rfc3339, type Clock, type FeedEvent, type Reader } from '@vekkon/store';
import type { PlayerSaved } from './player-saved.js';

const minute = 60_000;
const day = 24 * 60 * minute;
/** How long it is counted. */
const minutesKept = 60;
/** How many calls of a minute are measured: of more, every now and then one takes the place of another. */
const mostMeasured = 2_000;
/** How many hosts are shown: those with the most sessions. */
const mostHosts = 200;
/** How many names are remembered: beyond that those without sessions are forgotten. */
const mostNames = 10_000;
const mostCodes = 30;

const ofDevices = 'players’ own devices';

export type Measured = 'join' | 'save';

/** Figures of one minute. */
class Minute {
  joins = 0;
  saves = 0;
  leaves = 0;
  repeats = 0;
  readonly refusals = new Map<string, number>();
  readonly #took: { readonly [name in Measured]: number[] } = { join: [], save: [] };
  #figures: ReturnType<Minute['figures']> | undefined;
  readonly #measured: { [name in Measured]: number } = { join: 0, save: 0 };

  /** @param at when it began, in minutes since 1970 */
  constructor(readonly at: number) {}

  refuse(code: string): void {
    // Codes are ours, and few.
    if (this.refusals.size < mostCodes || this.refusals.has(code)) {
      this.refusals.set(code, (this.refusals.get(code) ?? 0) + 1);
    }
  }

  measure(what: Measured, milliseconds: number): void {
    const took = this.#took[what];
    const count = ++this.#measured[what];
    if (took.length < mostMeasured) took.push(milliseconds);
    else {
      // A sample in which each has the same chance. Source: Vitter, algorithm R.
      const place = Math.floor(Math.random() * count);
      if (place < mostMeasured) took[place] = milliseconds;
    }
  }

  /** Of a minute that is over it is reckoned once. */
  figures(isOver: boolean): Pick<MinuteOfPlay, 'joinMedian' | 'joinP99' | 'saveMedian' | 'saveP99'> {
    if (this.#figures !== undefined) return this.#figures;
    const figures = {
      joinMedian: this.#percentile('join', 0.5),
      joinP99: this.#percentile('join', 0.99),
      saveMedian: this.#percentile('save', 0.5),
      saveP99: this.#percentile('save', 0.99),
    };
    if (isOver) this.#figures = figures;
    return figures;
  }

  #percentile(what: Measured, share: number): number | null {
    const took = this.#took[what].toSorted((one, other) => one - other);
    const found = took[Math.min(took.length - 1, Math.floor(took.length * share))];
    return found === undefined ? null : Math.round(found * 10) / 10;
  }
}

interface Host {
  sessions: number;
  heardAt: number | null;
}

type OverviewReads = Pick<Reader['overview'], 'joinedSince' | 'firstSteps'>;

/** What of the overview lies in the store. */
interface CountedFigures {
  readonly lastDay: Overview['lastDay'];
  readonly players: Overview['players'];
  readonly steps: Awaited<ReturnType<OverviewReads['firstSteps']>>;
}

/** What is known of one environment. */
interface Place {
  readonly hosts: Map<string, Host>;
  minutes: Minute[];
}

/** How the game goes: counted in memory since the start, from what commits did and how long calls took. */
export class OverviewCounts {
  readonly #clock: Clock;
  readonly #startedAt: number;
  readonly #places = new Map<number, Place>();
  readonly #counted = new Map<number, { readonly figures: CountedFigures; readonly until: number }>();

  /** @param open the sessions that were open at the start */
  constructor(
    clock: Clock,
    open: readonly { readonly environment: number; readonly host: string; readonly sessions: number }[],
  ) {
    this.#clock = clock;
    this.#startedAt = clock.now();
    for (const { environment, host, sessions } of open) {
      this.#host(environment, host).sessions += sessions;
    }
  }

  /** Takes in what a commit did. */
  heed(event: FeedEvent): void {
    switch (event.what) {
      case 'joined':
        this.#now(event.environment).joins++;
        this.#host(event.environment, event.host).sessions++;
        return this.heard(event.environment, event.host);
      case 'session-ended': {
        const host = this.#host(event.environment, event.host);
        host.sessions = Math.max(0, host.sessions - 1);
        return;
      }
    }
  }

  saved({ environment, host, refused, isLeave, isAgain }: PlayerSaved): void {
    const now = this.#now(environment);
    if (isAgain) now.repeats++;
    else if (isLeave) now.leaves++;
    else now.saves++;
    for (const code of refused) now.refuse(code);
    this.heard(environment, host);
  }

  /** A call of a game was refused. */
  refused(environment: number, code: string): void {
    this.#now(environment).refuse(code);
  }

  /** How long a call of a game took. */
  measured(environment: number, what: Measured, milliseconds: number): void {
    this.#now(environment).measure(what, milliseconds);
  }

  /** A host has saved, joined somebody, or renewed its leases. */
  heard(environment: number, host: string): void {
    this.#host(environment, host).heardAt = this.#clock.now();
  }

  /** What is known by counting. */
  of(environment: number): Pick<Overview, 'since' | 'inSession' | 'minutes' | 'refusals' | 'repeats' | 'hosts'> {
    this.#now(environment);
    const { minutes, hosts } = this.#place(environment);
    const refusals = new Map<string, number>();
    for (const one of minutes)
      for (const [code, many] of one.refusals) refusals.set(code, (refusals.get(code) ?? 0) + many);
    const sum = (counts: Iterable<number>) => [...counts].reduce((total, count) => total + count, 0);
    const first = (minutes[0]?.at ?? 0) * minute;
    return {
      since: rfc3339(Math.max(this.#startedAt, first)),
      inSession: sum([...hosts.values()].map(({ sessions }) => sessions)),
      minutes: minutes.map((one) => ({
        at: rfc3339(one.at * minute),
        joins: one.joins,
        saves: one.saves,
        leaves: one.leaves,
        refused: sum(one.refusals.values()),
        ...one.figures(one !== minutes.at(-1)),
      })),
      refusals: [...refusals]
        .map(([code, count]) => ({ code, count }))
        .toSorted((one, other) => other.count - one.count),
      repeats: sum(minutes.map(({ repeats }) => repeats)),
      hosts: [...hosts]
        .filter(([, { sessions }]) => sessions > 0)
        .toSorted(([, one], [, other]) => other.sessions - one.sessions)
        .slice(0, mostHosts)
        .map(([host, { sessions, heardAt }]) => ({
          host,
          sessions,
          heardAt: heardAt === null ? null : rfc3339(heardAt),
        })),
    };
  }

  /** What is counted in the store: seldom where so many are counted that counting stops, or where nothing can change. */
  async counted(environment: number, reads: OverviewReads): Promise<CountedFigures> {
    const now = this.#clock.now();
    const known = this.#counted.get(environment);
    if (known !== undefined && known.until > now) return known.figures;
    const [lastDay, players] = await Promise.all([
      reads.joinedSince(environment, now - day),
      reads.joinedSince(environment, 0),
    ]);
    const steps = known?.figures.steps ?? (await reads.firstSteps(environment));
    const figures = { lastDay, players, steps };
    const isOver = steps.joined && steps.saved && steps.left && steps.foundAgain;
    if (isOver) {
      this.#counted.set(environment, { figures, until: players.isCapped ? now + minute : 0 });
    }
    return figures;
  }

  #place(environment: number): Place {
    const known = this.#places.get(environment);
    if (known !== undefined) return known;
    const made: Place = { hosts: new Map(), minutes: [] };
    this.#places.set(environment, made);
    return made;
  }

  /** Games on players' own devices are one: each tab is a host of its own name. */
  #host(environment: number, host: string): Host {
    const { hosts } = this.#place(environment);
    const name = host.includes('/') ? ofDevices : host;
    const known = hosts.get(name);
    if (known !== undefined) return known;
    if (hosts.size >= mostNames) for (const [one, { sessions }] of hosts) if (sessions === 0) hosts.delete(one);
    const made: Host = { sessions: 0, heardAt: null };
    hosts.set(name, made);
    return made;
  }

  /** The minute that runs; those without anything stand between, so that a chart shows them. */
  #now(environment: number): Minute {
    const place = this.#place(environment);
    const at = Math.floor(this.#clock.now() / minute);
    const newest = place.minutes.at(-1);
    if (newest?.at === at) return newest;
    // A clock that went back, or has jumped: it begins anew.
    if (newest !== undefined && (newest.at > at || at - newest.at > minutesKept)) place.minutes = [];
    for (let next = (place.minutes.at(-1)?.at ?? at - 1) + 1; next <= at; next++) place.minutes.push(new Minute(next));
    place.minutes = place.minutes.slice(-minutesKept);
    return place.minutes.at(-1) ?? new Minute(at);
  }
}
