import { expect } from 'chai';
import type { Clock } from '@vekkon/store';
import { Disturbances } from '../src/disturbances.js';
import { Handovers } from '../src/handovers.js';

const forever = 2 ** 30;
const nobodyHangsUp = () => new AbortController().signal;

describe('waiting for a handover', () => {
  let handovers: Handovers;
  beforeEach(() => (handovers = new Handovers()));
  const ended = (session: string, player = 'p-1') =>
    handovers.heed({
      what: 'session-ended',
      environment: 1,
      player,
      session,
      host: 'ridge-eu-1',
      end: 'left',
      by: null,
    });

  it('asks the holder for as long as somebody waits', async () => {
    const waiting = handovers.lookOut(1, 'p-1').wait('ses_held', forever, nobodyHangsUp());
    expect(handovers.isWanted('ses_held')).to.equal(true);
    ended('ses_held');
    expect(await waiting).to.equal('look-again');
    expect(handovers.isWanted('ses_held')).to.equal(false);
  });

  it('misses no end that came before it waited, and takes each for one', async () => {
    const lookout = handovers.lookOut(1, 'p-1');
    ended('ses_held');
    expect(await lookout.wait('ses_held', forever, nobodyHangsUp())).to.equal('look-again');
    expect(await lookout.wait('ses_other', 1, nobodyHangsUp())).to.equal('time-is-up');
  });

  it('serves the newest', async () => {
    const first = handovers.lookOut(1, 'p-1').wait('ses_held', forever, nobodyHangsUp());
    const second = handovers.lookOut(1, 'p-1').wait('ses_held', forever, nobodyHangsUp());
    expect(await first).to.equal('superseded');
    expect(handovers.isWanted('ses_held')).to.equal(true);
    ended('ses_held');
    expect(await second).to.equal('look-again');
  });

  it('ends when its time is up, when who waits is gone, and when the service stops', async () => {
    const lookout = handovers.lookOut(1, 'p-1');
    expect(await lookout.wait('ses_a', 1, nobodyHangsUp())).to.equal('time-is-up');
    const hangUp = new AbortController();
    const waiting = lookout.wait('ses_a', forever, hangUp.signal);
    hangUp.abort();
    expect(await waiting).to.equal('hung-up');
    expect(await lookout.wait('ses_a', forever, AbortSignal.abort())).to.equal('hung-up');
    const last = handovers.lookOut(1, 'p-2').wait('ses_b', forever, nobodyHangsUp());
    handovers.close();
    expect(await last).to.equal('look-again');
    expect(handovers.isWanted('ses_a') || handovers.isWanted('ses_b')).to.equal(false);
  });

  it('of one player does not end for the session of another, or of one who is named alike elsewhere', async () => {
    const mine = handovers.lookOut(1, 'p-1').wait('ses_a', 5, nobodyHangsUp());
    ended('ses_b', 'p-2');
    handovers.heed({ what: 'player-erased', environment: 2, player: 'p-1' });
    expect(await mine).to.equal('time-is-up');
  });
});

describe('faults made on purpose', () => {
  const clock: Clock & { at: number } = { at: 0, now: () => clock.at, monotonic: () => clock.at };
  const faults = { refuse: 0.5, delay: null, loseResponses: 0.25, seconds: 60 };

  it('meet the share that was asked for, in their own environment only', async () => {
    let chance = 0.49;
    const disturbances = new Disturbances(clock, () => chance);
    disturbances.start(1, faults, 'tobin@highfell.example');
    const outcome = () =>
      disturbances.before(1).then(
        () => 'passes',
        (error: { code: string }) => error.code,
      );
    expect(await outcome()).to.equal('disturbed');
    chance = 0.5;
    expect(await outcome()).to.equal('passes');
    expect(disturbances.losesResponse(1)).to.equal(false);
    chance = 0.24;
    expect(disturbances.losesResponse(1)).to.equal(true);
    expect(disturbances.losesResponse(2)).to.equal(false);
    await disturbances.before(2);
    expect(disturbances.show(1)).to.include({ refused: 1, lost: 1 });
  });

  it('are over at their end, by the clock that never jumps', () => {
    const disturbances = new Disturbances(clock, () => 0);
    disturbances.start(1, faults, 'tobin@highfell.example');
    clock.at += 59_999;
    expect(disturbances.show(1)).to.not.equal(null);
    clock.at += 1;
    expect(disturbances.show(1)).to.equal(null);
    expect(disturbances.losesResponse(1)).to.equal(false);
  });
});
