import { expect } from 'chai';
import type { JoinResponse, SaveResponse } from '@vekkon/protocol';
import { ChangeRefused, ServiceRefused, ServiceUnreachable, SessionOver, VekkonHost } from '@vekkon/client';
import { failure } from './world/failure.js';
import { World } from './world/world.js';

describe('a player joins, plays and leaves', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('and finds everything again on another host', async () => {
    const first = await world.host('ridge-eu-1').join('p-10442', { name: 'Maren' });
    expect(first.player.isNew).to.equal(true);
    expect(first.balance('feather')).to.equal(40);
    first.credit('feather', 30, 'climb 8812');
    first.debit('feather', 20, 'camp');
    first.put('preference/invert-pitch', true);
    first.merge('flight', { chapter: 2 });
    first.increase('flight', 812.5, '/metres');
    first.increase('climbs', 1);
    first.outdo('logbook', 2_410, { path: '/highest', better: 'higher' });
    first.collect('flight', 'gull-ridge', '/charted');
    first.submit('gorge-run', 61_250);
    first.put('progress/glider/heron', { span: 12 });
    expect(first.pending).to.equal(10);
    expect(await first.save()).to.deep.equal({ sent: 10, refused: [] });
    first.credit('feather', 5, 'climb 8813');
    await first.leave();

    const second = await world.host('ridge-eu-2').join('p-10442');
    expect(second.player).to.include({ isNew: false, name: 'Maren' });
    expect(second.balance('feather')).to.equal(55);
    expect(second.value('flight')).to.deep.equal({ chapter: 2, charted: ['gull-ridge'], metres: 812.5 });
    expect(second.value('climbs')).to.equal(1);
    expect(second.value('preference/invert-pitch')).to.equal(true);
    expect(second.value('logbook')).to.deep.equal({ flights: 0, highest: 2_410, notes: [], camps: [] });
    expect(second.value('score/gorge-run')).to.include({ best: 61_250, count: 1 });
    expect(second.value('progress/glider/heron')).to.deep.equal({ span: 12, cloth: 'paper', wear: 0 });
    expect([...second.records]).to.deep.include.members([['currency/opal', { revision: 1, value: 2 }]]);
    await second.leave();
  });

  it('is new once, however often the same attempt is sent', async () => {
    const join = { host: 'ridge-eu-1', instance: 'b1c4', attempt: '9f0e' };
    const first = (await world.call('POST', '/v1/players/p-again/join', join)).body as JoinResponse;
    const second = (await world.call('POST', '/v1/players/p-again/join', join)).body as JoinResponse;
    expect(second.session.id).to.equal(first.session.id);
    expect([first.player.isNew, second.player.isNew]).to.deep.equal([true, true]);
    expect(second.records).to.deep.equal(first.records);
    await world.call('POST', `/v1/sessions/${first.session.id}/leave`);
    const third = (await world.call('POST', '/v1/players/p-again/join', { ...join, attempt: 'other' }))
      .body as JoinResponse;
    expect(third.player.isNew).to.equal(false);
    expect(third.records).to.deep.equal(first.records);
  });

  it('is held by one host at a time', async () => {
    const held = await world.host('ridge-eu-1').join('p-held');
    const error = await failure(world.host('ridge-eu-2').join('p-held'));
    expect(error).to.be.instanceOf(ServiceRefused);
    expect((error as ServiceRefused).code).to.equal('player-held');
    expect((error as ServiceRefused).facts.holder?.host).to.equal('ridge-eu-1');
    await held.leave();
    expect((await world.host('ridge-eu-2').join('p-held')).player.isNew).to.equal(false);
  });

  it('gets a save applied once, and each repetition the same answer', async () => {
    const session = await world.joinPlainly('p-once');
    const save = {
      number: 1,
      transactions: [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 10, reason: 'climb' }] }],
    };
    const first = await world.call('POST', `/v1/sessions/${session}/saves`, save);
    const second = await world.call('POST', `/v1/sessions/${session}/saves`, save);
    expect(first.body).to.deep.include({ number: 1, transactions: [{ applied: true }] });
    expect((first.body as SaveResponse).records).to.deep.equal({ 'currency/feather': { revision: 2, value: 50 } });
    const outcomeOf = (text: string) => text.replace(/^\{"now":"[^"]+"/, '').replace(/"session":.*$/, '');
    expect(outcomeOf(second.text)).to.equal(outcomeOf(first.text));
    await world.call('POST', `/v1/sessions/${session}/leave`);
    const afterwards = await world.call('POST', `/v1/sessions/${session}/saves`, save);
    expect(outcomeOf(afterwards.text)).to.equal(outcomeOf(first.text));
  });

  it('applies what it can of a save and says what it could not', async () => {
    const session = await world.joinPlainly('p-half');
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, {
      number: 1,
      transactions: [
        {
          label: 'wing bought',
          changes: [
            { op: 'increase', key: 'progress/climbs', path: '', by: 5 },
            { op: 'debit', key: 'currency/feather', amount: 400, reason: 'wing' },
          ],
        },
        { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] },
      ],
    });
    const { transactions, records } = body as SaveResponse;
    expect(transactions[0]).to.have.nested.property('problem.code', 'balance-too-low');
    expect(transactions[0]).to.have.nested.property('problem.change', 1);
    expect(transactions[1]).to.deep.equal({ applied: true });
    expect(records['progress/climbs']?.value).to.equal(1);
  });

  it('counts a transaction with a once token once', async () => {
    const session = await world.joinPlainly('p-token');
    const pickUp = {
      once: 'feather-at-the-needles',
      changes: [{ op: 'credit', key: 'currency/feather', amount: 10, reason: 'found' }],
    };
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, {
      number: 1,
      transactions: [pickUp, pickUp],
    });
    expect((body as SaveResponse).transactions).to.deep.equal([{ applied: true }, { applied: true, already: true }]);
    expect((body as SaveResponse).records['currency/feather']?.value).to.equal(50);
  });

  it('learns of what others changed since it last heard', async () => {
    const session = await world.joinPlainly('p-outside');
    const tag = { 'If-Match': '"1"' };
    await world.call('PUT', '/v1/players/p-outside/records/progress/climbs', '7', tag);
    const { body } = await world.call('POST', `/v1/sessions/${session}/saves`, {
      number: 1,
      seen: 1,
      transactions: [],
    });
    expect((body as SaveResponse).records).to.deep.equal({ 'progress/climbs': { revision: 2, value: 7 } });
    expect((body as SaveResponse).seen).to.equal(2);
  });

  it('leaves with the same answer, however often that is sent', async () => {
    const session = await world.joinPlainly('p-leaves');
    const last = {
      number: 1,
      transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
    };
    const first = await world.call('POST', `/v1/sessions/${session}/leave`, last);
    const second = await world.call('POST', `/v1/sessions/${session}/leave`, last);
    expect(first.body).to.deep.include({ number: 1, transactions: [{ applied: true }] });
    expect(second.body).to.deep.include({ number: 1, transactions: [{ applied: true }] });
    const details = await world.operator.session(session);
    expect(details).to.include({ end: 'left', saves: 1 });
    expect(details.loaded['progress/climbs']?.value).to.equal(0);
    expect(details.stored['progress/climbs']?.value).to.equal(1);
  });
});

