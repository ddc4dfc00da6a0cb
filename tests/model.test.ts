import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import fc from 'fast-check';
import { expect } from 'chai';
import {
  ChangeRefused,
  HostClosing,
  lookInSpool,
  SessionLeaving,
  SessionOver,
  spoolsIn,
  VekkonError,
  type Closed,
  type Delivery,
  type HostSession,
  type VekkonHost,
} from '@vekkon/client';
import type { Transaction } from '@vekkon/core';
import { Disk } from './world/disk.js';
import { FaultProxy, type Fate } from './world/fault-proxy.js';
import { fates, howToRun, laneCount, runs } from './world/made-up.js';
import { RunningClock, World } from './world/world.js';

const playersAnAfternoon = 3;
const player = fc.integer({ min: 0, max: playersAnAfternoon - 1 });
const amount = fc.integer({ min: 1, max: 9 });

/** What a change looks like: as usual, in wide letters, or as no service takes it. */
type Look = 'plain' | 'wide' | 'no reason' | 'endless label' | 'not a number';
const looks = fc.constantFrom<Look>('plain', 'plain', 'plain', 'no reason', 'endless label', 'not a number');

/** Beside what is counted there is a chart, which may be large. */
const manifest = `manifest: 1
game: highfell-gliders
progress:
  climbs: 0
  notes: { schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
  chart: ""
currencies: { feather: 40 }
`;

/** Letters of three bytes: five charts are more than a request may take, and less than half as many letters. */
const wideChart = '風'.repeat(80_000);
const wideOnes = 5;

/** What is between the host and the service: nothing, an outage, or a way on which every answer to a save is lost. */
type Way = 'open' | 'out' | 'losing answers';

/** What happens to one player: a full disk under their leave, and another host that joins them then, too. */
type PlayersStep = 'join' | 'leave' | 'save' | 'other host' | 'erase' | 'charts' | 'leave on a full disk';

/** One step of a made-up afternoon. */
type Step =
  | { readonly do: PlayersStep; readonly player: number }
  | { readonly do: 'play'; readonly player: number; readonly amount: number; readonly look: Look }
  | { readonly do: 'way'; readonly way: Way }
  | { readonly do: 'fate'; readonly fate: Fate }
  /** Everybody who is joined plays and saves, twice: several saves queue where nothing gets through. */
  | { readonly do: 'queue' | 'save all' | 'restart service' }
  /** The host ends: killed, or closed while the game goes on playing; it starts again at the next join. */
  | { readonly do: 'kill' | 'close' };

const withPlayer = (weight: number, what: PlayersStep) => ({
  weight,
  arbitrary: fc.record({ do: fc.constant(what), player }),
});
const steps = fc.array(
  fc.oneof(
    withPlayer(250, 'join'),
    { weight: 400, arbitrary: fc.record({ do: fc.constant('play' as const), player, amount, look: looks }) },
    withPlayer(130, 'save'),
    withPlayer(50, 'leave'),
    withPlayer(40, 'other host'),
    withPlayer(12, 'erase'),
    withPlayer(15, 'charts'),
    withPlayer(20, 'leave on a full disk'),
    {
      weight: 150,
      arbitrary: fc.record({
        do: fc.constant('way' as const),
        way: fc.constantFrom<Way>('open', 'open', 'out', 'losing answers'),
      }),
    },
    { weight: 120, arbitrary: fc.record({ do: fc.constant('fate' as const), fate: fates }) },
    { weight: 80, arbitrary: fc.constant({ do: 'queue' as const }) },
    { weight: 60, arbitrary: fc.constant({ do: 'save all' as const }) },
    { weight: 60, arbitrary: fc.constant({ do: 'kill' as const }) },
    { weight: 60, arbitrary: fc.constant({ do: 'close' as const }) },
    // A start of the service takes longer than all the rest: rare, but over all runs there are many.
    { weight: 3, arbitrary: fc.constant({ do: 'restart service' as const }) },
  ),
  { minLength: 4, maxLength: 18 },
) as fc.Arbitrary<Step[]>;

/** A way to the service with faults of its own. Several are played at the same time. */
interface Lane {
  readonly number: number;
  readonly proxy: FaultProxy;
  readonly pending: Fate[];
  way: Way;
}

