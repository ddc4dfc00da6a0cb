import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Transaction } from '@vekkon/core';
import { Spool, undeliveredOf } from '../src/host/spool.js';
import type { SpoolEntry } from '../src/host/spool-contents.js';

const climb = (by: number): Transaction => ({ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by }] });
const done = (session: string, by: number): SpoolEntry => ({ is: 'done', session, transaction: climb(by) });
const save = (session: string, number: number, rest: readonly Transaction[] = []): SpoolEntry => ({
  is: 'save',
  session,
  number,
  transactions: [climb(number)],
  leave: false,
  rest,
});

describe('what a spool leaves to be delivered', () => {
  const leaves = (...entries: SpoolEntry[]) =>
    undeliveredOf(entries).map(({ session, saves, done: left, nextSave }) => [
      session,
      saves.map(({ number }) => number),
      left.length,
      nextSave,
    ]);

  it('is nothing of a session that only joined, was answered, or is over', () => {
    expect(leaves({ is: 'joined', session: 'a', nextSave: 1 })).to.deep.equal([]);
    expect(leaves(save('a', 1), { is: 'answered', session: 'a', number: 1 })).to.deep.equal([]);
    expect(leaves(save('a', 1), done('a', 2), { is: 'over', session: 'a' })).to.deep.equal([]);
  });

  it('is the saves without an answer, then what was done after them', () => {
    expect(leaves({ is: 'joined', session: 'a', nextSave: 1 }, done('a', 1), done('a', 2))).to.deep.equal([
      ['a', [], 2, 1],
    ]);
    expect(leaves(done('a', 1), save('a', 1), done('a', 2), done('a', 3))).to.deep.equal([['a', [1], 2, 2]]);
    expect(leaves(done('a', 1), done('a', 2), save('a', 1, [climb(9)]))).to.deep.equal([['a', [1], 1, 2]]);
  });

  it('keeps sessions apart, and a save that was written twice once', () => {
    expect(leaves(save('a', 4), save('b', 1), save('a', 4))).to.deep.equal([
      ['a', [4], 0, 5],
      ['b', [1], 0, 2],
    ]);
  });
});

describe('a spool file', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-spool-test-'));
  });
  afterEach(() => rmSync(folder, { recursive: true }));

  it('cut off at any byte loses no line that was whole', async () => {
    const { spool } = await Spool.open(folder, 'ridge-eu-1', 'vkh_key');
    await Promise.all([1, 2, 3].map((number) => spool.add(save('ses_a', number))));
    await spool.close();
    const whole = readFileSync(spool.file);
    const lineEnds = [...whole.entries()].filter(([, byte]) => byte === 10).map(([index]) => index + 1);
    for (let length = lineEnds[0]!; length <= whole.length; length += 7) {
      writeFileSync(spool.file, whole.subarray(0, length));
      const { spool: again, found } = await Spool.open(folder, 'ridge-eu-1', 'vkh_key');
      await again.close();
      const wholeLines = lineEnds.filter((end) => end <= length).length - 1;
      expect(found.setAside).to.equal(null);
      expect(found.undelivered[0]?.saves.length ?? 0, `${length} bytes`).to.equal(wholeLines);
      expect(found.isTorn).to.equal(!lineEnds.includes(length));
    }
  });

  it('is written anew under the newest key when an older one opened it', async () => {
    const { spool } = await Spool.open(folder, 'ridge-eu-1', 'vkh_old');
    await spool.add(save('ses_a', 1));
    await spool.close();
    const second = await Spool.open(folder, 'ridge-eu-1', 'vkh_new', ['vkh_old']);
    await second.spool.close();
    const third = await Spool.open(folder, 'ridge-eu-1', 'vkh_new');
    await third.spool.close();
    expect(third.found.undelivered[0]?.saves).to.have.length(1);
  });

  it('of a form that is not known is set aside, not overwritten', async () => {
    writeFileSync(path.join(folder, 'ridge-eu-1.spool'), '{"spool":99,"keyId":"","salt":""}\n');
    const { spool, found } = await Spool.open(folder, 'ridge-eu-1', 'vkh_key');
    await spool.close();
    expect(found.setAside?.why).to.contain('its form is 99');
    expect(readFileSync(found.setAside!.file, 'utf8')).to.contain('"spool":99');
  });

  it('says so when it can not be written', async () => {
    const { spool } = await Spool.open(folder, 'ridge-eu-1', 'vkh_key');
    await spool.close();
    expect(await spool.add(save('ses_a', 1)).catch((error: unknown) => error)).to.be.instanceOf(Error);
  });
});
