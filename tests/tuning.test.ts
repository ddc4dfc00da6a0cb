import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client';
import type { SaveResponse, TuningAnswer } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { vekkon } from './world/process.js';
import { tunablesOfAllSorts } from './world/tunables-of-all-sorts.js';
import { got, joined, publish, refusal, saved } from './world/tuning-calls.js';
import { TestClock, World } from './world/world.js';

const hour = 3_600;

describe('tuning', () => {
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

  describe('an edition', () => {
    it('is made from the draft, and holds at once for all', async () => {
      expect(await got(world)).to.deep.include({
        edition: 0,
        values: {
          'thermal-strength': 1,
          'storm-warning': false,
          'camp-note': '',
          'trade-table': [{ item: 'flare', price: 12 }],
        },
        nextChangeAt: null,
      });
      const { tuning } = world.operator;
      const { revision } = await tuning.put('thermal-strength', { value: 2.5, revision: 0 });
      expect((await got(world)).values['thermal-strength']).to.equal(1);
      const answer = await world.call(
        'POST',
        '/v1/tuning/publications',
        { note: 'a warm front', revision },
        { Authorization: `Bearer ${world.operatorToken}` },
      );
      expect([answer.status, answer.body]).to.deep.equal([201, { edition: 1 }]);
      expect(await got(world)).to.deep.include({ edition: 1 });
      expect((await got(world)).values['thermal-strength']).to.equal(2.5);
      expect((await tuning.editions()).editions).to.deep.include({
        edition: 1,
        note: 'a warm front',
        by: World.admin.email,
        at: new Date(clock.now()).toISOString(),
        reissueOf: null,
        differences: ['thermal-strength: 1 → 2.5'],
      });
    });

    it('is published again as a new one, and 0 is what the manifest says', async () => {
      await publish(world, 'thermal-strength', { value: 2 });
      await publish(world, 'thermal-strength', { value: 3 });
      const { tuning } = world.operator;
      expect(await tuning.reissue(1, { note: 'too warm' })).to.deep.equal({ edition: 3 });
      expect((await got(world)).values['thermal-strength']).to.equal(2);
      await tuning.reissue(0);
      expect(await got(world)).to.deep.include({ edition: 4 });
      expect((await got(world)).values['thermal-strength']).to.equal(1);
      expect((await tuning.edition(3)).reissueOf).to.equal(1);
      expect((await refusal(tuning.reissue(9))).code).to.equal('edition-unknown');
    });

    it('is in the store when it was answered: a kill right after loses nothing', async () => {
      await world.stop();
      const args = ['serve', '--data', world.folder, '--port', '0', '--log', 'json', '--trust-clock'];
      const service = vekkon(args);
      const [, url] = await service.says(/"url":"([^"]+)"/);
      const { tuning } = new VekkonOperator({ url: url!, token: world.operatorToken });
      const { revision } = await tuning.put('storm-warning', { value: true, revision: 0 });
      await tuning.publish({ note: 'a storm is near', revision });
      await service.stop('SIGKILL');
      await world.startAgain(0, { trustsClock: true });
      expect(await got(world)).to.deep.include({ edition: 1 });
      expect((await got(world)).values['storm-warning']).to.equal(true);
    });

    it('stands in the activity with who and why, and so does every window that opens or closes', async () => {
      const window = { from: inHours(1), until: inHours(2) };
      await publish(world, 'thermal-strength', { adjustments: [{ note: 'Evening', value: 2, window }] });
      clock.pass(hour);
      await world.restart();
      clock.pass(hour);
      await publish(world, 'camp-note', { value: 'Soup at eight' });
      const { activity } = await world.operator.activity(10);
      const lines = activity
        .filter(({ what }) => /edition|window/.test(what))
        .map(({ what, by, detail }) => [what, by, detail]);
      expect(lines.map(([what]) => what)).to.deep.equal([
        'edition-published',
        'window-closed',
        'window-opened',
        'edition-published',
      ]);
      expect(new Set(lines.map(([, by]) => by))).to.deep.equal(new Set([World.admin.email]));
      expect(lines[1]?.[2]).to.match(
        /^thermal-strength: “Evening” closed at .*: 2, .* · edition 1: another thermal-strength$/,
      );
    });
  });

  describe('the draft', () => {
    it('tells a second designer what the first has changed', async () => {
      const { tuning } = world.operator;
      await tuning.put('thermal-strength', { value: 2, revision: 0 });
      const late = await refusal(tuning.put('camp-note', { value: 'Soup at eight', revision: 0 }));
      expect([late.code, late.facts.revision]).to.deep.equal(['draft-changed', 1]);
      expect(late.facts.changes).to.deep.equal([
        {
          revision: 1,
          tunable: 'thermal-strength',
          words: 'thermal-strength: 1 → 2',
          by: World.admin.email,
          at: new Date(clock.now()).toISOString(),
        },
      ]);
      expect((await refusal(tuning.publish({ note: 'mine', revision: 0 }))).code).to.equal('draft-changed');
      expect((await refusal(tuning.putBack('thermal-strength', 0))).code).to.equal('draft-changed');
    });

    it('goes back to what is published, tunable by tunable', async () => {
      const { tuning } = world.operator;
      await tuning.put('thermal-strength', { value: 2, revision: 0 });
      await tuning.put('camp-note', { value: 'Soup at eight', revision: 1 });
      await tuning.putBack('thermal-strength', 2);
      const draft = await tuning.draft();
      expect(draft.differences.map(({ words }) => words)).to.deep.equal(['camp-note: "" → "Soup at eight"']);
      expect([draft.revision, draft.tunables['camp-note']?.isEdited]).to.deep.equal([3, true]);
    });

    it('publishes only what is named, and lets the rest wait', async () => {
      const { tuning } = world.operator;
      await tuning.put('thermal-strength', { value: 2, revision: 0 });
      await tuning.put('camp-note', { value: 'Soup at eight', revision: 1 });
      await tuning.publish({ note: 'the note', revision: 2, only: ['camp-note'] });
      expect((await got(world)).values).to.deep.include({ 'camp-note': 'Soup at eight', 'thermal-strength': 1 });
      expect((await tuning.draft()).differences.map(({ tunable }) => tunable)).to.deep.equal(['thermal-strength']);
    });

    it('that was made on an edition which is no longer the newest is not published unseen', async () => {
      const { tuning } = world.operator;
      await publish(world, 'thermal-strength', { value: 2 });
      const { revision } = await tuning.put('thermal-strength', { value: 3, revision: 1 });
      await tuning.reissue(0, { note: 'as it was' });
      const late = await refusal(tuning.publish({ note: 'mine', revision }));
      expect([late.code, late.facts.tunables]).to.deep.equal(['draft-outdated', ['thermal-strength']]);
      expect((await got(world)).values['thermal-strength']).to.equal(1);
      expect((await tuning.draft()).tunables['thermal-strength']?.isOutdated).to.equal(true);
    });

    it('takes nothing that is wrong: each mistake is said with its place, and nothing changes', async () => {
      const { tuning } = world.operator;
      const wrong: readonly [object, RegExp][] = [
        [{ value: '2' }, /at \/value: The value must be number/],
        [{ adjustments: [{ value: 2, window: { from: inHours(2), until: inHours(1) } }] }, /not after it starts/],
        [{ adjustments: [{ value: 2, window: { until: inHours(-1) } }] }, /lies in the past/],
        [{ adjustments: [{ value: 2, percent: 0 }] }, /percentage lies above 0/],
        [{ adjustments: [{ value: 2, percent: 101 }] }, /percentage lies above 0/],
        [{ adjustments: [{ value: 2, audience: { attribute: 'chaptr', is: 1 } }] }, /did you mean "chapter"/],
        [{ adjustments: [{ value: 2, audience: { attribute: 'squad', above: 'a' } }] }, /can't apply to squad/],
        [{ adjustments: [{ value: 2 }, { value: 3, percent: 10 }] }, /can never win/],
      ];
      for (const [tuned, expected] of wrong) {
        const { code, message, facts } = await refusal(tuning.put('thermal-strength', { ...tuned, revision: 0 }));
        expect(code).to.equal('tuning-invalid');
        expect(message).to.match(expected);
        expect(facts.issues?.length).to.be.above(0);
      }
      const typo = await refusal(tuning.put('thermal-strenght', { value: 2, revision: 0 }));
      expect([typo.code, typo.message]).to.deep.equal([
        'tunable-unknown',
        '"thermal-strenght" is no declared tunable: did you mean "thermal-strength"?',
      ]);
      const shape = await refusal(
        tuning.put('thermal-strength', {
          adjustments: [{ value: 2, audience: { attribute: 'chapter', isAbout: 5 } as never }],
          revision: 0,
        }),
      );
      expect([shape.code, shape.message]).to.satisfy(
        ([code, message]: string[]) => code === 'request-invalid' && /knows no test "isAbout"/.test(message ?? ''),
      );
      expect((await tuning.draft()).revision).to.equal(0);
    });

    it('reaches testers, and nobody else, at once', async () => {
      const { tuning } = world.operator;
      await joined(world, 'p-maren');
      await joined(world, 'p-sol');
      await tuning.put('thermal-strength', { value: 2, revision: 0 });
      await tuning.setTesters(['p-maren']);
      expect(await got(world, 'p-maren')).to.deep.include({ edition: 0, draft: 1 });
      expect((await got(world, 'p-maren')).values['thermal-strength']).to.equal(2);
      expect((await got(world, 'p-sol')).values['thermal-strength']).to.equal(1);
      expect(await tuning.testers()).to.deep.equal(['p-maren']);
    });
  });

  describe('who may publish', () => {
    it('is an admin where it is live, and designers where the environment says so', async () => {
      const live = await World.start({ manifest: tunablesOfAllSorts, environment: 'live', live: true });
      try {
        const email = 'ines@highfell.example';
        const designer = await live.signInAs(email, 'designer');
        const { revision } = await designer.tuning.put('thermal-strength', { value: 2, revision: 0 });
        expect((await refusal(designer.tuning.publish({ note: 'warm', revision }))).code).to.equal(
          'publishing-not-allowed',
        );
        await live.operator.setPublishers(true);
        expect((await designer.tuning.publish({ note: 'warm', revision })).edition).to.equal(1);
        const viewer = await live.signInAs('sol@highfell.example', 'viewer');
        expect((await refusal(viewer.tuning.put('camp-note', { value: '', revision: 0 }))).code).to.equal(
          'role-too-low',
        );
        expect((await viewer.tuning.draft()).edition).to.equal(1);
      } finally {
        await live.close();
      }
    });
  });

  describe('a session', () => {
    it('is told at join, and with the answer to a save or renewal where it gets something else', async () => {
      const { tuning, session } = await joined(world, 'p-maren');
      expect(tuning).to.deep.include({ edition: 0, nextChangeAt: null });
      expect(await saved(world, session.id, 1)).not.to.have.property('tuning');
      await publish(world, 'thermal-strength', { value: 2 });
      const told = await saved(world, session.id, 2);
      expect(told.tuning).to.deep.include({ edition: 1 });
      expect(told.tuning?.values['thermal-strength']).to.equal(2);
      expect(await saved(world, session.id, 3)).not.to.have.property('tuning');
      await publish(world, 'thermal-strength', { value: 3 });
      const renewed = (await world.call('POST', `/v1/sessions/${session.id}/renew`, {})).body as SaveResponse;
      expect(renewed.tuning?.values['thermal-strength']).to.equal(3);
      await publish(world, 'thermal-strength', { value: 4 });
      const { body } = await world.call('POST', '/v1/hosts/ridge-eu-1/renew', { sessions: [{ session: session.id }] });
      const [one] = (body as { sessions: { tuning?: { values: object } }[] }).sessions;
      expect(one?.tuning?.values).to.deep.include({ 'thermal-strength': 4 });
    });

    it('is told what its own save makes of it: attributes are read from records as they are', async () => {
      await publish(world, 'thermal-strength', {
        adjustments: [{ value: 3, audience: { attribute: 'chapter', atLeast: 5 } }],
      });
      const { tuning, session } = await joined(world, 'p-maren');
      expect(tuning.values['thermal-strength']).to.equal(1);
      const change = { op: 'put', key: 'progress/flight', value: { chapter: 5, metres: 0 } };
      const told = await saved(world, session.id, 1, [change]);
      expect(told.tuning?.values['thermal-strength']).to.equal(3);
      expect((await got(world, 'p-maren')).values['thermal-strength']).to.equal(3);
      // From outside too.
      await world.call(
        'POST',
        '/v1/players/p-maren/changes',
        { transactions: [{ changes: [{ op: 'increase', key: 'progress/flight', path: '/chapter', by: -4 }] }] },
        { 'Idempotency-Key': 'back' },
      );
      expect((await saved(world, session.id, 2)).tuning?.values['thermal-strength']).to.equal(1);
    });

    it('is told of a window as it opens, and knows before when that is', async () => {
      const window = { from: inHours(1), until: inHours(2) };
      await publish(world, 'storm-warning', { adjustments: [{ value: true, window }] });
      const { tuning, session } = await joined(world, 'p-maren');
      expect([tuning.values['storm-warning'], tuning.nextChangeAt]).to.deep.equal([false, window.from]);
      expect(tuning.coming).to.deep.equal([
        { at: window.from, values: { 'storm-warning': true } },
        { at: window.until, values: { 'storm-warning': false } },
      ]);
      clock.pass(hour);
      const open = (await saved(world, session.id, 1)).tuning;
      expect([open?.values['storm-warning'], open?.nextChangeAt]).to.deep.equal([true, window.until]);
      // It sleeps through the edge, and wakes.
      await world.stop();
      clock.pass(hour);
      await world.startAgain();
      const closed = (await saved(world, session.id, 2)).tuning;
      expect([closed?.values['storm-warning'], closed?.nextChangeAt]).to.deep.equal([false, null]);
    });

    it('speaks the names of the version that it joined with', async () => {
      await publish(world, 'thermal-strength', { value: 2, adjustments: [{ value: 4, window: { from: inHours(1) } }] });
      const renamed = tunablesOfAllSorts.replace(
        'thermal-strength: { about',
        'lift: { formerly: [thermal-strength], about',
      );
      await world.operator.installManifest(renamed);
      const old = await joined(world, 'p-maren', {}, { manifest: 1 });
      expect(old.tuning.values['thermal-strength']).to.equal(2);
      expect(old.tuning.coming?.[0]?.values).to.deep.equal({ 'thermal-strength': 4 });
      expect((await joined(world, 'p-sol')).tuning.values).to.deep.include({ lift: 2 });
    });
  });

  describe('GET /v1/tuning', () => {
    it('answers 304 until something is another', async () => {
      const first = await world.call('GET', '/v1/tuning');
      const tag = { 'If-None-Match': first.headers.get('ETag')! };
      expect((await world.call('GET', '/v1/tuning', undefined, tag)).status).to.equal(304);
      await publish(world, 'thermal-strength', { value: 2 });
      const second = await world.call('GET', '/v1/tuning', undefined, tag);
      expect([second.status, (second.body as TuningAnswer).edition]).to.deep.equal([200, 1]);
      expect((await world.call('GET', '/v1/tuning?player=p-nobody')).status).to.equal(404);
    });

    it('tells a device what its own player gets, and no other’s', async () => {
      const added = await world.call(
        'POST',
        '/v1/devices',
        { secret: 'a-secret-of-this-device-alone-0123456789' },
        { Authorization: `Bearer ${world.deviceKey}` },
      );
      const { token, player } = added.body as { token: string; player: string };
      await publish(world, 'thermal-strength', {
        adjustments: [{ value: 3, audience: { attribute: 'player', is: player } }],
      });
      const { body } = await world.call('GET', '/v1/tuning?player=p-nobody', undefined, {
        Authorization: `Bearer ${token}`,
      });
      expect((body as TuningAnswer).values['thermal-strength']).to.equal(3);
    });
  });
});