/** What the game knows of one change, by what it was told. */
interface Known {
  readonly amount: number;
  readonly session: HostSession;
  /**
   * `accepted`: it was done here; `kept`: its promise resolved with a journal;
   * `saved`: the service has it; `maybe`: the game was told that it may be
   * gone, or was ended before it was told anything.
   */
  told: 'accepted' | 'kept' | 'saved' | 'maybe';
}

/** Milliseconds for which a call is tried in an afternoon: outages are longer than that. */
const deadline = 40;

/** One afternoon: a host that starts again and again, its players, and what the game was told. */
class Afternoon {
  readonly #world: World;
  readonly #lane: Lane;
  readonly #folder = mkdtempSync(path.join(tmpdir(), 'vekkon-model-'));
  readonly #name: string;
  readonly #players: readonly string[];
  readonly #isJournaling: boolean;
  readonly #sessions = new Map<number, HostSession>();
  /** In which start of the service each session was joined. */
  readonly #joinedIn = new WeakMap<HostSession, number>();
  readonly #others: VekkonHost[] = [];
  readonly changes: readonly Map<string, Known>[];
  readonly #count: number[];
  #host: VekkonHost | undefined;
  #isAlive = { now: true };
  #hasErased = false;
  /** What was met on the way, to be read where something went wrong. */
  readonly #failedTries: string[] = [];
  readonly deliveries: Delivery[] = [];

  constructor(world: World, lane: Lane, index: number) {
    this.#world = world;
    this.#lane = lane;
    this.#name = `ridge-${lane.number}-${index}`;
    this.#isJournaling = index % 2 === 0;
    this.#players = Array.from({ length: playersAnAfternoon }, (_, one) => `p-${index}-${one}`);
    this.changes = this.#players.map(() => new Map());
    this.#count = this.#players.map(() => 0);
  }

  async play(made: readonly Step[]): Promise<void> {
    for (const step of made) {
      try {
        await this.#take(step);
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
      }
    }
  }

