import { expect } from 'chai';
import type { NumberedSave } from '../src/session/stay.js';
import { Leftovers } from '../src/player/leftovers.js';

const save = (number: number): NumberedSave => ({ number, transactions: [], leave: false });

/** A service that answers when it is told to. */
class Slow {
  readonly sent: string[] = [];
  #answer: (() => void)[] = [];

  readonly leftovers = new Leftovers({
    send: <Answer>({ path, body }: { path: string; body?: unknown }) => {
      this.sent.push(`${path.slice('/v1/sessions/'.length)} ${(body as { number?: number }).number ?? ''}`.trim());
      return new Promise<Answer>((resolve) =>
        this.#answer.push(() => resolve({ transactions: [], records: {} } as Answer)),
      );
    },
    answered: () => undefined,
    refused: () => undefined,
    putAside: () => undefined,
    changed: () => undefined,
  });

  /** Answers what was asked, until nothing is asked any more. */
  async answerAll(): Promise<void> {
    while (this.#answer.length > 0) {
      for (const answer of this.#answer.splice(0)) answer();
      await new Promise((resolve) => setImmediate(resolve));
    }
  }
}

describe('saves of sessions that a device gave up', () => {
  it('go in their order, under their sessions, which are left then', async () => {
    const slow = new Slow();
    slow.leftovers.add({ session: 'ses_1', saves: [save(3), save(4)] });
    slow.leftovers.add({ session: 'ses_2', saves: [{ ...save(1), leave: true }] });
    const delivered = slow.leftovers.deliver();
    await slow.answerAll();
    await delivered;
    expect(slow.sent).to.deep.equal(['ses_1/saves 3', 'ses_1/saves 4', 'ses_1/leave', 'ses_2/leave 1']);
  });

  it('are not lost where more are added while some are on their way', async () => {
    const slow = new Slow();
    slow.leftovers.add({ session: 'ses_1', saves: [save(1)] });
    const delivered = slow.leftovers.deliver();
    slow.leftovers.add({ session: 'ses_2', saves: [save(7)] });
    expect(slow.leftovers.deliver()).to.equal(delivered);
    await slow.answerAll();
    await delivered;
    expect(slow.sent).to.include('ses_2/saves 7');
    expect(slow.leftovers.all).to.deep.equal([]);
  });
});
