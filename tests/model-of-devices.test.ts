import fc from 'fast-check';
import { expect } from 'chai';
import { ServiceRefused, VekkonError, type VekkonPlayer } from '@vekkon/client/player';
import { Device } from './world/device.js';
import { FaultProxy, type Fate } from './world/fault-proxy.js';
import { until } from './world/until.js';
import { fates, howToRun, laneCount, runs } from './world/made-up.js';
import { RunningClock, World } from './world/world.js';

/** What a change looks like: as usual, in wide letters, or as no service takes it. */
type Look = 'plain' | 'named' | 'wide' | 'endless label' | 'not a number';
/** What is between the device and the service: nothing, an outage, or a way on which every answer to a save is lost. */
type Way = 'open' | 'out' | 'losing answers';

/** One step of a made-up afternoon on a device with two tabs. */
type Step =
  | { readonly do: 'start'; readonly tab: number }
  | { readonly do: 'play'; readonly tab: number; readonly amount: number; readonly look: Look }
  | { readonly do: 'save'; readonly tab: number }
  | { readonly do: 'leave'; readonly tab: number }
  /** The tab ends without a word, as one that is closed or loaded again. */
  | { readonly do: 'kill'; readonly tab: number }
  /** The game goes on playing while it leaves. */
  | { readonly do: 'leave in mid-play'; readonly tab: number }
  | { readonly do: 'fate'; readonly fate: Fate }
  | { readonly do: 'way'; readonly way: Way }
  | { readonly do: 'erase' }
  | { readonly do: 'restart' };

const tab = fc.integer({ min: 0, max: 1 });
const onTab = (what: 'start' | 'save' | 'leave' | 'kill' | 'leave in mid-play') =>
  fc.record({ do: fc.constant(what), tab });
const steps = fc.array(
  fc.oneof(
    { weight: 250, arbitrary: onTab('start') },
    {
      weight: 400,
      arbitrary: fc.record({
        do: fc.constant('play' as const),
        tab,
        amount: fc.integer({ min: 1, max: 9 }),
        look: fc.constantFrom<Look>('plain', 'plain', 'named', 'named', 'wide', 'endless label', 'not a number'),
      }),
    },
    { weight: 200, arbitrary: onTab('save') },
    { weight: 80, arbitrary: onTab('leave') },
    { weight: 120, arbitrary: onTab('kill') },
    { weight: 50, arbitrary: onTab('leave in mid-play') },
    { weight: 200, arbitrary: fc.record({ do: fc.constant('fate' as const), fate: fates }) },
    {
      weight: 60,
      arbitrary: fc.record({
        do: fc.constant('way' as const),
        way: fc.constantFrom<Way>('open', 'open', 'out', 'losing answers'),
      }),
    },
    { weight: 10, arbitrary: fc.constant({ do: 'erase' as const }) },
    { weight: 3, arbitrary: fc.constant({ do: 'restart' as const }) },
  ),
  { minLength: 4, maxLength: 16 },
) as fc.Arbitrary<Step[]>;

const source = `manifest: 1
game: highfell-gliders
progress:
  landings: { player: write, starting: 0 }
  notes: { player: write, schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
  chart: { player: write, schema: { type: string, default: "" } }
`;

/** Letters of three bytes: a fifth of what a record may take, and a third of that in letters. */
const wideChart = '風'.repeat(17_000);

/** A device's way to the service, with faults of its own. Several are played at the same time. */
interface Lane {
  readonly proxy: FaultProxy;
  readonly pending: Fate[];
  way: Way;
}

