import { expect } from 'chai';
import type { TransactionOutcome } from '@vekkon/protocol';
import { ServiceRefused } from '../src/errors.js';
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

  /** What is told of one save of two transactions that is answered by a refusal. */
  async function toldOf(refusal: ServiceRefused): Promise<readonly TransactionOutcome[]> {
    const told: TransactionOutcome[] = [];
    const leftovers = new Leftovers({
      send: () => Promise.reject(refusal),
      answered: (_, outcomes) => void told.push(...outcomes),
      putAside: () => undefined,
      changed: () => undefined,
    });
    leftovers.add({ session: 'ses_1', saves: [{ ...save(4), transactions: [{ changes: [] }, { changes: [] }] }] });
    await leftovers.deliver();
    return told;
  }
  const refused = (code: 'session-ended', facts: object) =>
    new ServiceRefused({
      ...facts,
      type: '',
      title: '',
      status: 409,
      code,
      detail: `It is ${code}.`,
      requestId: 'req_1',
    });

  it('that came too late are told as refused, each with the id under which it is kept', async () => {
    const problem = { code: 'session-ended', detail: 'It is session-ended.', change: 0 };
    expect(await toldOf(refused('session-ended', { expected: 4, unsettled: ['uns_1', 'uns_2'] }))).to.deep.equal([
      { applied: false, problem, unsettled: 'uns_1' },
      { applied: false, problem, unsettled: 'uns_2' },
    ]);
  });

  it('that were answered before, and forgotten since, are told as applied', async () => {
    const applied = { applied: true };
    expect(await toldOf(refused('session-ended', { expected: 5 }))).to.deep.equal([applied, applied]);
  });
});
