import type { AsOfResponse, HistoryPage, PlayerExport, RevisionOfRecord } from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';

/** How long to wait for what walks a player's whole history, in milliseconds. */
const walking = 60_000;

/** What a player's records held before: listed, compared, and brought back. */
export class OperatorHistory {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /**
   * Revisions, the newest first, each with what it changed in words.
   *
   * @param key    only of this record
   * @param before what the page before gave as `next`
   */
  page(
    player: string,
    query: { readonly key?: string | undefined; readonly count?: number; readonly before?: number | undefined } = {},
  ): Promise<HistoryPage> {
    return this.#get(player, 'history', query);
  }

  /** What one revision of a record held. */
  revision(player: string, key: string, revision: number): Promise<RevisionOfRecord> {
    return this.#get(player, 'revision', { key, revision });
  }

  /**
   * Brings back what a revision held, as a new revision.
   *
   * @param ifRevision the revision that is stored now
   * @throws ServiceRefused `revision-mismatch` where another is stored by now
   */
  restore(
    player: string,
    body: { readonly key: string; readonly revision: number; readonly ifRevision: number },
  ): Promise<{ readonly key: string; readonly revision: number }> {
    return this.#post(player, 'history/restore', body);
  }

  /** The records as they were at a moment (RFC 3339), and what bringing them back would change. */
  asOf(player: string, at: string): Promise<AsOfResponse> {
    return this.#get(player, 'as-of', { at });
  }

  /**
   * Brings the records back as they were at a moment, each as a new revision.
   *
   * @param ifSeen the `seen` that `asOf` answered
   * @throws ServiceRefused `player-changed` where the player was changed since
   */
  restoreAsOf(
    player: string,
    body: { readonly at: string; readonly ifSeen: number; readonly keys?: readonly string[] | undefined },
  ): Promise<{ readonly restored: readonly string[] }> {
    return this.#post(player, 'as-of/restore', body);
  }

  /** Everything that is kept of a player, as one document. */
  export(player: string): Promise<PlayerExport> {
    return this.#get(player, 'export', {});
  }

  #get<Answer>(
    player: string,
    what: string,
    query: { readonly [name: string]: string | number | undefined },
  ): Promise<Answer> {
    const parameters = new URLSearchParams();
    for (const [name, value] of Object.entries(query)) if (value !== undefined) parameters.set(name, String(value));
    const path = `/v1/players/${encodeURIComponent(player)}/${what}${parameters.size === 0 ? '' : `?${parameters}`}`;
    return this.#transport.send({ method: 'GET', path, timeout: walking });
  }

  #post<Answer>(player: string, what: string, body: object): Promise<Answer> {
    const path = `/v1/players/${encodeURIComponent(player)}/${what}`;
    return this.#transport.send({ method: 'POST', path, body, timeout: walking });
  }
}
