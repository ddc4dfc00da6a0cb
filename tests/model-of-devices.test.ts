import fc from 'fast-check';
import { expect } from 'chai';
import { VekkonError, type VekkonPlayer } from '@vekkon/client/player';
import { Device } from './world/device.js';
import { FaultProxy, type Fate } from './world/fault-proxy.js';
import { fates, howToRun, laneCount, runs } from './world/made-up.js';
import { World } from './world/world.js';

/** One step of a made-up afternoon on a device with two tabs. */
type Step =
  | { readonly do: 'start'; readonly tab: number }
  | { readonly do: 'play'; readonly tab: number; readonly amount: number; readonly named: boolean }
  | { readonly do: 'save'; readonly tab: number }
  | { readonly do: 'leave'; readonly tab: number }
  /** The tab ends without a word, as one that is closed or loaded again. */
  | { readonly do: 'kill'; readonly tab: number }
  | { readonly do: 'fate'; readonly fate: Fate }
  | { readonly do: 'restart' };

const tab = fc.integer({ min: 0, max: 1 });
const onTab = (what: 'start' | 'save' | 'leave' | 'kill') => fc.record({ do: fc.constant(what), tab });
const steps = fc.array(
  fc.oneof(
    { weight: 250, arbitrary: onTab('start') },
    {
      weight: 400,
      arbitrary: fc.record({
        do: fc.constant('play' as const),
        tab,
        amount: fc.integer({ min: 1, max: 9 }),
        named: fc.boolean(),
      }),
    },
    { weight: 200, arbitrary: onTab('save') },
    { weight: 80, arbitrary: onTab('leave') },
    { weight: 120, arbitrary: onTab('kill') },
    { weight: 200, arbitrary: fc.record({ do: fc.constant('fate' as const), fate: fates }) },
    { weight: 3, arbitrary: fc.constant({ do: 'restart' as const }) },
  ),
  { minLength: 4, maxLength: 16 },
) as fc.Arbitrary<Step[]>;

/** A quarter as many as of hosts: each has two tabs that hand over, and a start at the end that delivers what they left. */
const count = runs / 4;

const source = `manifest: 1
game: highfell-gliders
progress:
  landings: { player: write, starting: 0 }
  notes: { player: write, schema: { type: array, maxItems: 1000, items: { type: string }, default: [] } }
`;

/** A device's way to the service, with faults of its own. Several are played at the same time. */
interface Lane {
  readonly proxy: FaultProxy;
  readonly pending: Fate[];
}

describe('a device and the service together', () => {
  let world: World;
  let lanes: readonly Lane[];
  before(async () => {
    world = await World.start({ manifest: source });
    lanes = await Promise.all(
      Array.from({ length: laneCount }, async () => {
        const proxy = await FaultProxy.start(world.url);
        const pending: Fate[] = [];
        proxy.fate = (request) =>
          /join|saves|leave|devices/.test(request.url ?? '') ? (pending.shift() ?? 'pass') : 'pass';
        return { proxy, pending };
      }),
    );
  });
  after(async () => {
    for (const { proxy } of lanes) await proxy.close();
    await world.close();
  });

  /** What the game did: how much each note counts, and in which tab it was written. */
  interface Played {
    readonly device: Device;
    readonly notes: Map<string, { readonly amount: number; readonly tab: number }>;
    readonly acknowledged: Set<string>;
  }

  async function play(afternoon: readonly Step[], { proxy, pending }: Lane): Promise<Played> {
    const device = new Device();
    const notes: Played['notes'] = new Map();
    const acknowledged = new Set<string>();
    const tabs: (VekkonPlayer | undefined)[] = [undefined, undefined];
    const unsaved: [string[], string[]] = [[], []];
    for (const step of afternoon) {
      try {
        if (step.do === 'fate') pending.push(step.fate);
        else if (step.do === 'restart') await (restarting ??= restart());
        else await act(step);
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
      }
    }
    pending.length = 0;
    return { device, notes, acknowledged };

    async function act(step: Exclude<Step, { do: 'fate' | 'restart' }>): Promise<void> {
      const name = `tab-${step.tab}`;
      const player = tabs[step.tab];
      const isOpen = player?.status.connection === 'online' || player?.status.connection === 'offline';
      switch (step.do) {
        case 'start':
          tabs[step.tab] ??= device.open(world, name, { url: proxy.url, deadline: 20_000 });
          await tabs[step.tab]!.start();
          return;
        case 'play': {
          if (player === undefined || !isOpen) return;
          const note = String(notes.size);
          const write = (draft: Pick<VekkonPlayer, 'increase' | 'collect'>) => {
            void draft.increase('landings', step.amount);
            void draft.collect('notes', note);
          };
          if (step.named) player.transaction('landing', (draft) => write(draft as never));
          else write(player);
          notes.set(note, { amount: step.amount, tab: step.tab });
          unsaved[step.tab]!.push(note);
          // Kept on the device by now: a tab may end.
          await Promise.resolve();
          return;
        }
        case 'save':
        case 'leave':
          if (player === undefined || !isOpen) return;
          await (step.do === 'save' ? player.save() : player.leave());
          for (const note of unsaved[step.tab]!) acknowledged.add(note);
          unsaved[step.tab] = [];
          return;
        case 'kill':
          device.kill(name);
          tabs[step.tab] = undefined;
          unsaved[step.tab] = [];
      }
    }
  }

  it(`keep every change, each once, in ${count} made-up afternoons`, async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(steps, { minLength: laneCount, maxLength: laneCount }), async (afternoons) => {
        const played = await Promise.all(afternoons.map((afternoon, index) => play(afternoon, lanes[index]!)));
        await Promise.all(played.map((one, index) => check(one, lanes[index]!)));
      }),
      howToRun<Step>(count),
    );
  }).timeout(600_000);

  async function check({ device, notes, acknowledged }: Played, { proxy }: Lane): Promise<void> {
    if (notes.size === 0) return device.killAll();
    // Whatever was left where: the next one who opens the game delivers it.
    device.killAll();
    const last = device.open(world, 'tab-last', { url: proxy.url, deadline: 20_000 });
    await last.start();
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
    for (const tab of [0, 1]) {
      const ofTab = stored.filter((note) => notes.get(note)?.tab === tab);
      expect(ofTab, 'in order').to.deep.equal([...ofTab].sort(inOrder));
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
