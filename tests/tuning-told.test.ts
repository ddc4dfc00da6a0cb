import Database from 'better-sqlite3';
import { expect } from 'chai';
import path from 'node:path';
import type { TuningAnswer } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { EventStream } from './world/event-stream.js';
import { tunablesOfAllSorts } from './world/tunables-of-all-sorts.js';
import { got, joined, publish, refusal, saved } from './world/tuning-calls.js';
import { TestClock, World } from './world/world.js';

const hour = 3_600;

describe('tuning, looked at', () => {
  let clock: TestClock;
  let world: World;
  beforeEach(async () => {
    clock = new TestClock();
    world = await World.start({ manifest: tunablesOfAllSorts, clock });
  });
  afterEach(async () => {
    expect(world.faults()).to.deep.equal([]);
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    await world.close();
  });

  const inHours = (hours: number) => new Date(clock.now() + hours * hour * 1000).toISOString();

  describe('the stream', () => {
    it('begins with how things stand, then tells of each publication, once and in order', async () => {
      const stream = await EventStream.open(`${world.url}/v1/tuning/stream`, world.hostKey);
      for (const value of [2, 3, 4]) await publish(world, 'thermal-strength', { value });
      const heard = [];
      for (let count = 0; count < 4; count++) heard.push(await stream.next());
      const told = heard.map(({ data }) => data as TuningAnswer);
      expect(told.map(({ edition, values }) => [edition, values['thermal-strength']])).to.deep.equal([
        [0, 1],
        [1, 2],
        [2, 3],
        [3, 4],
      ]);
      stream.close();
      // Cut off: what it has already is not told again, what it missed is told once, as it stands.
      const last = heard.at(-1)!.id;
      await publish(world, 'thermal-strength', { value: 5 });
      await publish(world, 'camp-note', { value: 'Soup at eight' });
      const again = await EventStream.open(`${world.url}/v1/tuning/stream`, world.hostKey, last);
      expect((await again.next()).data).to.deep.include({ edition: 5 });
      again.close();
    });

    it('reaches hundreds at once, each with every edition in order, while players are saved', async () => {
      const session = (await joined(world, 'p-maren')).session.id;
      const url = `${world.url}/v1/tuning/stream`;
      const streams = await Promise.all(Array.from({ length: 300 }, () => EventStream.open(url, world.hostKey)));
      const heard = streams.map(async (stream) => {
        const editions: number[] = [];
        while (editions.at(-1) !== 5) editions.push(((await stream.next()).data as TuningAnswer).edition);
        return editions;
      });
      for (let edition = 1; edition <= 5; edition++) {
        await publish(world, 'thermal-strength', { value: 1 + edition / 10 });
        expect((await saved(world, session, edition)).tuning).to.deep.include({ edition });
      }
      for (const editions of await Promise.all(heard)) expect(editions).to.deep.equal([0, 1, 2, 3, 4, 5]);
      for (const stream of streams) stream.close();
    });

    it('tells of a window’s edge, and of another manifest', async () => {
      const running = await World.start({ manifest: tunablesOfAllSorts });
      try {
        const { tuning } = running.operator;
        const stream = await EventStream.open(`${running.url}/v1/tuning/stream`, running.hostKey);
        await stream.next();
        const from = new Date(Date.now() + 1_500).toISOString();
        const put = await tuning.put('storm-warning', {
          adjustments: [{ value: true, window: { from } }],
          revision: 0,
        });
        await tuning.publish({ note: 'a storm is near', revision: put.revision });
        const published = (await stream.next()).data as TuningAnswer;
        expect([published.nextChangeAt, published.values['storm-warning']]).to.deep.equal([from, false]);
        const opened = (await stream.next()).data as TuningAnswer;
        expect([opened.nextChangeAt, opened.values['storm-warning']]).to.deep.equal([null, true]);
        expect(Date.parse(opened.now)).to.be.at.least(Date.parse(from));
        await running.operator.installManifest(
          tunablesOfAllSorts.replace('storm-warning: false', 'storm-warning: false\n  wind: 3'),
        );
        expect(((await stream.next()).data as TuningAnswer).values).to.deep.include({ wind: 3 });
        stream.close();
        expect(running.faults()).to.deep.equal([]);
      } finally {
        await running.close();
      }
    });

    it('is closed with the key that opened it', async () => {
      const stream = await EventStream.open(`${world.url}/v1/tuning/stream`, world.hostKey);
      await stream.next();
      await world.operator.revokeKey(world.hostKey.slice(0, 12));
      await stream.ended;
    });
  });

  describe('an explanation', () => {
    it('says which adjustment won, and what failed in each before it, at any moment and for any edition', async () => {
      await joined(world, 'p-maren', { country: 'IE', build: '1.8.0' });
      await publish(world, 'thermal-strength', {
        value: 2,
        adjustments: [
          { note: 'Portugal', value: 4, audience: { attribute: 'country', is: 'PT' } },
          { note: 'Evening', value: 3, window: { from: inHours(1) } },
        ],
      });
      const { tuning } = world.operator;
      const now = (await tuning.explain({ player: 'p-maren' })).tunables['thermal-strength'];
      expect([now?.value, now?.from, now?.tried.map(({ failed }) => failed)]).to.deep.equal([
        2,
        'edition',
        ['country is "IE", and it is for players in Portugal', 'its window opens Mon 23 Nov 13:00 UTC'],
      ]);
      const later = await tuning.explain({ player: 'p-maren', at: inHours(1) });
      expect([later.tunables['thermal-strength']?.value, later.tunables['thermal-strength']?.from]).to.deep.equal([
        3,
        'adjustment',
      ]);
      const typed = await tuning.explain({ attributes: { country: 'PT' } });
      expect(typed.tunables['thermal-strength']?.value).to.equal(4);
      expect((await tuning.explain({ edition: '0' })).tunables['thermal-strength']?.from).to.equal('manifest');
      expect((await refusal(tuning.explain({ player: 'p-nobody' }))).code).to.equal('player-unknown');
    });
  });

  describe('a trial', () => {
    it('compares what its players came to, says when there is not enough, and ends in one step', async () => {
      const values = [
        { value: 1, share: 50 },
        { value: 2, share: 50 },
      ];
      await publish(world, 'thermal-strength', {
        adjustments: [{ id: 'lift-trial', note: 'Lift', values, measure: { key: 'score/gorge-run' } }],
      });
      const { tuning } = world.operator;
      const fly = async (from: number, count: number) => {
        for (let index = from; index < from + count; index++) {
          const { session, tuning: told } = await joined(world, `p-${index}`);
          const value = 70_000 - (told.values['thermal-strength'] === 2 ? 5_000 : 0) + (index % 10) * 100;
          await saved(world, session.id, 1, [{ op: 'submit', key: 'score/gorge-run', value }]);
        }
      };
      await fly(0, 12);
      // An operator who looks gives nobody a value.
      await world.call('PUT', '/v1/players/p-away/records/progress/flight', { chapter: 2, metres: 0 });
      await tuning.values('p-away');
      const early = await tuning.trial('lift-trial');
      expect(early.verdict).to.equal('too-few');
      expect(early.words).to.match(/not enough to tell yet/);
      expect(early.values.reduce((sum, { players }) => sum + players, 0)).to.equal(12);
      await fly(12, 90);
      const told = await tuning.trial('lift-trial');
      expect([told.verdict, told.better, told.unit]).to.deep.equal(['clear-difference', 'lower', 'milliseconds']);
      expect(told.values[1]?.difference?.mean).to.be.closeTo(-5_000, 250);
      expect(told.words).to.match(/^With 2 it is 0:0\d\.\d+ less than with 1, which is better \(95 %/);
      expect((await tuning.trials()).map(({ trial }) => trial)).to.deep.equal(['lift-trial']);
      const before = await tuning.draft();
      // An edit that waits goes on without the trial, and whoever saw it with the trial is told.
      const trial = before.tunables['thermal-strength']!.adjustments;
      const evening = { id: 'evening', value: 3, percent: 10 };
      const { revision } = await tuning.put('thermal-strength', {
        adjustments: [evening, ...trial],
        revision: before.revision,
      });
      await tuning.endTrial('lift-trial', { value: 1, note: 'stronger lift flies faster', revision });
      const after = await tuning.draft();
      expect(after.tunables['thermal-strength']).to.deep.include({
        value: 2,
        adjustments: [evening],
        isOutdated: false,
      });
      expect((await refusal(tuning.putBack('thermal-strength', revision))).code).to.equal('draft-changed');
      expect((await got(world, 'p-1')).values['thermal-strength']).to.equal(2);
      expect((await refusal(tuning.trial('lift-trial'))).code).to.equal('trial-unknown');
    });
  });

  describe('the manifest', () => {
    it('gets another tunable from a designer, in its file as in force', async () => {
      const { operator } = world;
      const { version } = await operator.tuning.declare({ name: 'wind', about: 'From the west.', schema: 3 });
      expect(version).to.equal(2);
      expect((await got(world)).values).to.deep.include({ wind: 3 });
      const { text } = await operator.manifestFile();
      expect(text).to.include('wind:').and.to.include('How strongly warm air lifts.');
      expect((await refusal(operator.tuning.declare({ name: 'wind', schema: 1 }))).code).to.equal('tunable-exists');
      await operator.tuning.undeclare('wind');
      expect((await got(world)).values).not.to.have.property('wind');
      expect((await operator.manifestFile()).text).not.to.include('wind:');
    });

    it('says at diff which editions and drafts it breaks, and what does not fit counts no more', async () => {
      await publish(world, 'thermal-strength', { value: 2 });
      await world.operator.tuning.put('camp-note', { value: 'Soup at eight', revision: 1 });
      const other = tunablesOfAllSorts
        .replace(
          'schema: { type: number, minimum: 0.1, maximum: 5, default: 1 }',
          'schema: { type: string, default: calm }',
        )
        .replace('  camp-note: ""\n', '');
      const { tuning } = await world.operator.diffManifest(other);
      expect(tuning.map(({ where, isRunning, tunable }) => [where, isRunning, tunable])).to.deep.equal([
        ['edition 1', true, 'thermal-strength'],
        ['draft', false, 'camp-note'],
      ]);
      await world.operator.installManifest(other);
      expect((await got(world)).values['thermal-strength']).to.equal('calm');
    });
  });
});

describe('a session whose tuning cannot be looked at', () => {
  it('is saved and answered all the same', async () => {
    const world = await World.start({ manifest: tunablesOfAllSorts });
    const { session } = await joined(world, 'p-ilja');
    await publish(world, 'thermal-strength', { value: 2 });
    await world.stop();
    const database = new Database(path.join(world.folder, 'vekkon.sqlite'));
    database.prepare('update sessions set attributes = ?').run('{');
    database.close();
    await world.startAgain();
    const answer = await world.call('POST', `/v1/sessions/${session.id}/saves`, { number: 1, transactions: [] });
    expect(answer.status).to.equal(200);
    await world.close();
  });
});
