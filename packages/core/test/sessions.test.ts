import { expect } from 'chai';
import { decideJoin, decideSave, type OpenSession } from '@vekkon/core';

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
  const session = { hasEnded: false, isHostReplaced: false, nextSave: 3, lastDigest: 'two' };

  it('applies in its turn', () => {
    expect(decideSave(session, { number: 3, digest: 'three' })).to.deep.equal({ do: 'apply' });
    expect(
      decideSave({ hasEnded: false, isHostReplaced: false, nextSave: 1, lastDigest: null }, { number: 1, digest: 'x' }),
    ).to.deep.equal({
      do: 'apply',
    });
  });

  it('gets the same answer when it is sent again, even after the end of the session', () => {
    expect(decideSave(session, { number: 2, digest: 'two' })).to.deep.equal({ do: 'again' });
    expect(decideSave({ ...session, hasEnded: true }, { number: 2, digest: 'two' })).to.deep.equal({ do: 'again' });
  });

  const refusals = [
    { why: 'with other contents', number: 2, digest: 'else', ended: false, code: 'save-differs' },
    { why: 'that leaves a number out', number: 4, digest: 'x', ended: false, code: 'save-out-of-order' },
    { why: 'older than the last', number: 1, digest: 'x', ended: false, code: 'save-out-of-order' },
    { why: 'after the end', number: 3, digest: 'x', ended: true, code: 'session-ended' },
    { why: 'of a host that was replaced', number: 3, digest: 'x', ended: false, replaced: true, code: 'host-replaced' },
  ];
  for (const { why, number, digest, ended, code, replaced = false } of refusals) {
    it(`is refused ${why}`, () => {
      expect(decideSave({ ...session, hasEnded: ended, isHostReplaced: replaced }, { number, digest })).to.deep.equal({
        do: 'refuse',
        code,
      });
    });
  }
});
