import { expect } from 'chai';
import { ServiceRefused, VekkonOperator } from '@vekkon/client';
import type { JoinResponse, SaveResponse, TuningAnswer } from '@vekkon/protocol';
import { verifyStore } from '@vekkon/store';
import { EventStream } from './world/event-stream.js';
import { vekkon } from './world/process.js';
import { tunablesOfAllSorts } from './world/tunables-of-all-sorts.js';
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
  const refusal = async (call: Promise<unknown>): Promise<ServiceRefused> => {
    const error: unknown = await call.then(
      () => undefined,
      (reason: unknown) => reason,
    );
    if (!(error instanceof ServiceRefused)) throw new Error(`It was not refused: ${String(error)}`);
    return error;
  };

  async function publish(tunable: string, tuned: Omit<Parameters<VekkonOperator['tuning']['put']>[1], 'revision'>) {
    const { tuning } = world.operator;
    const { revision } = await tuning.draft();
    const put = await tuning.put(tunable, { ...tuned, revision });
    return tuning.publish({ note: `another ${tunable}`, revision: put.revision, only: [tunable] });
  }

  const got = async (player?: string): Promise<TuningAnswer> => {
    const query = player === undefined ? '' : `?player=${player}`;
    const { body } = await world.call('GET', `/v1/tuning${query}`);
    return body as TuningAnswer;
  };

  const joined = async (player: string, attributes: object = {}, more: object = {}) => {
    const { body } = await world.call('POST', `/v1/players/${player}/join`, {
      host: 'ridge-eu-1',
      attributes,
      ...more,
    });
    return body as JoinResponse;
  };

  const saved = async (session: string, number: number, changes: readonly object[] = []) => {
    const transactions = changes.length === 0 ? [] : [{ changes }];
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions });
    return body as SaveResponse;
  };

  describe('an edition', () => {
    it('is made from the draft, and holds at once for all', async () => {
      expect(await got()).to.deep.include({
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
      expect((await got()).values['thermal-strength']).to.equal(1);
      const answer = await world.call(
        'POST',
        '/v1/tuning/publications',
        { note: 'a warm front', revision },
        { Authorization: `Bearer ${world.operatorToken}` },
      );
      expect([answer.status, answer.body]).to.deep.equal([201, { edition: 1, revision: revision + 1 }]);
      expect(await got()).to.deep.include({ edition: 1 });
      expect((await got()).values['thermal-strength']).to.equal(2.5);
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
      await publish('thermal-strength', { value: 2 });
      await publish('thermal-strength', { value: 3 });
      const { tuning } = world.operator;
      expect(await tuning.reissue(1, { note: 'too warm' })).to.deep.equal({ edition: 3, revision: 5 });
      expect((await got()).values['thermal-strength']).to.equal(2);
      await tuning.reissue(0);
      expect(await got()).to.deep.include({ edition: 4 });
      expect((await got()).values['thermal-strength']).to.equal(1);
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
      expect(await got()).to.deep.include({ edition: 1 });
      expect((await got()).values['storm-warning']).to.equal(true);
    });

    it('stands in the activity with who and why, and so does every window that opens or closes', async () => {
      const window = { from: inHours(1), until: inHours(2) };
      await publish('thermal-strength', { adjustments: [{ note: 'Evening', value: 2, window }] });
      clock.pass(hour);
      await world.restart();
      clock.pass(hour);
      await publish('camp-note', { value: 'Soup at eight' });
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
      expect((await got()).values).to.deep.include({ 'camp-note': 'Soup at eight', 'thermal-strength': 1 });
      expect((await tuning.draft()).differences.map(({ tunable }) => tunable)).to.deep.equal(['thermal-strength']);
    });

    it('that was made on an edition which is no longer the newest is not published unseen', async () => {
      const { tuning } = world.operator;
      await publish('thermal-strength', { value: 2 });
      const { revision } = await tuning.put('thermal-strength', { value: 3, revision: 2 });
      const again = await tuning.reissue(0, { note: 'as it was' });
      const late = await refusal(tuning.publish({ note: 'mine', revision: again.revision }));
      expect([late.code, late.facts.tunables]).to.deep.equal(['draft-outdated', ['thermal-strength']]);
      expect(revision).to.be.below(again.revision);
      expect((await got()).values['thermal-strength']).to.equal(1);
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
      await joined('p-maren');
      await joined('p-sol');
      await tuning.put('thermal-strength', { value: 2, revision: 0 });
      await tuning.setTesters(['p-maren']);
      expect(await got('p-maren')).to.deep.include({ edition: 0, draft: 1 });
      expect((await got('p-maren')).values['thermal-strength']).to.equal(2);
      expect((await got('p-sol')).values['thermal-strength']).to.equal(1);
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
      const { tuning, session } = await joined('p-maren');
      expect(tuning).to.deep.include({ edition: 0, nextChangeAt: null });
      expect(await saved(session.id, 1)).not.to.have.property('tuning');
      await publish('thermal-strength', { value: 2 });
      const told = await saved(session.id, 2);
      expect(told.tuning).to.deep.include({ edition: 1 });
      expect(told.tuning?.values['thermal-strength']).to.equal(2);
      expect(await saved(session.id, 3)).not.to.have.property('tuning');
      await publish('thermal-strength', { value: 3 });
      const renewed = (await world.call('POST', `/v1/sessions/${session.id}/renew`, {})).body as SaveResponse;
      expect(renewed.tuning?.values['thermal-strength']).to.equal(3);
      await publish('thermal-strength', { value: 4 });
      const { body } = await world.call('POST', '/v1/hosts/ridge-eu-1/renew', { sessions: [{ session: session.id }] });
      const [one] = (body as { sessions: { tuning?: { values: object } }[] }).sessions;
      expect(one?.tuning?.values).to.deep.include({ 'thermal-strength': 4 });
    });

    it('is told what its own save makes of it: attributes are read from records as they are', async () => {
      await publish('thermal-strength', {
        adjustments: [{ value: 3, audience: { attribute: 'chapter', atLeast: 5 } }],
      });
      const { tuning, session } = await joined('p-maren');
      expect(tuning.values['thermal-strength']).to.equal(1);
      const change = { op: 'put', key: 'progress/flight', value: { chapter: 5, metres: 0 } };
      const told = await saved(session.id, 1, [change]);
      expect(told.tuning?.values['thermal-strength']).to.equal(3);
      expect((await got('p-maren')).values['thermal-strength']).to.equal(3);
      // From outside too.
      await world.call(
        'POST',
        '/v1/players/p-maren/changes',
        { transactions: [{ changes: [{ op: 'increase', key: 'progress/flight', path: '/chapter', by: -4 }] }] },
        { 'Idempotency-Key': 'back' },
      );
      expect((await saved(session.id, 2)).tuning?.values['thermal-strength']).to.equal(1);
    });

    it('is told of a window as it opens, and knows before when that is', async () => {
      const window = { from: inHours(1), until: inHours(2) };
      await publish('storm-warning', { adjustments: [{ value: true, window }] });
      const { tuning, session } = await joined('p-maren');
      expect([tuning.values['storm-warning'], tuning.nextChangeAt]).to.deep.equal([false, window.from]);
      expect(tuning.coming).to.deep.equal([
        { at: window.from, values: { 'storm-warning': true } },
        { at: window.until, values: { 'storm-warning': false } },
      ]);
      clock.pass(hour);
      const open = (await saved(session.id, 1)).tuning;
      expect([open?.values['storm-warning'], open?.nextChangeAt]).to.deep.equal([true, window.until]);
      // It sleeps through the edge, and wakes.
      await world.stop();
      clock.pass(hour);
      await world.startAgain();
      const closed = (await saved(session.id, 2)).tuning;
      expect([closed?.values['storm-warning'], closed?.nextChangeAt]).to.deep.equal([false, null]);
    });

    it('speaks the names of the version that it joined with', async () => {
      await publish('thermal-strength', { value: 2, adjustments: [{ value: 4, window: { from: inHours(1) } }] });
      const renamed = tunablesOfAllSorts.replace(
        'thermal-strength: { about',
        'lift: { formerly: [thermal-strength], about',
      );
      await world.operator.installManifest(renamed);
      const old = await joined('p-maren', {}, { manifest: 1 });
      expect(old.tuning.values['thermal-strength']).to.equal(2);
      expect(old.tuning.coming?.[0]?.values).to.deep.equal({ 'thermal-strength': 4 });
      expect((await joined('p-sol')).tuning.values).to.deep.include({ lift: 2 });
    });
  });

  describe('GET /v1/tuning', () => {
    it('answers 304 until something is another', async () => {
      const first = await world.call('GET', '/v1/tuning');
      const tag = { 'If-None-Match': first.headers.get('ETag')! };
      expect((await world.call('GET', '/v1/tuning', undefined, tag)).status).to.equal(304);
      await publish('thermal-strength', { value: 2 });
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
      await publish('thermal-strength', { adjustments: [{ value: 3, audience: { attribute: 'player', is: player } }] });
      const { body } = await world.call('GET', '/v1/tuning?player=p-nobody', undefined, {
        Authorization: `Bearer ${token}`,
      });
      expect((body as TuningAnswer).values['thermal-strength']).to.equal(3);
    });
  });

  describe('the stream', () => {
    it('begins with how things stand, then tells of each publication, once and in order', async () => {
      const stream = await EventStream.open(`${world.url}/v1/tuning/stream`, world.hostKey);
      for (const value of [2, 3, 4]) await publish('thermal-strength', { value });
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
      await publish('thermal-strength', { value: 5 });
      await publish('camp-note', { value: 'Soup at eight' });
      const again = await EventStream.open(`${world.url}/v1/tuning/stream`, world.hostKey, last);
      expect((await again.next()).data).to.deep.include({ edition: 5 });
      again.close();
    });

    it('tells of a window’s edge, and of another manifest', async () => {
      const running = await World.start({ manifest: tunablesOfAllSorts });
      try {
        const { tuning } = running.operator;
        const stream = await EventStream.open(`${running.url}/v1/tuning/stream`, running.hostKey);
        await stream.next();
        const from = new Date(Date.now() + 400).toISOString();
        const put = await tuning.put('storm-warning', {
          adjustments: [{ value: true, window: { from } }],
          revision: 0,
        });
        await tuning.publish({ note: 'a storm is near', revision: put.revision });
        const published = (await stream.next()).data as TuningAnswer;
        expect([published.nextChangeAt, published.values['storm-warning']]).to.deep.equal([from, false]);
        const opened = (await stream.next()).data as TuningAnswer;
        expect([opened.nextChangeAt, opened.values['storm-warning']]).to.deep.equal([null, true]);
        expect(Date.parse(opened.now)).to.be.within(Date.parse(from), Date.parse(from) + 1_000);
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
      await joined('p-maren', { country: 'IE', build: '1.8.0' });
      await publish('thermal-strength', {
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
        ['country is "IE", and it is for players in Portugal', `its window opens at ${inHours(1)}`],
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
      await publish('thermal-strength', {
        adjustments: [{ id: 'lift-trial', note: 'Lift', values, measure: { key: 'score/gorge-run' } }],
      });
      const { tuning } = world.operator;
      const fly = async (from: number, count: number) => {
        for (let index = from; index < from + count; index++) {
          const { session, tuning: told } = await joined(`p-${index}`);
          const value = 70_000 - (told.values['thermal-strength'] === 2 ? 5_000 : 0) + (index % 10) * 100;
          await saved(session.id, 1, [{ op: 'submit', key: 'score/gorge-run', value }]);
        }
      };
      await fly(0, 12);
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
      const { revision } = await tuning.draft();
      await tuning.endTrial('lift-trial', { value: 1, note: 'stronger lift flies faster', revision });
      expect((await got('p-1')).values['thermal-strength']).to.equal(2);
      expect((await refusal(tuning.trial('lift-trial'))).code).to.equal('trial-unknown');
    });
  });

  describe('the manifest', () => {
    it('gets another tunable from a designer, in its file as in force', async () => {
      const { operator } = world;
      const { version } = await operator.tuning.declare({ name: 'wind', about: 'From the west.', schema: 3 });
      expect(version).to.equal(2);
      expect((await got()).values).to.deep.include({ wind: 3 });
      const { text } = await operator.manifestFile();
      expect(text).to.include('wind:').and.to.include('How strongly warm air lifts.');
      expect((await refusal(operator.tuning.declare({ name: 'wind', schema: 1 }))).code).to.equal('tunable-exists');
      await operator.tuning.undeclare('wind');
      expect((await got()).values).not.to.have.property('wind');
      expect((await operator.manifestFile()).text).not.to.include('wind:');
    });

    it('says at diff which editions and drafts it breaks, and what does not fit counts no more', async () => {
      await publish('thermal-strength', { value: 2 });
      await world.operator.tuning.put('camp-note', { value: 'Soup at eight', revision: 2 });
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
      expect((await got()).values['thermal-strength']).to.equal('calm');
    });
  });
});