describe('the client', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('refuses a typo before anything is sent, and changes nothing', async () => {
    const session = await world.host().join('p-typo');
    expect(() => session.credit('fether', 5, 'climb')).to.throw(ChangeRefused, 'did you mean "currency/feather"?');
    expect(() => session.merge('flight', { chapter: 'two' })).to.throw(ChangeRefused, '/chapter');
    expect(session.pending).to.equal(0);
    await session.leave();
  });

  it('never takes a failure for a new player', async () => {
    const nowhere = new VekkonHost({
      url: 'http://127.0.0.1:9',
      hostKey: world.hostKey,
      host: 'ridge-eu-1',
      deadline: 200,
    });
    expect(await failure(nowhere.join('p-1'))).to.be.instanceOf(ServiceUnreachable);
    const wrongKey = new VekkonHost({ url: world.url, hostKey: 'vkh_wrong', host: 'ridge-eu-1' });
    expect(await failure(wrongKey.join('p-1'))).to.have.property('code', 'credential-unknown');
  });

  it('keeps what could not be sent, and sends it once under the same number', async () => {
    const session = await world.host().join('p-outage');
    session.credit('feather', 10, 'climb');
    const url = world.url;
    await world.restart();
    // The port has changed: the host can't reach the service any more.
    expect(await failure(session.save())).to.be.instanceOf(ServiceUnreachable);
    expect(session.pending).to.equal(1);
    expect(session.balance('feather')).to.equal(50);
    expect(url).to.not.equal(world.url);
  });

  it('is told when its session is over, and writes no more', async () => {
    const old = await world.host('ridge-eu-1').join('p-taken');
    await world.host('ridge-eu-1').join('p-taken');
    // It may hear of it on its stream before the other join is answered, or by its own save.
    const written = async () => {
      old.credit('feather', 10, 'climb');
      await old.save();
    };
    expect(await failure(written())).to.be.instanceOf(SessionOver);
    expect(() => old.credit('feather', 1, 'climb')).to.throw(SessionOver);
    const player = await world.operator.player('p-taken');
    expect(player.records['currency/feather']?.value).to.equal(40);
  });

  it('leaves with everybody when the host closes', async () => {
    const host = world.host('ridge-eu-9');
    const sessions = await Promise.all(['p-a', 'p-b', 'p-c'].map((player) => host.join(player)));
    for (const session of sessions) session.increase('climbs', 3);
    expect(await host.close()).to.deep.equal({ left: ['p-a', 'p-b', 'p-c'], spooled: [], lost: [] });
    for (const player of ['p-a', 'p-b', 'p-c']) {
      const details = await world.operator.player(player);
      expect(details.sessionOn).to.equal(null);
      expect(details.records['progress/climbs']?.value).to.equal(3);
    }
  });
});
