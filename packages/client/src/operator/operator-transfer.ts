import type { ImportRequest, ImportResponse, PlayerLine } from '@vekkon/protocol';
import { ServiceRefused } from '../errors.js';
import type { HttpTransport } from '../transport/transport.js';
import { queryOf } from './query-of.js';

/** How often a stream that broke is asked for again before it is given up, and how long it waits before, in milliseconds. */
const mostTries = 8;
const waitAfterBreak = 1_000;
/** How long to wait until a batch of players was taken in, in milliseconds. */
const takingIn = 120_000;

/** Players that go elsewhere, or come from there. */
export class OperatorTransfer {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /**
   * Every player with their records, each as a line of JSON, in the order of
   * their ids. A connection that breaks is made again, and goes on behind the
   * last line that arrived whole.
   *
   * @param after only players whose id comes after this one
   */
  async *export({ after = '' }: { readonly after?: string } = {}): AsyncGenerator<string> {
    let last = after;
    for (let tries = 0; ; tries++) {
      try {
        for await (const line of this.#lines({ after: last })) {
          yield line;
          last = (JSON.parse(line) as PlayerLine).player;
          tries = 0;
        }
        return;
      } catch (error) {
        if (error instanceof ServiceRefused || tries >= mostTries) throw error;
        await new Promise((resolve) => setTimeout(resolve, waitAfterBreak));
      }
    }
  }

  /** One player as a line of JSON. @throws ServiceRefused `player-unknown` */
  async one(player: string): Promise<string> {
    for await (const line of this.#lines({ player })) return line;
    throw new TypeError('The service sent no line.');
  }

  /** Takes up to 200 players in, each whole or not at all; with `dryRun` it only says what would become of them. */
  import(request: ImportRequest): Promise<ImportResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/import', body: request, timeout: takingIn });
  }

  async *#lines(query: { readonly after?: string; readonly player?: string }): AsyncGenerator<string> {
    const body = await this.#transport.open(`/v1/export${queryOf(query)}`);
    const decoder = new TextDecoder();
    let text = '';
    const reader = body.getReader();
    try {
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        text += decoder.decode(value, { stream: true });
        const lines = text.split('\n');
        text = lines.pop() ?? '';
        yield* lines;
      }
    } finally {
      await reader.cancel().catch(() => undefined);
    }
  }
}