  async #take(step: Step): Promise<void> {
    switch (step.do) {
      case 'fate':
        this.#lane.pending.push(step.fate);
        return;
      case 'way':
        this.#lane.way = step.way;
        return;
      case 'restart service':
        return restartOf(this.#world);
      case 'join':
        await this.#join(step.player);
        return;
      case 'play':
        await this.#play(step.player, step.amount, step.look);
        return;
      case 'queue':
        for (let round = 0; round < 2; round++) {
          for (const one of this.#sessions.keys()) await this.#play(one, 1, 'plain');
          await Promise.all([...this.#sessions.keys()].map((one) => this.#save(one).catch(onlyVekkonErrors)));
        }
        return;
      case 'save':
        return this.#save(step.player);
      case 'save all':
        await Promise.all([...this.#sessions.keys()].map((one) => this.#save(one).catch(onlyVekkonErrors)));
        return;
      case 'leave': {
        const session = this.#sessions.get(step.player);
        if (session === undefined) return;
        await session.leave();
        this.#areSaved(session);
        this.#sessions.delete(step.player);
        return;
      }
      case 'charts':
        for (let round = 0; round < wideOnes; round++) await this.#play(step.player, 1, 'wide');
        return;
      case 'other host':
        return this.#joinElsewhere(step.player);
      case 'leave on a full disk': {
        const session = this.#sessions.get(step.player);
        if (session === undefined || !theDisk.canBeFull) return;
        const startOfService = theDisk.startOfService;
        await theDisk.whileFull(() => session.leave().catch(onlyVekkonErrors));
        // Since it joined there was no start of the service either: time passes with each, and nobody may have renewed it.
        const isHeld = !session.isOver && this.#joinedIn.get(session) === theDisk.startOfService;
        this.#lane.way = 'open';
        await this.#joinElsewhere(step.player);
        // A start of the service meanwhile, by another afternoon, lets time pass: the lease may be over by then.
        if (!isHeld || this.#host === undefined || startOfService !== theDisk.startOfService) return;
        // Its lease was not over: whoever joins has waited for it, and it has left.
        const { sessions } = await this.#world.operator.sessionsOf(this.#players[step.player]!);
        expect(sessions.find(({ id }) => id === session.id)?.end, 'the end of a session with a lease').to.equal('left');
        return;
      }
      case 'erase':
        this.#hasErased = true;
        await this.#world.operator.erase(this.#players[step.player]!);
        // From here on only what is done by whoever joins next counts; nothing of before may ever come back.
        this.changes[step.player]!.clear();
        this.#sessions.delete(step.player);
        return;
      case 'kill':
        return this.#kill();
      case 'close':
        await this.#close(60);
        return;
    }
  }

  async #join(one: number): Promise<void> {
    const { startOfService } = theDisk;
    const session = await this.#started().join(this.#players[one]!, { wait: 1 });
    this.#sessions.set(one, session);
    this.#joinedIn.set(session, startOfService);
  }

  async #joinElsewhere(one: number): Promise<void> {
    const other = this.#world.host(`${this.#name}-other`, { deadline: 2_000 });
    this.#others.push(other);
    const session = await other.join(this.#players[one]!, { wait: 1 });
    await session.leave();
  }

  /** The host as it runs now, started if it does not. */
  #started(): VekkonHost {
    if (this.#host !== undefined) return this.#host;
    const life = { now: true };
    const throughLife: typeof fetch = (...request) =>
      life.now ? fetch(...request) : Promise.reject(new TypeError('the process was killed'));
    this.#isAlive = life;
    this.#host = this.#world.host(this.#name, {
      url: this.#lane.proxy.url,
      deadline,
      spool: this.#folder,
      journal: this.#isJournaling,
      fetch: throughLife,
    });
    this.#host.onDelivery((delivery) => this.deliveries.push(delivery));
    this.#host.onFailedTry(({ path: call, error }) => this.#failedTries.push(`${call}: ${error.message}`));
    return this.#host;
  }

  async #play(one: number, by: number, look: Look): Promise<void> {
    const session = this.#sessions.get(one);
    if (session === undefined || session.isLeaving) return;
    await this.#change(session, one, by, look);
  }

  /** @throws what the client says to a change that it does not accept */
  async #change(session: HostSession, one: number, by: number, look: Look): Promise<void> {
    const changes = this.changes[one]!;
    const life = this.#isAlive;
    const id = `${one}-${this.#count[one]!++}`;
    const label = look === 'endless label' ? 'l'.repeat(300) : `climb ${id}`;
    const transaction: Transaction = {
      label,
      changes: [
        { op: 'credit', key: 'currency/feather', amount: by, reason: look === 'no reason' ? '' : 'climb' },
        { op: 'collect', key: 'progress/notes', path: '', value: id },
        ...(look === 'not a number' ? [{ op: 'increase' as const, key: 'progress/climbs', path: '', by: NaN }] : []),
        ...(look === 'wide' ? [{ op: 'put' as const, key: 'progress/chart', value: `${id} ${wideChart}` }] : []),
      ],
    };
    const known: Known = { amount: by, session, told: 'accepted' };
    const outcome = session.transaction(label, (draft) => {
      for (const change of transaction.changes) draft.make(change);
    });
    if (!outcome.applied) throw new ChangeRefused(outcome.problem as never);
    changes.set(id, known);
    // A change of no consequence, whose promise says that what came before it lies in the journal.
    if (!this.#isJournaling) return;
    await session.increase('climbs', 1).catch(onlyVekkonErrors);
    if (life.now && known.told === 'accepted') known.told = 'kept';
  }

  async #save(one: number): Promise<void> {
    const session = this.#sessions.get(one);
    if (session === undefined) return;
    const before = this.#of(session).filter(({ told }) => told !== 'saved');
    const { refused } = await session.save();
    const again = new Set(refused.map(({ transaction }) => transaction.label));
    for (const known of before) if (known.told !== 'maybe' || again.size === 0) known.told = 'saved';
  }

  #of(session: HostSession): readonly Known[] {
    return this.changes.flatMap((ofPlayer) => [...ofPlayer.values()].filter((known) => known.session === session));
  }

  #areSaved(session: HostSession): void {
    for (const known of this.#of(session)) known.told = 'saved';
  }

