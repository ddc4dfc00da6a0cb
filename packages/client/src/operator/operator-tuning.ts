import type {
  DeclareTunableRequest,
  Draft,
  Edition,
  EditionList,
  Explanation,
  Published,
  PublishRequest,
  PutDraftRequest,
  Revised,
  Trial,
  TuningAnswer,
  TuningRulesTold,
} from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';

/** How long to wait for what walks all players of a trial, in milliseconds. */
const walking = 300_000;

/** What to explain: for a player, or for what is known of somebody. */
export interface ExplainOptions {
  readonly player?: string | undefined;
  /** RFC 3339; now if left out. */
  readonly at?: string | undefined;
  /** A number, or `draft`; the running edition if left out. */
  readonly edition?: string | undefined;
  readonly attributes?: { readonly [name: string]: string | number | boolean } | undefined;
}

/** A trial as it is listed. */
export interface TrialSummary {
  readonly trial: string;
  readonly tunable: string;
  readonly note: string | null;
  readonly measure: string;
}

/** Tuning as the people behind the game see it and change it. */
export class OperatorTuning {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /** What a player gets, or nobody in particular. */
  values(player?: string): Promise<TuningAnswer> {
    return this.#get(player === undefined ? '/v1/tuning' : `/v1/tuning?player=${encodeURIComponent(player)}`);
  }

  /** The running edition itself, to be evaluated here. */
  rules(): Promise<TuningRulesTold> {
    return this.#get('/v1/tuning/rules');
  }

  /** The draft with its revision, and what publishing it would change. */
  draft(): Promise<Draft> {
    return this.#get('/v1/tuning/draft');
  }

  /** What a tunable is to be in the next edition. @throws ServiceRefused `draft-changed` with what others did meanwhile */
  put(tunable: string, tuned: PutDraftRequest): Promise<Revised> {
    return this.#send('PUT', `/v1/tuning/draft/${encodeURIComponent(tunable)}`, tuned);
  }

  /** A tunable goes back to what is published. */
  putBack(tunable: string, revision: number): Promise<Revised> {
    return this.#send('DELETE', `/v1/tuning/draft/${encodeURIComponent(tunable)}?revision=${revision}`);
  }

  /** Makes what is in the draft, or what of it is named, the next edition. */
  publish(publication: PublishRequest): Promise<Published> {
    return this.#send('POST', '/v1/tuning/publications', publication);
  }

  /** What was published, the newest first. */
  editions({ count, before }: { readonly count?: number; readonly before?: number } = {}): Promise<EditionList> {
    const query = new URLSearchParams({
      ...(count !== undefined && { count: String(count) }),
      ...(before !== undefined && { before: String(before) }),
    });
    return this.#get(`/v1/tuning/editions?${query}`);
  }

  edition(edition: number): Promise<Edition> {
    return this.#get(`/v1/tuning/editions/${edition}`);
  }

  /** Publishes an earlier edition again, as the next one; 0 is what the manifest says. */
  reissue(edition: number, options: { readonly note?: string; readonly revision?: number } = {}): Promise<Published> {
    return this.#send('POST', `/v1/tuning/editions/${edition}/reissue`, options);
  }

  /** Every value and why. */
  explain({ player, at, edition, attributes }: ExplainOptions = {}): Promise<Explanation> {
    const query = new URLSearchParams({
      ...(player !== undefined && { player }),
      ...(at !== undefined && { at }),
      ...(edition !== undefined && { edition }),
      ...(attributes !== undefined && { attributes: JSON.stringify(attributes) }),
    });
    return this.#get(`/v1/tuning/explain?${query}`);
  }

  /** The players who get the draft. */
  async testers(): Promise<readonly string[]> {
    return (await this.#get<{ players: readonly string[] }>('/v1/tuning/testers')).players;
  }

  async setTesters(players: readonly string[]): Promise<void> {
    await this.#send('PUT', '/v1/tuning/testers', { players });
  }

  /** The trials of the running edition. */
  async trials(): Promise<readonly TrialSummary[]> {
    return (await this.#get<{ trials: readonly TrialSummary[] }>('/v1/tuning/trials')).trials;
  }

  /** What a trial has come to, value by value. */
  trial(trial: string): Promise<Trial> {
    const path = `/v1/tuning/trials/${encodeURIComponent(trial)}`;
    return this.#transport.send({ method: 'GET', path, timeout: walking });
  }

  /** Ends a trial: one of its values, from 0, is the base value in the next edition. */
  endTrial(
    trial: string,
    end: { readonly value: number; readonly note: string; readonly revision: number },
  ): Promise<Published> {
    return this.#send('POST', `/v1/tuning/trials/${encodeURIComponent(trial)}/end`, end);
  }

  /** Declares another tunable: the manifest's next version. */
  declare(tunable: DeclareTunableRequest): Promise<{ readonly version: number }> {
    return this.#send('POST', '/v1/tuning/tunables', tunable);
  }

  /** Takes a tunable out of the manifest: its next version. */
  undeclare(tunable: string): Promise<{ readonly version: number }> {
    return this.#send('DELETE', `/v1/tuning/tunables/${encodeURIComponent(tunable)}`);
  }

  #get<Answer>(path: string): Promise<Answer> {
    return this.#transport.send({ method: 'GET', path });
  }

  #send<Answer>(method: 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown): Promise<Answer> {
    return this.#transport.send({ method, path, ...(body !== undefined && { body }) });
  }
}
