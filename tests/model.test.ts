import fc from 'fast-check';
import { expect } from 'chai';
import { SessionOver, VekkonError, type HostSession, type VekkonHost } from '@vekkon/client';
import { FaultProxy, type Fate } from './world/fault-proxy.js';
import { fates, howToRun, laneCount, runs } from './world/made-up.js';
import { World } from './world/world.js';

/** One step of a made-up afternoon. */
type Step =
  | { readonly do: 'join'; readonly host: number }
  | { readonly do: 'play'; readonly amount: number; readonly named: boolean }
  | { readonly do: 'save' }
  | { readonly do: 'leave' }
  | { readonly do: 'fate'; readonly fate: Fate }
  | { readonly do: 'restart' };

const steps = fc.array(
  fc.oneof(
    { weight: 200, arbitrary: fc.record({ do: fc.constant('join' as const), host: fc.integer({ min: 0, max: 1 }) }) },
    {
      weight: 400,
      arbitrary: fc.record({
        do: fc.constant('play' as const),
        amount: fc.integer({ min: 1, max: 9 }),
        named: fc.boolean(),
      }),
    },
    { weight: 250, arbitrary: fc.constant({ do: 'save' as const }) },
    { weight: 100, arbitrary: fc.constant({ do: 'leave' as const }) },
    { weight: 200, arbitrary: fc.record({ do: fc.constant('fate' as const), fate: fates }) },
    // A start of the service takes longer than all the rest: rare, but over all runs there are many.
    { weight: 3, arbitrary: fc.constant({ do: 'restart' as const }) },
  ),
  { minLength: 3, maxLength: 14 },
);

/** A player's way to the service, with faults of its own. Several are played at the same time. */
interface Lane {
  readonly proxy: FaultProxy;
  readonly pending: Fate[];
  readonly hosts: readonly VekkonHost[];
}

describe('client and service together', () => {
  let world: World;
  let lanes: readonly Lane[];
  before(async () => {
    world = await World.start();
    lanes = await Promise.all(
      Array.from({ length: laneCount }, async (_, index) => {
        const proxy = await FaultProxy.start(world.url);
        const pending: Fate[] = [];
        // Faults meet joins, saves and leaves, one after the other; the stream and the manifest pass.
        proxy.fate = (request) => (/join|saves|leave/.test(request.url ?? '') ? (pending.shift() ?? 'pass') : 'pass');
        const hosts = ['a', 'b'].map((name) =>
          world.host(`ridge-${index}-${name}`, { url: proxy.url, deadline: 20_000 }),
        );
        return { proxy, pending, hosts };
      }),
    );
  });
  after(async () => {
    for (const { hosts } of lanes) await Promise.all(hosts.map((host) => host.close({ within: 5_000 })));
    for (const { proxy } of lanes) await proxy.close();
    await world.close();
  });

  /** What the game did, and what of it the service said was on disk. Each climb has a number of its own. */
  interface Played {
    readonly climbs: Map<string, number>;
    readonly acknowledged: Set<string>;
  }

  async function play(afternoon: readonly Step[], player: string, { pending, hosts }: Lane): Promise<Played> {
    const climbs = new Map<string, number>();
    const acknowledged = new Set<string>();
    let session: HostSession | undefined;
    let unsaved: string[] = [];
    const areSaved = () => {
      for (const climb of unsaved) acknowledged.add(climb);
      unsaved = [];
    };
    for (const step of afternoon) {
      try {
        switch (step.do) {
          case 'fate':
            pending.push(step.fate);
            break;
          case 'restart':
            restarting ??= restart();
            await restarting;
            break;
          case 'join':
            session = await hosts[step.host]!.join(player, { wait: 5 });
            // What the session before it still had may be saved by now, or come too late.
            unsaved = [];
            break;
          case 'play': {
            if (session === undefined || session.isOver) break;
            const climb = String(climbs.size);
            const write = (draft: Pick<HostSession, 'credit' | 'collect'>) => {
              void draft.credit('feather', step.amount, 'climb');
              void draft.collect('logbook', climb, '/notes');
            };
            if (step.named) session.transaction('climb', (draft) => write(draft as never));
            else write(session);
            climbs.set(climb, step.amount);
            unsaved.push(climb);
            break;
          }
          case 'save':
            await session?.save();
            areSaved();
            break;
          case 'leave':
            await session?.leave();
            areSaved();
            session = undefined;
        }
      } catch (error) {
        if (!(error instanceof VekkonError)) throw error;
        if (error instanceof SessionOver) {
          unsaved = [];
          session = undefined;
        }
      }
    }
    pending.length = 0;
    return { climbs, acknowledged };
  }

  it(`keep every acknowledged change, each once, in ${runs} made-up afternoons`, async () => {
    let count = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(steps, { minLength: laneCount, maxLength: laneCount }), async (afternoons) => {
        const all = afternoons.map((afternoon, index) => ({ afternoon, player: `p-${count++}`, lane: lanes[index]! }));
        // Looked at when all have ended, so that no restart comes between.
        const played = await Promise.all(all.map(({ afternoon, player, lane }) => play(afternoon, player, lane)));
        await Promise.all(all.map(({ player, lane }, index) => check(played[index]!, player, lane)));
      }),
      howToRun<Step>(runs),
    );
  }).timeout(600_000);

  async function check({ climbs, acknowledged }: Played, player: string, lane: Lane): Promise<void> {
    for (const host of lane.hosts) {
      for (const session of host.sessions) await session.leave().catch(onlySessionOver);
    }
    if (climbs.size === 0) return;
    const inOrder = (a: string, b: string) => Number(a) - Number(b);
    // What came too late is on its way still: it must arrive.
    let found = await look(player);
    while (found.stored.length + found.kept.length < climbs.size) found = await look(player);
    const { stored, kept, balance } = found;
    // Everything is on disk or kept for a person: nothing is lost, nothing is there twice.
    expect([...stored, ...kept].sort(inOrder)).to.deep.equal([...climbs.keys()]);
    expect(stored, 'in order').to.deep.equal([...stored].sort(inOrder));
    expect(stored, 'acknowledged').to.include.members([...acknowledged]);
    expect(balance).to.equal(40 + stored.reduce((sum, climb) => sum + climbs.get(climb)!, 0));
  }

  /** What of a player's climbs is on disk, and what is kept as unsettled. */
  async function look(player: string): Promise<{ stored: string[]; kept: string[]; balance: number }> {
    const { records } = await world.operator.player(player);
    const { unsettled } = await world.operator.unsettled(player);
    return {
      stored: (records['progress/logbook']?.value as { notes: string[] }).notes,
      balance: Number(records['currency/feather']?.value),
      kept: unsettled.flatMap(({ transaction }) =>
        transaction.changes.flatMap((change) => (change.op === 'collect' ? [String(change.value)] : [])),
      ),
    };
  }

  let restarting: Promise<void> | undefined;
  /** Several who want a restart at the same time get one. */
  async function restart(): Promise<void> {
    await world.restart();
    for (const { proxy } of lanes) proxy.target = world.url;
    restarting = undefined;
  }
});

function onlySessionOver(error: unknown): void {
  if (!(error instanceof SessionOver)) throw error;
}