  /** The process ends without a word: what it had not been told of may be gone. */
  async #kill(): Promise<void> {
    if (this.#host === undefined) return;
    this.#isAlive.now = false;
    for (const session of this.#host.sessions) {
      for (const known of this.#of(session)) if (known.told === 'accepted') known.told = 'maybe';
    }
    // What was lost or left before is not told of any more either.
    for (const ofPlayer of this.changes) {
      for (const known of ofPlayer.values()) if (known.told === 'accepted') known.told = 'maybe';
    }
    this.#sessions.clear();
    this.#host = undefined;
  }

  /** The host closes while its game goes on playing, as a game loop does. */
  async #close(within: number): Promise<Closed> {
    const host = this.#host;
    if (host === undefined) return { left: [], spooled: [], lost: [] };
    const loops = [...this.#sessions].map(async ([one, session]) => {
      for (let round = 0; round < 50; round++) {
        if (session.isLeaving && round > 2) return;
        try {
          await this.#change(session, one, 1, 'plain');
        } catch (error) {
          if (error instanceof SessionLeaving || error instanceof SessionOver || error instanceof HostClosing) return;
          throw error;
        }
        await new Promise((resolve) => setImmediate(resolve));
      }
    });
    const closed = await host.close({ within });
    await Promise.all(loops);
    this.#heed(closed);
    this.#sessions.clear();
    this.#host = undefined;
    return closed;
  }

  /** What closing said: whom it names as lost may be gone, and nobody else. */
  #heed({ lost }: Closed): void {
    for (const { player: id } of lost) {
      const one = this.#players.indexOf(id);
      for (const known of this.changes[one]?.values() ?? []) if (known.told !== 'saved') known.told = 'maybe';
    }
  }

  /** The evening: the way is open, everything is closed, and what was told is held against what is there. */
  async settle(): Promise<void> {
    this.#lane.pending.length = 0;
    this.#lane.way = 'open';
    this.#failedTries.push('— evening —');
    if (this.#host !== undefined) {
      // What waited for a way goes through it now, whatever became of answers before: nothing is stuck.
      await this.#host.join(`visitor-${this.#name}`, { deadline: 20_000 });
      for (const session of this.#host.sessions) await session.save().catch(onlyIfOver);
      const { spooled, lost, setAside } = await this.#close(20_000);
      const met = `closing in the evening, after ${this.#failedTries.slice(-5).join('; ')}`;
      // Who holds as much as may wait for a person: theirs stays in the spool until a person came.
      const held = await Promise.all(spooled.map(async (id) => (await this.#world.operator.unsettled(id)).total));
      const withRoom = spooled.filter((_, index) => held[index] === 0);
      const what = `${met}; ${JSON.stringify({ lost, setAside, faults: this.#world.faults() })}`;
      expect([withRoom, this.#hasErased ? [] : lost, setAside], what).to.deep.equal([[], [], undefined]);
    }
    for (const other of this.#others) await other.close();
    // Starts until all is delivered; each delivers whatever earlier ones left, and between them a person settles.
    for (let starts = 1; await this.#deliverRest(); starts++) expect(starts, 'starts').to.be.below(20);
    for (const { refused, putAside, setAside } of this.deliveries) {
      expect([putAside, setAside], 'what was delivered').to.deep.equal([[], null]);
      if (!this.#hasErased)
        expect(refused, `what was delivered: ${JSON.stringify(refused).slice(0, 600)}`).to.deep.equal([]);
    }
  }

  /** @returns whether something still waits for a person, who then settles what the players hold */
  async #deliverRest(): Promise<boolean> {
    const last = this.#world.host(this.#name, {
      url: this.#lane.proxy.url,
      deadline: 20_000,
      spool: this.#folder,
      journal: this.#isJournaling,
    });
    last.onDelivery((delivery) => this.deliveries.push(delivery));
    const visitor = await last.join(`visitor-${this.#name}`);
    await visitor.leave();
    const { left, lost, spooled } = await last.close();
    const found = spoolsIn(this.#folder).map(({ file }) => lookInSpool(file, [this.#world.hostKey]));
    const isAllDelivered = found.every((one) => 'undelivered' in one && one.undelivered.length === 0);
    expect([left, lost, spooled.length === 0], 'the last start').to.deep.equal([[], [], isAllDelivered]);
    if (isAllDelivered) return false;
    expect(
      this.deliveries.some(({ waiting }) => waiting.length > 0),
      'why something is left',
    ).to.equal(true);
    for (const player of this.#players) {
      const { refused } = await this.#world.operator.dealWithUnsettled('settle', { player });
      expect(refused, 'what was settled').to.deep.equal([]);
    }
    return true;
  }

  async check(): Promise<void> {
    for (const [one, id] of this.#players.entries()) await this.#check(id, this.changes[one]!);
    for (const { file } of spoolsIn(this.#folder)) {
      const found = lookInSpool(file, [this.#world.hostKey]);
      expect(found).to.deep.equal({ undelivered: [], aside: [], isTorn: false });
    }
    rmSync(this.#folder, { recursive: true });
  }

  async #check(id: string, changes: ReadonlyMap<string, Known>): Promise<void> {
    const { records } = await this.#world.operator.player(id).catch(() => ({ records: {} }) as never);
    const { unsettled } = await this.#world.operator.unsettled(id).catch(() => ({ unsettled: [] }));
    const notes = records['progress/notes']?.value as readonly string[] | undefined;
    const stored = [...(notes ?? [])];
    const kept = unsettled.flatMap(({ transaction }) =>
      transaction.changes.flatMap((change) => (change.op === 'collect' ? [String(change.value)] : [])),
    );
    const there = [...stored, ...kept];
    expect(new Set(there).size, `${id}: each once`).to.equal(there.length);
    expect([...changes.keys()], `${id}: nothing that was never accepted, or was erased`).to.include.members(there);
    const mustBeThere = [...changes].flatMap(([one, { told }]) => (told === 'maybe' ? [] : [one]));
    expect(there, `${id}: what the game was told`).to.include.members(mustBeThere);
    const balance = 40 + stored.reduce((sum, one) => sum + (changes.get(one)?.amount ?? 0), 0);
    if (notes !== undefined) expect(records['currency/feather']?.value, id).to.equal(balance);
  }
}

function onlyIfOver(error: unknown): void {
  if (!(error instanceof SessionOver)) throw error;
}

function onlyVekkonErrors(error: unknown): void {
  if (!(error instanceof VekkonError)) throw error;
}

const theDisk = new Disk();
let restarting: Promise<void> | undefined;
let restartOf: (world: World) => Promise<void> = () => Promise.resolve();

describe('hosts and the service together', () => {
  const clock = new RunningClock();
  let world: World;
  let lanes: readonly Lane[];
  before(async () => {
    world = await World.start({ manifest, clock });
    theDisk.use(world.folder);
    // Longer than a lease: only those that were renewed since hold.
    clock.pass(1_000);
    lanes = await Promise.all(
      Array.from({ length: laneCount }, async (_, number) => {
        const proxy = await FaultProxy.start(world.url);
        const lane: Lane = { number, proxy, pending: [], way: 'open' };
        // Faults meet joins, saves and leaves; the stream and the manifest pass where the way is open.
        proxy.fate = (request) => {
          const isOfSaves = /saves|leave/.test(request.url ?? '');
          if (lane.way === 'out') return 'drop-request';
          if (lane.way === 'losing answers' && isOfSaves) return 'drop-response';
          return isOfSaves || /join/.test(request.url ?? '') ? (lane.pending.shift() ?? 'pass') : 'pass';
        };
        return lane;
      }),
    );
    // Several who want a restart at the same time get one.
    restartOf = () => {
      restarting ??= theDisk
        .whileNotFull(() => world.restart())
        .then(() => {
          theDisk.startOfService++;
          clock.pass(1_000);
          for (const { proxy } of lanes) proxy.target = world.url;
          restarting = undefined;
        });
      return restarting;
    };
  });
  after(async () => {
    for (const { proxy } of lanes) await proxy.close();
    await world.close();
  });

  it(`keep what the game was told, each change once, in ${runs} made-up afternoons`, async () => {
    let count = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(steps, { minLength: laneCount, maxLength: laneCount }), async (made) => {
        const afternoons = made.map((_, index) => new Afternoon(world, lanes[index]!, count++));
        await Promise.all(afternoons.map((one, index) => one.play(made[index]!)));
        // Looked at when all have ended, so that no restart of the service comes between.
        await Promise.all(afternoons.map((one) => one.settle()));
        await Promise.all(afternoons.map((one) => one.check()));
      }),
      howToRun<Step>(runs),
    );
  }).timeout(600_000);
});
