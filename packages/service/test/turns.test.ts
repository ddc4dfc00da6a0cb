import { expect } from 'chai';
import { Turns } from '../src/turns.js';

describe('turns', () => {
  it('go round: who asks for much waits behind who asks for little', async () => {
    const turns = new Turns();
    const done: string[] = [];
    const take = (caller: string, name: string) => turns.take(caller, async () => void done.push(name));
    await Promise.all([
      take('a', 'a1'),
      take('a', 'a2'),
      take('a', 'a3'),
      take('b', 'b1'),
      take('c', 'c1'),
      take('b', 'b2'),
    ]);
    expect(done).to.deep.equal(['a1', 'a2', 'b1', 'c1', 'a3', 'b2']);
  });

  it('let everything else happen between two that take longer than a stretch', async () => {
    const turns = new Turns(0);
    const done: string[] = [];
    const long = (name: string) => turns.take('a', async () => void done.push(name));
    const all = Promise.all([long('first'), long('second'), long('third')]);
    setImmediate(() => done.push('a save'));
    await all;
    expect(done).to.deep.equal(['first', 'a save', 'second', 'third']);
  });

  it('go on after one that fails', async () => {
    const turns = new Turns();
    const failed = turns.take('a', async () => {
      throw new Error('no such player');
    });
    const next = turns.take('a', async () => 17);
    expect(await failed.catch((error: Error) => error.message)).to.equal('no such player');
    expect(await next).to.equal(17);
  });
});
