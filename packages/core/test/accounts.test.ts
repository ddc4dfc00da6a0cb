import { expect } from 'chai';
import fc from 'fast-check';
import { decideIdentityCode, decideRefresh, nextTryAt, passwordProblem, waitAfter } from '@vekkon/core/accounts';

const minute = 60_000;

describe('a wait that grows with wrong tries', () => {
  it('is none for the first few, then twice as long each time, up to a quarter of an hour', () => {
    const waits = [0, 4, 5, 6, 7, 8, 9, 10, 11].map((count) => waitAfter(count, 5) / 1000);
    expect(waits).to.deep.equal([0, 0, 30, 60, 120, 240, 480, 900, 900]);
  });

  it('never shrinks with another wrong try, and shuts nobody out for longer than a quarter of an hour', () => {
    fc.assert(
      fc.property(fc.nat(1_000_000), fc.integer({ min: 1, max: 1_000 }), (count, free) => {
        const [wait, next] = [waitAfter(count, free), waitAfter(count + 1, free)];
        expect(next)
          .to.be.at.least(wait)
          .and.at.most(15 * minute);
      }),
    );
  });

  it('counts from the last wrong try', () => {
    expect(nextTryAt({ count: 6, lastAt: 1_000 }, 5)).to.equal(61_000);
    expect(nextTryAt({ count: 2, lastAt: 1_000 }, 5)).to.equal(1_000);
  });
});

describe('a code that a browser was given', () => {
  const begun = { codeHash: 'right', wrongCodes: 0, expiresAt: 2_000, usedAt: null };
  const decided = (change: Partial<typeof begun | { codeHash: null; usedAt: number }>, shown = 'right', now = 1_000) =>
    decideIdentityCode({ ...begun, ...change }, shown, now);

  it('is right or wrong while it holds', () => {
    expect(decided({})).to.equal('right');
    expect(decided({}, 'another')).to.equal('wrong');
    expect(decided({ wrongCodes: 4 })).to.equal('right');
  });

  it('is over once it was used, after its time, after five wrong ones, and before the browser is back', () => {
    expect(decided({ usedAt: 900 })).to.equal('over');
    expect(decided({}, 'right', 2_000)).to.equal('over');
    expect(decided({ wrongCodes: 5 })).to.equal('over');
    expect(decided({ codeHash: null }, 'null')).to.equal('over');
  });
});

describe('a refresh token that is shown', () => {
  const token = { expiresAt: 100 * minute, usedAt: null, isNextUsed: false, endedAt: null };
  const used = { ...token, usedAt: 10 * minute };

  it('is good once', () => {
    expect(decideRefresh(token, 5 * minute)).to.equal('next');
    expect(decideRefresh(used, 20 * minute)).to.equal('reused');
  });

  it('may be shown again soon, before the next was used: its answer was lost', () => {
    expect(decideRefresh(used, 10.5 * minute)).to.equal('next');
    expect(decideRefresh({ ...used, isNextUsed: true }, 10.5 * minute)).to.equal('reused');
  });

  it('is over after its time, and with its sign-in', () => {
    expect(decideRefresh(token, 100 * minute)).to.equal('over');
    expect(decideRefresh({ ...used, endedAt: 11 * minute }, 20 * minute)).to.equal('over');
  });
});

describe('a password', () => {
  const problem = (password: string) =>
    passwordProblem(password, 'maren@highfell.example', (one) => one === 'thermals');

  it('is told in words why it is not taken', () => {
    expect(problem('short')).to.equal('A password has at least 8 characters: this one has 5.');
    expect(problem('𝔤𝔩𝔦𝔡𝔢𝔯𝔰')).to.equal('A password has at least 8 characters: this one has 7.');
    expect(problem('x'.repeat(201))).to.include('at most 200');
    expect(problem('THERMALS')).to.include('one of the commonest');
    expect(problem('Maren@Highfell.example')).to.include('e-mail address is no password');
    expect(problem('over-the-ridge')).to.equal(undefined);
  });
});
