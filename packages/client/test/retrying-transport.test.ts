import { expect } from 'chai';
import type { ProblemDetails } from '@vekkon/protocol';
import { ServiceRefused, ServiceUnreachable } from '../src/errors.js';
import { RetryingTransport, type FailedTry } from '../src/transport/retrying-transport.js';
import { HttpTransport, type Sent, type Transport } from '../src/transport/transport.js';

const unreachable = () => new ServiceUnreachable('http://127.0.0.1:9', new Error('gone'));
const refused = (status: number, facts: object = {}) =>
  new ServiceRefused({
    code: 'disturbed',
    status,
    detail: 'on purpose',
    title: '',
    type: '',
    requestId: '',
    ...facts,
  } as ProblemDetails);

/** Fails as it is told, one call after the other, then answers. */
class Scripted implements Transport {
  calls = 0;
  readonly #failures: Error[];

  constructor(...failures: Error[]) {
    this.#failures = failures;
  }

  async send<Answer>(_sent: Sent): Promise<Answer> {
    this.calls++;
    const failure = this.#failures.shift();
    if (failure !== undefined) throw failure;
    return 'answered' as Answer;
  }
}

const cutOff = () => {
  const reset = Object.assign(new Error('other side closed'), { code: 'UND_ERR_SOCKET' });
  return new ServiceUnreachable('http://127.0.0.1:9', new TypeError('fetch failed', { cause: reset }));
};

const call: Sent = { method: 'POST', path: '/v1/sessions/ses_x/saves' };

function retrying(inner: Transport, deadline: number, chance = () => 0) {
  const failed: FailedTry[] = [];
  let look = () => undefined as void;
  return {
    failed,
    /** Resolves when so many tries have failed. */
    untilFailed: (count: number) =>
      new Promise<void>((resolve) => {
        look = () => {
          if (failed.length >= count) resolve();
        };
        look();
      }),
    transport: new RetryingTransport(inner, {
      deadline,
      chance,
      onFailedTry: (one) => {
        failed.push(one);
        look();
      },
    }),
  };
}

describe('trying again', () => {
  it('goes on at once, and only once at once, where a kept connection was closed under it', async () => {
    const { transport, failed } = retrying(new Scripted(cutOff(), cutOff()), 10_000, () => 1 / 1000);
    expect(await transport.send(call)).to.equal('answered');
    expect(failed.map(({ nextIn }) => nextIn)).to.deep.equal([0, 0.2]);
  });

  it('goes on until it is answered, and tells of each try', async () => {
    const inner = new Scripted(unreachable(), refused(503), refused(429), refused(502), refused(504));
    const { transport, failed } = retrying(inner, 10 ** 9);
    expect(await transport.send(call)).to.equal('answered');
    expect(inner.calls).to.equal(6);
    expect(failed.map(({ attempt }) => attempt)).to.deep.equal([1, 2, 3, 4, 5]);
  });

  it('does not repeat what is refused for good', async () => {
    for (const status of [400, 401, 404, 409, 412, 422, 500]) {
      const inner = new Scripted(refused(status));
      const { transport } = retrying(inner, 1_000);
      expect(await transport.send(call).catch((error: unknown) => error)).to.have.property('status', status);
      expect(inner.calls, String(status)).to.equal(1);
    }
  });

  it('doubles the bound of its pauses, and takes any part of it', async () => {
    const inner = new Scripted(...Array.from({ length: 4 }, unreachable));
    const { transport, failed } = retrying(inner, 10 ** 9, () => 0.01);
    await transport.send(call);
    expect(failed.map(({ nextIn }) => nextIn)).to.deep.equal([1, 2, 4, 8]);
  });

  it('waits as long as the service asks, and gives up where that is past the deadline', async () => {
    const soon = retrying(new Scripted(refused(503, { retryAfter: 0.02 })), 1_000);
    await soon.transport.send(call);
    expect(soon.failed[0]?.nextIn).to.equal(20);
    const late = retrying(new Scripted(refused(503, { retryAfter: 5 })), 1_000);
    expect(await late.transport.send(call).catch((error: unknown) => error)).to.be.instanceOf(ServiceRefused);
    expect(late.failed.map(({ nextIn }) => nextIn)).to.deep.equal([undefined]);
  });

  it("waits as long as a proxy's Retry-After asks, too", async () => {
    const answers = [
      new Response('<h1>busy</h1>', { status: 503, headers: { 'Retry-After': '1' } }),
      new Response('{}'),
    ];
    const inner = new HttpTransport('http://127.0.0.1:9', {}, async () => answers.shift() as Response);
    const { transport, failed } = retrying(inner, 500);
    expect(await transport.send(call).catch((error: unknown) => error)).to.have.property('retryAfter', 1);
    expect(failed.map(({ nextIn }) => nextIn)).to.deep.equal([undefined]);
  });

  it('comes back when another call was answered, before its own pause is over', async () => {
    let isUp = false;
    const inner: Transport = {
      async send<Answer>(): Promise<Answer> {
        if (!isUp) throw unreachable();
        return 'answered' as Answer;
      },
    };
    let chance = 0;
    const { transport, failed, untilFailed } = retrying(inner, 10 ** 9, () => chance);
    const resting = transport.send(call);
    // By now a pause may be as long as it gets: the next one is.
    await untilFailed(8);
    chance = 1;
    await untilFailed(failed.length + 1);
    const pauseItself = new Promise((resolve) =>
      setTimeout(() => resolve('its own pause'), failed.at(-1)?.nextIn).unref(),
    );
    expect(failed.at(-1)?.nextIn).to.equal(5_000);
    isUp = true;
    chance = 0;
    await transport.send(call);
    expect(await Promise.race([resting, pauseItself])).to.equal('answered');
  });

  it('does not come back early where the service asked for the pause', async () => {
    const inner = new Scripted(refused(503, { retryAfter: 0.2 }));
    const { transport, failed, untilFailed } = retrying(inner, 10 ** 9);
    const resting = transport.send(call);
    await untilFailed(1);
    const others = Promise.all(Array.from({ length: 5 }, () => transport.send(call))).then(() => 'others');
    expect(await Promise.race([resting, others])).to.equal('others');
    expect([await resting, failed.length]).to.deep.equal(['answered', 1]);
  });

  it('stops when it is told to, with what the last try met', async () => {
    const inner = new Scripted(...Array.from({ length: 99 }, unreachable));
    const { transport, untilFailed } = retrying(inner, 10 ** 9, () => 1);
    const sending = transport
      .within(10 ** 9)
      .send(call)
      .catch((error: unknown) => error);
    await untilFailed(1);
    transport.stop();
    expect(await sending).to.be.instanceOf(ServiceUnreachable);
    expect(inner.calls).to.equal(1);
  });
});
