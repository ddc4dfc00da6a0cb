import { expect } from 'chai';
import { findable } from '@vekkon/core';
import type { ServiceRefused, VekkonOperator } from '@vekkon/client';
import { failure } from './world/failure.js';
import { TestClock, World } from './world/world.js';

const feather = 'currency/feather';
const chapter = 'progress/flight#/chapter';

type Query = Parameters<VekkonOperator['players']>[0];

describe('finding players by what they hold', () => {
  const clock = new TestClock();
  let world: World;
  let operator: VekkonOperator;
  before(async () => {
    world = await World.start({ clock });
    operator = world.operator;
    await fly(1, 6);
    await operator.setFoundBy([feather, chapter, 'attribute/country', 'attribute/build']);
    await fly(7, 12);
    await untilReady();
  });
  after(() => world.close());

  /** Pilot 1 has 50 feathers and is in chapter 2, pilot 2 has 60 and is in chapter 3, and so on. */
  async function fly(from: number, to: number): Promise<void> {
    for (let pilot = from; pilot <= to; pilot++) {
      clock.pass(60);
      const country = pilot % 3 === 0 ? 'PT' : 'IS';
      const session = await world
        .host()
        .join(idOf(pilot), { name: nameOf(pilot), attributes: { country, build: '1.10' } });
      session.credit('feather', pilot * 10, 'climb');
      session.merge('flight', { chapter: pilot + 1 });
      await session.leave();
    }
  }
  const idOf = (pilot: number) => `p-${100 + pilot}`;
  const nameOf = (pilot: number) => `${'LKJIHGFEDCBA'[pilot - 1]}-pilot`;

  /** What was stored before is taken in by small commands of the writer: each answer comes after some of them. */
  async function untilReady(): Promise<void> {
    while ((await operator.foundBy()).foundBy.some(({ isReady }) => !isReady)) await world.call('GET', '/health');
  }

  async function found(query: Query): Promise<readonly (readonly [id: string, found: unknown])[]> {
    const { players } = await operator.players(query);
    return players.map((one) => [one.id, one.found]);
  }
  const ids = async (query: Query) => (await operator.players(query)).players.map(({ id }) => id);
  const refused = async (query: Query) => ((await failure(operator.players(query))) as ServiceRefused).problem;

  it('finds who was there before it was declared, and who came after, the greatest first', async () => {
    expect(await found({ by: feather, from: 100, to: 130 })).to.deep.equal([
      ['p-109', 130],
      ['p-108', 120],
      ['p-107', 110],
      ['p-106', 100],
    ]);
    expect(await found({ by: feather, to: 60, order: 'ascending' })).to.deep.equal([
      ['p-101', 50],
      ['p-102', 60],
    ]);
    expect(await found({ by: chapter, from: 13 })).to.deep.equal([['p-112', 13]]);
    expect(await found({ by: 'attribute/country', is: 'PT', order: 'ascending' })).to.deep.equal([
      ['p-103', 'PT'],
      ['p-106', 'PT'],
      ['p-109', 'PT'],
      ['p-112', 'PT'],
    ]);
  });

  it('finds a text that looks like a number', async () => {
    expect(await ids({ by: 'attribute/build', is: '1.10', count: 1 })).to.deep.equal(['p-112']);
    expect(await ids({ by: 'attribute/build', is: '1.1' })).to.deep.equal([]);
  });

  it('goes on from page to page, each player once', async () => {
    const seen: string[] = [];
    for (let after: string | null | undefined; after !== null;) {
      const page = await operator.players({ by: feather, count: 5, ...(after !== undefined && { after }) });
      expect(page.total).to.equal(12);
      seen.push(...page.players.map(({ id }) => id));
      after = page.next;
    }
    expect(seen).to.deep.equal([12, 11, 10, 9, 8, 7, 6, 5, 4, 3, 2, 1].map(idOf));
  });

  it('is narrowed down by a name, and by who is in a session', async () => {
    const session = await world.host().join('p-108');
    expect(await ids({ by: feather, inSession: 'true' })).to.deep.equal(['p-108']);
    await session.leave();
    expect(await ids({ by: feather, search: 'A-PIL' })).to.deep.equal(['p-112']);
  });

  it('follows what sessions, operators and erasing do', async () => {
    await world
      .host()
      .change('p-101', 'found', [
        { changes: [{ op: 'credit', key: feather, amount: 1000, reason: 'found in the gorge' }] },
      ]);
    expect((await found({ by: feather, count: 1 }))[0]).to.deep.equal(['p-101', 1050]);
    await world
      .host()
      .change('p-101', 'put-back', [{ changes: [{ op: 'debit', key: feather, amount: 1000, reason: 'put back' }] }]);
    const session = await world.host().join('p-102', { attributes: { country: 'NO' } });
    session.remove('flight');
    await session.leave();
    expect(await found({ by: chapter, to: 2, order: 'ascending' })).to.deep.equal([
      ['p-102', 1],
      ['p-101', 2],
    ]);
    expect(await ids({ by: 'attribute/country', is: 'NO' })).to.deep.equal(['p-102']);
    await world
      .host()
      .join('p-erased')
      .then((one) => one.leave());
    expect(await ids({ by: feather, to: 40 })).to.deep.equal(['p-erased']);
    await operator.erase('p-erased');
    expect(await ids({ by: feather, to: 40 })).to.deep.equal([]);
  });

  it('is taken in anew where it was dropped and declared again, and survives a start', async () => {
    await operator.setFoundBy([chapter, 'attribute/country']);
    expect((await refused({ by: feather })).detail).to.include('progress/flight#/chapter, attribute/country');
    await operator.setFoundBy([chapter, 'attribute/country', feather]);
    await world.restart();
    operator = world.operator;
    await untilReady();
    expect(await found({ by: feather, from: 150 })).to.deep.equal([
      ['p-112', 160],
      ['p-111', 150],
    ]);
  });

  it('says what is wrong with the question', async () => {
    const codes = await Promise.all(
      [
        { by: 'currency/opal' },
        { by: 'currency/feahter' },
        { by: 'progress/flight#chapter' },
        { from: 3 },
        { place: 3 },
      ].map(async (query) => (await refused(query)).code),
    );
    expect(codes).to.deep.equal([
      'found-by-not-ready',
      'key-not-declared',
      'path-not-found',
      'request-invalid',
      'request-invalid',
    ]);
    expect((await failure(operator.setFoundBy(['progress/fligth']))) as ServiceRefused).to.have.nested.property(
      'problem.nearest',
      'progress/flight',
    );
  });

  it('orders everybody by name, id, first or last join, page by page', async () => {
    const orders = { name: nameOf, id: idOf, made: (pilot: number) => pilot } as const;
    for (const [sort, keyOf] of Object.entries(orders)) {
      for (const order of ['ascending', 'descending'] as const) {
        const seen: string[] = [];
        for (let after: string | null | undefined; after !== null;) {
          const query = { sort: sort as 'name', order, count: 5, ...(after !== undefined && { after }) };
          const page = await operator.players(query);
          seen.push(...page.players.map(({ id }) => id));
          after = page.next;
        }
        const pilots = Array.from({ length: 12 }, (_, index) => index + 1);
        const sorted = pilots.toSorted((one, other) => (keyOf(one) < keyOf(other) ? -1 : 1)).map(idOf);
        expect(seen, `${sort} ${order}`).to.deep.equal(order === 'ascending' ? sorted : sorted.toReversed());
      }
    }
    expect(await ids({ search: 'pilot', sort: 'name', order: 'ascending', count: 2 })).to.deep.equal([
      'p-112',
      'p-111',
    ]);
  });

  it('finds who is on a board at a place or above', async () => {
    for (const [pilot, seconds] of [
      [3, 70],
      [5, 60],
      [7, 80],
    ] as const) {
      const session = await world.host().join(idOf(pilot));
      session.submit('gorge-run', seconds * 1000);
      await session.leave();
    }
    expect(await found({ board: 'gorge-run' })).to.deep.equal([
      ['p-105', 1],
      ['p-103', 2],
      ['p-107', 3],
    ]);
    expect(await ids({ board: 'gorge-run', place: 2 })).to.deep.equal(['p-105', 'p-103']);
    expect(await ids({ board: 'gorge-run', search: 'p-107' })).to.deep.equal(['p-107']);
    expect((await refused({ board: 'gorge-rum' })).code).to.equal('board-unknown');
  });

  it('gives a gift to those who are found by what they hold', async () => {
    const { number } = await operator.gifts.give({
      changes: [{ op: 'credit', key: 'currency/opal', amount: 1, reason: 'for the poor' }],
      audience: { found: { by: feather, to: 60 } },
      label: 'For the poor',
    });
    while ((await operator.gifts.one(number)).state !== 'given') await world.call('GET', '/health');
    const got = await operator.gifts.players(number, { state: 'given' });
    expect(got.players.map(({ player }) => player).toSorted()).to.deep.equal(['p-101', 'p-102']);
  });

  it('is offered for all that the manifest declares with a single value', async () => {
    const { manifest } = await operator.manifest();
    expect(findable(manifest)).to.include.members([
      feather,
      chapter,
      'progress/climbs',
      'preference/map-detail',
      'score/gorge-run#/best',
      'attribute/country',
    ]);
    expect(findable(manifest)).not.to.include('progress/flight#/charted');
  });
});
