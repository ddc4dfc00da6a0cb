import { expect } from 'chai';
import type { JoinResponse } from '@vekkon/protocol';
import { highfell } from '../../core/test/highfell.js';
import { HostSession, type HeldSession, type SessionHost } from '../src/host/host-session.js';
import { GameTuning } from '../src/session/game-tuning.js';
import type { NumberedSave } from '../src/session/stay.js';

const now = '2026-11-23T12:00:00.000Z';
const joined: JoinResponse = {
  now,
  session: { id: 'ses_0123456789abcdef', leaseSeconds: 60, expiresAt: now, nextSave: 1 },
  seen: 10,
  player: { id: 'p-1', name: 'Maren', isNew: false, createdAt: now, lastLeftAt: now },
  manifest: 1,
  records: { 'progress/climbs': { revision: 1, value: 0 }, 'currency/opal': { revision: 1, value: 2 } },
  tuning: { edition: 0, values: {}, nextChangeAt: null },
};

const untuned = () => new GameTuning({ starting: () => ({}) });

/** A host that notes what it is asked to send, and answers nothing. */
class Noting implements SessionHost {
  readonly isJournaling = false;
  readonly sent: (readonly NumberedSave[])[] = [];
  rescued = 0;

  send(_session: HeldSession, saves: readonly NumberedSave[]): Promise<never> {
    this.sent.push([...saves]);
    return new Promise(() => undefined);
  }

  async spool(): Promise<void> {
    // There is none.
  }

  async checkpoints() {
    return { atMost: 0, checkpoints: [] };
  }

  noteAside(): void {
    // Nobody closes it.
  }

  rescue(): void {
    this.rescued++;
  }
}

describe("a session's knowledge of others", () => {
  const start = () => new HostSession(new Noting(), joined, highfell, untuned);

  it('follows the events of its stream one by one', () => {
    const session = start();
    session.heardOfChange(11, { 'currency/opal': { revision: 2, value: 5 } });
    expect([session.seen, session.balance('opal')]).to.deep.equal([11, 5]);
  });

  it('does not claim to have seen what an event that was missed would have told', () => {
    const session = start();
    session.heardOfChange(12, { 'currency/opal': { revision: 2, value: 5 } });
    expect([session.seen, session.balance('opal')]).to.deep.equal([10, 5]);
    // The next answer brings everything since the commit that was sent.
    session.changedOutside(12, {
      'progress/climbs': { revision: 2, value: 7 },
      'currency/opal': { revision: 2, value: 5 },
    });
    expect([session.seen, session.value('climbs')]).to.deep.equal([12, 7]);
  });
});

describe('names in the game', () => {
  it('may leave out the kind that the change is for, of families too', () => {
    const session = new HostSession(new Noting(), joined, highfell, untuned);
    session.put('glider/heron', { span: 12 });
    session.put('preference/invert-pitch', true);
    session.credit('opal', 1, 'found');
    session.submit('gorge-run', 61_250);
    expect(session.notYetSaved.map(({ changes }) => (changes[0] as { key?: string }).key)).to.deep.equal([
      'progress/glider/heron',
      'preference/invert-pitch',
      'currency/opal',
      'score/gorge-run',
    ]);
    expect(session.value('glider/heron')).to.deep.equal({ span: 12, cloth: 'paper', wear: 0 });
  });
});

describe('the numbers of saves', () => {
  it('stay with their contents until they are answered, and the last of a leave ends the session', () => {
    const host = new Noting();
    const session = new HostSession(host, joined, highfell, untuned);
    session.increase('climbs', 1);
    const [first] = session.numberAll({ leave: false });
    session.increase('climbs', 2);
    const saves = session.numberAll({ leave: true });
    expect(saves[0]).to.equal(first);
    expect(saves.map(({ number, leave }) => [number, leave])).to.deep.equal([
      [1, false],
      [2, true],
    ]);
    expect(session.numberAll({ leave: true })).to.have.length(2);
    expect(session.pending).to.equal(2);
  });

  it('are given to what a lost session still holds, which its host is asked to rescue', () => {
    const host = new Noting();
    const session = new HostSession(host, joined, highfell, untuned);
    const told: string[] = [];
    session.onLost((reason) => told.push(reason.message));
    const result = session.transaction('gorge', (draft) => draft.credit('opal', 1, 'gorge'));
    session.beOver(new (class extends Error {})('taken over') as never);
    session.beOver(new (class extends Error {})('again') as never);
    expect([host.rescued, told]).to.deep.equal([1, ['taken over']]);
    expect(() => session.increase('climbs', 1)).to.throw('taken over');
    expect(session.numberAll({ leave: false })).to.have.length(1);
    expect(result.applied).to.equal(true);
  });
});
