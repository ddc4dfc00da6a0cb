import type { Gift, GiftList, GiftLookRequest, GiftLookResponse, GiftPlayers, GiftRequest } from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';
import { queryOf } from './query-of.js';

/** How long to wait until those who get a gift are written down, in milliseconds. */
const writingDown = 300_000;

/** What a look at everybody found. */
export interface GiftForeseen {
  readonly looked: number;
  readonly changed: number;
  readonly same: number;
  readonly examples: GiftLookResponse['examples'];
  /** For whom it would not apply; at most as many as were asked for. */
  readonly refused: GiftLookResponse['refused'];
  /** How many those are in all. */
  readonly refusals: number;
}

/** The same for many players at once: looked at before, given, stopped, taken back. */
export class OperatorGifts {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /** What a gift would do to the first few hundred who are meant; go on with what it answers as `next`. */
  look(request: GiftLookRequest): Promise<GiftLookResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/gifts/look', body: request, timeout: 60_000 });
  }

  /**
   * What a gift would do to all who are meant; nothing is changed.
   *
   * @param onProgress told how many were looked at, of how many
   * @param mostRefused how many of those for whom it would not apply are told one by one
   */
  async foresee(
    request: Omit<GiftLookRequest, 'after'>,
    onProgress: (looked: number, total: number) => void = () => undefined,
    mostRefused = 10_000,
  ): Promise<GiftForeseen> {
    let [looked, changed, same, refusals] = [0, 0, 0, 0];
    let examples: GiftLookResponse['examples'] = [];
    const refused: GiftLookResponse['refused'] = [];
    for (let after: string | null | undefined; after !== null;) {
      const seen: GiftLookResponse = await this.look({ ...request, after });
      looked += seen.looked;
      changed += seen.changed;
      same += seen.same;
      refusals += seen.refused.length;
      if (examples.length < 10) examples = [...examples, ...seen.examples].slice(0, 10);
      refused.push(...seen.refused.slice(0, Math.max(0, mostRefused - refused.length)));
      onProgress(looked, Math.max(looked, seen.total));
      after = seen.next;
    }
    return { looked, changed, same, examples, refused, refusals };
  }

  /** Begins to give. What is named or found is written down first: nobody is added later. */
  give(request: GiftRequest): Promise<Gift> {
    return this.#transport.send({ method: 'POST', path: '/v1/gifts', body: request, timeout: writingDown });
  }

  /** An environment's gifts, the newest first. */
  list(query: { readonly count?: number; readonly before?: number | undefined } = {}): Promise<GiftList> {
    return this.#transport.send({ method: 'GET', path: `/v1/gifts${queryOf(query)}` });
  }

  /** How far a gift has come. */
  one(gift: number): Promise<Gift> {
    return this.#transport.send({ method: 'GET', path: `/v1/gifts/${gift}` });
  }

  /** What became of those who should get it: those who are refused, if nothing else is asked for. */
  players(
    gift: number,
    query: { readonly state?: string; readonly count?: number; readonly after?: number } = {},
  ): Promise<GiftPlayers> {
    return this.#transport.send({ method: 'GET', path: `/v1/gifts/${gift}/players${queryOf(query)}` });
  }

  /** Who has it keeps it, and nobody else gets it. */
  stop(gift: number): Promise<Gift> {
    return this.#transport.send({ method: 'POST', path: `/v1/gifts/${gift}/stop` });
  }

  /** Goes on with what was stopped. */
  resume(gift: number): Promise<Gift> {
    return this.#transport.send({ method: 'POST', path: `/v1/gifts/${gift}/resume` });
  }

  /** Takes it back from everybody who got it, within a day. */
  takeBack(gift: number): Promise<Gift> {
    return this.#transport.send({ method: 'POST', path: `/v1/gifts/${gift}/take-back` });
  }
}
