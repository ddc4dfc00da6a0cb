import { expect } from 'chai';
import fc from 'fast-check';
import type { Change, Json, Transaction } from '@vekkon/core';
import { ChangeRefused, type HostSession } from '@vekkon/client';
import { World } from './world/world.js';

/** Changes of every sort, most of which apply, on few keys, so that they meet and fold. */
const amount = fc.integer({ min: 1, max: 30 });
const ridge = fc.constantFrom('gull-ridge', 'salt-col', 'fox-saddle');
const glider = fc.constantFrom('heron', 'tern', 'swift');
const item = fc.constantFrom('silk-patch', 'flare');
const changes = fc.oneof<fc.Arbitrary<Change>[]>(
  amount.map((by) => ({ op: 'increase', key: 'progress/climbs', path: '', by })),
  fc
    .double({ min: 0, max: 50, noNaN: true })
    .map((by) => ({ op: 'increase', key: 'progress/flight', path: '/metres', by })),
  fc.integer({ min: 1, max: 45 }).map((chapter) => ({ op: 'merge', key: 'progress/flight', value: { chapter } })),
  ridge.map((value) => ({ op: 'collect', key: 'progress/flight', path: '/charted', value })),
  ridge.map((value) => ({ op: 'discard', key: 'progress/flight', path: '/charted', value })),
  amount.map((value) => ({ op: 'outdo', key: 'progress/logbook', path: '/top', value, better: 'higher' })),
  fc
    .record({ name: glider, span: amount })
    .map(({ name, span }) => ({ op: 'put', key: `progress/craft/${name}`, value: { span } })),
  glider.map((name) => ({ op: 'remove', key: `progress/glider/${name}` })),
  amount.map((one) => ({ op: 'credit', key: 'currency/feather', amount: one, reason: 'thermal' })),
  amount.map((one) => ({ op: 'debit', key: 'currency/feather', amount: one, reason: 'camp' })),
  fc.record({ item, count: amount }).map((one) => ({ op: 'gain', key: 'inventory/pack', ...one })),
  fc.record({ item, count: amount }).map((one) => ({ op: 'lose', key: 'inventory/pack', ...one })),
  glider.map((piece) => ({ op: 'gain', key: 'inventory/hangar', item: 'wing', piece })),
  glider.map((piece) => ({ op: 'lose', key: 'inventory/hangar', item: 'wing', piece })),
  fc
    .record({ piece: glider, mended: amount })
    .map(({ piece, mended }) => ({ op: 'alter', key: 'inventory/hangar', piece, traits: { mended } })),
  fc.boolean().map((value) => ({ op: 'put', key: 'preference/invert-pitch', value })),
  fc.constantFrom<Change>(
    { op: 'start-over' },
    { op: 'reset', key: 'progress/glider' },
    { op: 'reset', key: 'preference' },
  ),
);
const transactions = fc.array(
  fc.oneof(
    { weight: 4, arbitrary: changes.map((change): Transaction => ({ changes: [change] })) },
    {
      weight: 1,
      arbitrary: fc
        .array(changes, { minLength: 1, maxLength: 3 })
        .map((all): Transaction => ({ label: 'together', changes: all })),
    },
  ),
  { minLength: 1, maxLength: 40 },
);
const runs = Number(process.env['VEKKON_MODEL_RUNS'] ?? 300);

describe('the copy of a client, folded, and the service', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it(`have the same records to the byte, after ${runs} made-up stays`, async () => {
    const host = world.host();
    let player = 0;
    await fc.assert(
      fc.asyncProperty(transactions, fc.integer({ min: 1, max: 15 }), async (all, everySo) => {
        const session = await host.join(`p-${++player}`);
        for (const [index, transaction] of all.entries()) {
          make(session, transaction);
          const shown = textOf(session);
          if (index % everySo !== 0) continue;
          const { refused } = await session.save();
          expect(refused, 'what was done here holds there').to.deep.equal([]);
          expect(textOf(session), 'what was shown is what is stored').to.equal(shown);
        }
        const shown = textOf(session);
        await session.leave();
        const { records } = await world.operator.player(`p-${player}`);
        expect(sorted(Object.entries(records).map(([key, { value }]) => [key, value]))).to.equal(shown);
      }),
      { numRuns: runs, endOnFailure: true },
    );
  });
});

function make(session: HostSession, { label, changes: all }: Transaction): void {
  if (label !== undefined) {
    session.transaction(label, (draft) => all.forEach((change) => draft.make(change)));
    return;
  }
  for (const change of all) {
    try {
      void session.make(change);
    } catch (error) {
      if (!(error instanceof ChangeRefused)) throw error;
    }
  }
}

/** What a game sees, in the order of keys. Revisions differ: folded changes make fewer. Times are the service's own. */
function textOf(session: HostSession): string {
  return sorted([...session.records].map(([key, { value }]) => [key, value]));
}

function sorted(entries: readonly (readonly [key: string, value: Json])[]): string {
  return JSON.stringify([...entries].sort(([a], [b]) => (a < b ? -1 : 1)));
}
