import { decideImport, type Existing, type Json } from '@vekkon/core';
import type { Kysely } from 'kysely';
import { rfc3339 } from '../clock.js';
import type { InstalledManifest, Manifests } from '../manifests.js';
import type { EnvironmentRow, PlayerRow, Tables } from '../tables.js';
import { isErased, type ImportLine, type ImportOutcome } from '../transfer.js';
import type { PlayerReads } from './player.js';

/** How much one page holds at the most, in characters of JSON: a few players may be as large as all others. */
const mostCharacters = 4 * 1024 * 1024;

/** Players that go elsewhere, or come from there. */
export class TransferReads {
  readonly #db: Kysely<Tables>;
  readonly #players: PlayerReads;
  readonly #manifests: Manifests;

  constructor(db: Kysely<Tables>, players: PlayerReads, manifests: Manifests) {
    this.#db = db;
    this.#players = players;
    this.#manifests = manifests;
  }

  /**
   * A page of an environment's players as lines of JSON, in the order of their ids.
   *
   * @param after the last id of the page before; empty to begin
   * @returns what to ask for as `after`; null where nobody is left
   */
  async page(
    environment: EnvironmentRow,
    after: string,
    count: number,
  ): Promise<{ readonly lines: readonly string[]; readonly next: string | null }> {
    const installed = await this.#manifests.newestOf(environment);
    const players = await this.#db
      .selectFrom('players')
      .selectAll()
      .where('environment', '=', environment.number)
      .where('id', '>', after)
      .orderBy('id')
      .limit(count)
      .execute();
    const lines: string[] = [];
    let length = 0;
    for (const player of players) {
      const line = await this.#line(player, installed);
      lines.push(line);
      length += line.length;
      if (length > mostCharacters) break;
    }
    const last = players[lines.length - 1];
    return {
      lines,
      next: last !== undefined && (lines.length < players.length || players.length === count) ? last.id : null,
    };
  }

  /** One player as a line of JSON. */
  async one(environment: EnvironmentRow, id: string): Promise<string | undefined> {
    const player = await this.#players.one(environment.number, id);
    return player && this.#line(player, await this.#manifests.newestOf(environment));
  }

  /** What importing players would do; nothing is changed. */
  async look(
    environment: EnvironmentRow,
    lines: readonly ImportLine[],
    existing: Existing,
    revives: boolean,
  ): Promise<readonly ImportOutcome[]> {
    const { rules } = await this.#manifests.newestOf(environment);
    const outcomes: ImportOutcome[] = [];
    for (const { player: id, records } of lines) {
      const player = await this.#players.one(environment.number, id);
      const known = {
        held: player && (await this.#players.stored(player.number, rules.manifest)),
        isErased: player === undefined && !revives && (await isErased(this.#db, environment.number, id)),
        isInSession: typeof player?.session_on === 'string',
      };
      const decided = decideImport(records, known, existing, rules);
      outcomes.push('problem' in decided ? decided : { outcome: decided.outcome });
    }
    return outcomes;
  }

  async #line(player: PlayerRow, { rules }: InstalledManifest): Promise<string> {
    const stored = await this.#players.stored(player.number, rules.manifest);
    const records = [...stored]
      .filter(([, { removed }]) => removed !== true)
      .sort(([one], [other]) => (one < other ? -1 : 1))
      .map(([key, { value }]): [string, Json] => [key, value]);
    const timeOf = (time: number | null) => (time === null ? null : rfc3339(time));
    return JSON.stringify({
      player: player.id,
      name: player.name,
      createdAt: rfc3339(player.created_at),
      firstJoinedAt: timeOf(player.first_joined_at),
      lastJoinedAt: timeOf(player.last_joined_at),
      lastLeftAt: timeOf(player.last_left_at),
      records: Object.fromEntries(records),
    });
  }
}