describe('a device and the service together', () => {
  const clock = new RunningClock();
  let world: World;
  let lanes: readonly Lane[];
  before(async () => {
    world = await World.start({ manifest: source, clock });
    lanes = await Promise.all(
      Array.from({ length: laneCount }, async () => {
        const proxy = await FaultProxy.start(world.url);
        const lane: Lane = { proxy, pending: [], way: 'open' };
        proxy.fate = (request) => {
          const isOfSaves = /saves|leave/.test(request.url ?? '');
          if (lane.way === 'out') return 'drop-request';
          if (lane.way === 'losing answers' && isOfSaves) return 'drop-response';
          return isOfSaves || /join|devices/.test(request.url ?? '') ? (lane.pending.shift() ?? 'pass') : 'pass';
        };
        return lane;
      }),
    );
  });
  after(async () => {
    for (const { proxy } of lanes) await proxy.close();
    await world.close();
  });

  /** What the game did: how much each note counts, and in which life of which tab it was written. */
  interface Played {
    readonly device: Device;
    readonly notes: Map<string, { readonly amount: number; readonly life: number }>;
    readonly acknowledged: Set<string>;
  }

  async function play(afternoon: readonly Step[], lane: Lane): Promise<Played> {
    const { proxy, pending } = lane;
    const device = new Device();
    const notes: Played['notes'] = new Map();
    const acknowledged = new Set<string>();
    const tabs: (VekkonPlayer | undefined)[] = [undefined, undefined];
    const unsaved: [string[], string[]] = [[], []];
    /** What a tab left that ended, another may take over, and deliver after those that came later. */
    const lives: [number, number] = [0, 1];
    let count = 0;
    for (const step of afternoon) {
      try {
        if (step.do === 'fate') pending.push(step.fate);
        else if (step.do === 'way') lane.way = step.way;
        else if (step.do === 'erase') await erase();
        else if (step.do === 'restart') await (restarting ??= restart());
        else await act(step);
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
      }
    }
    pending.length = 0;
    lane.way = 'open';
    return { device, notes, acknowledged };

    /** The player is gone, and with them what they did; the device goes on as somebody new. */
    async function erase(): Promise<void> {
      const player = tabs.find((one) => one?.player !== undefined)?.player;
      if (player === undefined) return;
      device.killAll();
      tabs.fill(undefined);
      await world.operator.erase(player.id).catch(() => undefined);
      for (const name of [...device.kept.keys()]) device.kept.delete(name);
      notes.clear();
      acknowledged.clear();
      for (const ofTab of unsaved) ofTab.length = 0;
    }

    /** @throws what the client says to a change that it does not accept */
    function doSome(player: VekkonPlayer, { tab, amount, look }: { tab: number; amount: number; look: Look }): void {
      const note = String(count++);
      const write = (draft: Pick<VekkonPlayer, 'increase' | 'collect' | 'put'>) => {
        void draft.increase('landings', look === 'not a number' ? NaN : amount);
        void draft.collect('notes', note);
        if (look === 'wide') void draft.put('chart', `${note} ${wideChart}`);
      };
      if (look === 'plain') write(player);
      else {
        const label = look === 'endless label' ? 'l'.repeat(300) : 'landing';
        const outcome = player.transaction(label, (draft) => write(draft as never));
        if (!outcome.applied) return;
      }
      notes.set(note, { amount, life: lives[tab]! });
      unsaved[tab]!.push(note);
    }

    async function act(step: Exclude<Step, { do: 'fate' | 'way' | 'erase' | 'restart' }>): Promise<void> {
      const name = `tab-${step.tab}`;
      const player = tabs[step.tab];
      const isOpen = player?.status.connection === 'online' || player?.status.connection === 'offline';
      switch (step.do) {
        case 'start':
          tabs[step.tab] ??= device.open(world, name, { url: proxy.url, deadline: 300, wait: 1 });
          await tabs[step.tab]!.start();
          return;
        case 'play': {
          if (player === undefined || !isOpen) return;
          doSome(player, step);
          // Kept on the device by now: a tab may end.
          await Promise.resolve();
          return;
        }
        case 'leave in mid-play': {
          if (player === undefined || !isOpen) return;
          const left = player.leave();
          left.catch(() => undefined);
          for (let round = 0; round < 20; round++) {
            try {
              doSome(player, { ...step, amount: 1, look: 'named' });
            } catch (error) {
              if (!(error instanceof VekkonError)) throw error;
              break;
            }
            await new Promise((resolve) => setImmediate(resolve));
          }
          await left;
          return;
        }
        case 'save':
        case 'leave':
          if (player === undefined || !isOpen) return;
          {
            // What is done meanwhile is not what the answer is about.
            const before = unsaved[step.tab]!.splice(0);
            await (step.do === 'save' ? player.save() : player.leave());
            for (const note of before) acknowledged.add(note);
          }
          return;
        case 'kill':
          device.kill(name);
          tabs[step.tab] = undefined;
          unsaved[step.tab] = [];
          lives[step.tab]! += 2;
      }
    }
  }

  it(`keep every change, each once, in ${runs} made-up afternoons`, async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(steps, { minLength: laneCount, maxLength: laneCount }), async (afternoons) => {
        const played = await Promise.all(afternoons.map((afternoon, index) => play(afternoon, lanes[index]!)));
        // A tab that ended before it heard that it had joined holds the player until its lease is over.
        clock.pass(1_000);
        await Promise.all(played.map((one, index) => check(one, lanes[index]!)));
      }),
      howToRun<Step>(runs),
    );
  }).timeout(600_000);

  async function check({ device, notes, acknowledged }: Played, { proxy }: Lane): Promise<void> {
    if (notes.size === 0) return device.killAll();
    // Whatever was left where: the next one who opens the game delivers it.
    device.killAll();
    const last = device.open(world, 'tab-last', { url: proxy.url, deadline: 20_000 });
    await until(async () => {
      await last.start().catch(onlyIfHeld);
      if (last.status.connection === 'online') return true;
      // A join that was under way when its tab ended may have got through since: its lease must be over first.
      last.stop();
      clock.pass(1_000);
      return false;
    });
    await last.save();
    await last.leave();
    const { records } = await world.operator.player(last.player!.id);
    const { unsettled } = await world.operator.unsettled(last.player!.id);
    const stored = records['progress/notes']?.value as string[];
    const kept = unsettled.flatMap(({ transaction }) =>
      transaction.changes.flatMap((change) => (change.op === 'collect' ? [String(change.value)] : [])),
    );
    const inOrder = (a: string, b: string) => Number(a) - Number(b);
    expect([...stored, ...kept].sort(inOrder)).to.deep.equal([...notes.keys()]);
    for (const life of new Set([...notes.values()].map((one) => one.life))) {
      const ofLife = stored.filter((note) => notes.get(note)?.life === life);
      expect(ofLife, 'in order').to.deep.equal([...ofLife].sort(inOrder));
    }
    expect(stored, 'acknowledged').to.include.members([...acknowledged]);
    const landed = stored.reduce((sum, note) => sum + notes.get(note)!.amount, 0);
    expect(records['progress/landings']?.value).to.equal(landed);
  }

  let restarting: Promise<void> | undefined;
  /** Several who want a restart at the same time get one. */
  async function restart(): Promise<void> {
    await world.restart();
    for (const { proxy } of lanes) proxy.target = world.url;
    restarting = undefined;
  }
});

function onlyIfHeld(error: unknown): void {
  if (!(error instanceof ServiceRefused) || error.code !== 'player-held') throw error;
}
