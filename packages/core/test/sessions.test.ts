import { expect } from 'chai';
import { answeredAfter, decideJoin, decideSave, keepOutcomes, serviceLimits, type OpenSession } from '@vekkon/core';

const open: OpenSession = { id: 'ses_1', host: 'ridge-eu-1', instance: 'a', attempt: 'first', isLeaseOver: false };

describe('a join', () => {
  it('opens a session for a player whom nobody holds', () => {
    expect(decideJoin(undefined, { host: 'ridge-eu-1', instance: 'a', attempt: 'x' })).to.deep.equal({ do: 'open' });
  });

  it('gets the same session for the same attempt', () => {
    expect(decideJoin(open, { host: 'ridge-eu-1', instance: 'a', attempt: 'first' })).to.deep.equal({ do: 'again' });
  });

  it('by the holder under a new attempt ends the old session', () => {
    expect(decideJoin(open, { host: 'ridge-eu-1', instance: 'a', attempt: 'second' })).to.deep.equal({
      do: 'open',
      ends: 'joined-again',
    });
    expect(decideJoin({ ...open, attempt: null }, { host: 'ridge-eu-1', instance: 'a', attempt: null })).to.deep.equal({
      do: 'open',
      ends: 'joined-again',
    });
  });

  it('by a newer start of the host takes over at once', () => {
    expect(decideJoin(open, { host: 'ridge-eu-1', instance: 'b', attempt: 'first' })).to.deep.equal({
      do: 'open',
      ends: 'host-restarted',
    });
  });

  it('by another host waits while the lease lasts, and takes over when it is over', () => {
    const other = { host: 'ridge-eu-2', instance: 'c', attempt: 'x' };
    expect(decideJoin(open, other)).to.deep.equal({ do: 'wait' });
    expect(decideJoin({ ...open, isLeaseOver: true }, other)).to.deep.equal({ do: 'open', ends: 'lease-over' });
  });
});

describe('a numbered save', () => {
  /** Where the outcomes of 1 and 2 are kept. */
  const kept: { readonly [number: number]: string } = { 1: 'one', 2: 'two' };
  const session = { hasEnded: false, isHostReplaced: false, nextSave: 3 };
  const decide = (state: typeof session, number: number, digest: string) =>
    decideSave({ ...state, keptDigest: kept[number] ?? null }, { number, digest });

  it('applies in its turn', () => {
    expect(decide(session, 3, 'three')).to.deep.equal({ do: 'apply' });
    expect(decideSave({ ...session, nextSave: 1, keptDigest: null }, { number: 1, digest: 'x' })).to.deep.equal({
      do: 'apply',
    });
  });

  it('gets the same answer when it is sent again, even after the end of the session', () => {
    for (const [number, digest] of [
      [1, 'one'],
      [2, 'two'],
    ] as const) {
      expect(decide(session, number, digest)).to.deep.equal({ do: 'again' });
      expect(decide({ ...session, hasEnded: true }, number, digest)).to.deep.equal({ do: 'again' });
      expect(decide({ ...session, isHostReplaced: true }, number, digest)).to.deep.equal({ do: 'again' });
    }
  });

  const refusals = [
    { why: 'with other contents', number: 2, digest: 'else', ended: false, code: 'save-differs' },
    { why: 'that leaves a number out', number: 4, digest: 'x', ended: false, code: 'save-out-of-order' },
    { why: 'whose outcome is kept no more', number: 0, digest: 'x', ended: false, code: 'save-out-of-order' },
    { why: 'after the end', number: 3, digest: 'x', ended: true, code: 'session-ended' },
    { why: 'of a host that was replaced', number: 3, digest: 'x', ended: false, replaced: true, code: 'host-replaced' },
  ];
  for (const { why, number, digest, ended, code, replaced = false } of refusals) {
    it(`is refused ${why}`, () => {
      expect(decide({ ...session, hasEnded: ended, isHostReplaced: replaced }, number, digest)).to.deep.equal({
        do: 'refuse',
        code,
      });
    });
  }
});

describe('the answers that a sender has', () => {
  it('only grow, and are never more than there were', () => {
    expect(answeredAfter(null, null, 9)).to.equal(null);
    expect(answeredAfter(null, 0, 9)).to.equal(0);
    expect(answeredAfter(4, 7, 9)).to.equal(7);
    expect(answeredAfter(7, 4, 9)).to.equal(7);
    expect(answeredAfter(7, null, 9)).to.equal(7);
    expect(answeredAfter(4, 70, 9)).to.equal(9);
  });
});

describe('older outcomes', () => {
  const none = { answered: null, bytes: 0 };
  const most = serviceLimits.outcomeBytesPerSession;

  it('are kept for as long as their sender may ask for them', () => {
    const keep = { do: 'keep', forgetUpTo: 0 };
    expect(keepOutcomes({ answered: 3, bytes: 0 }, 4, 100)).to.deep.equal({ ...keep, keepsNewest: false });
    expect(keepOutcomes({ answered: 2, bytes: 0 }, 4, 100)).to.deep.equal({ ...keep, keepsNewest: true });
    expect(keepOutcomes({ answered: 0, bytes: 0 }, 1, null)).to.deep.equal({ ...keep, keepsNewest: false });
  });

  it('are not made to go: a sender that is too far ahead must take its answers first', () => {
    expect(keepOutcomes({ answered: 1, bytes: 500 }, 201, 100).do).to.equal('keep');
    expect(keepOutcomes({ answered: 1, bytes: 500 }, 202, 100)).to.deep.equal({ do: 'refuse' });
    expect(keepOutcomes({ answered: 1, bytes: most - 100 }, 4, 100).do).to.equal('keep');
    expect(keepOutcomes({ answered: 1, bytes: most - 99 }, 4, 100)).to.deep.equal({ do: 'refuse' });
    // What it has does not count.
    expect(keepOutcomes({ answered: 3, bytes: 0 }, 4, most + 1).do).to.equal('keep');
  });

  it('are the last twenty of a sender that never says which it has, as far as they fit', () => {
    expect(keepOutcomes(none, 5, 100)).to.deep.equal({ do: 'keep', forgetUpTo: 0, keepsNewest: true });
    expect(keepOutcomes(none, 21, 100)).to.deep.equal({ do: 'keep', forgetUpTo: 1, keepsNewest: true });
    expect(keepOutcomes(none, 100, 100)).to.deep.equal({ do: 'keep', forgetUpTo: 80, keepsNewest: true });
    const tooMuch = keepOutcomes({ answered: null, bytes: most }, 9, 100);
    expect(tooMuch).to.deep.equal({ do: 'keep', forgetUpTo: 7, keepsNewest: false });
  });
});
