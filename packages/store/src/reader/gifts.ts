import {
  applyTransaction,
  changedInWords,
  readKeys,
  turnedBackForMany,
  unknownToGift,
  whyNotGiven,
  type GiftContent,
  type GiftProblem,
  type Records,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import { rfc3339 } from '../clock.js';
import type { InstalledManifest, Manifests } from '../manifests.js';
import type { EnvironmentRow, GiftPlayerRow, GiftRow, Tables } from '../tables.js';
import { CreditsInWork } from '../writer/credits-in-work.js';
import { HistoryReads } from './history.js';
import type { ListedPlayer } from './players.js';
import type { PlayerReads } from './player.js';

/** What a gift would do to one player. */
export interface GiftLook {
  readonly player: string;
  readonly name: string | null;
  /** What it would change, in words; empty where nothing would be another. */
  readonly words: string;
  readonly problem: GiftProblem | null;
}

/** Gifts, and what became of those who should get them. */
export class GiftReads {
  readonly #db: Kysely<Tables>;
  readonly #players: PlayerReads;
  readonly #manifests: Manifests;

  constructor(db: Kysely<Tables>, players: PlayerReads, manifests: Manifests) {
    this.#db = db;
    this.#players = players;
    this.#manifests = manifests;
  }

  /** An environment's gifts, the newest first. */
  async list(environment: number, count: number, before?: number): Promise<readonly GiftRow[]> {
    let found = this.#db.selectFrom('gifts').selectAll().where('environment', '=', environment);
    if (before !== undefined) found = found.where('number', '<', before);
    return found.orderBy('number', 'desc').limit(count).execute();
  }

  async one(environment: number, number: number): Promise<GiftRow | undefined> {
    return this.#db
      .selectFrom('gifts')
      .selectAll()
      .where('environment', '=', environment)
      .where('number', '=', number)
      .executeTakeFirst();
  }

  /** Those that are on their way, of all environments: they go on when the service starts. */
  async underWay(): Promise<readonly GiftRow[]> {
    return this.#db
      .selectFrom('gifts')
      .selectAll()
      .where('state', 'in', ['gathering', 'giving', 'taking-back'])
      .orderBy('number')
      .execute();
  }

  /** Those of a gift's players who are in a state, in order. */
  async players(
    gift: number,
    state: GiftPlayerRow['state'],
    count: number,
    after: number,
  ): Promise<readonly GiftPlayerRow[]> {
    return this.#db
      .selectFrom('gift_players')
      .selectAll()
      .where('gift', '=', gift)
      .where('state', '=', state)
      .where('place', '>', after)
      .orderBy('place')
      .limit(count)
      .execute();
  }

  /** The ids of an environment's players in the order in which they were made. */
  async everybody(
    environment: number,
    after: number,
    count: number,
  ): Promise<readonly { readonly number: number; readonly id: string }[]> {
    return this.#db
      .selectFrom('players')
      .select(['number', 'id'])
      .where('environment', '=', environment)
      .where('number', '>', after)
      .orderBy('number')
      .limit(count)
      .execute();
  }

  /** What a gift would do to each of some players; nothing is changed. */
  async look(
    environment: EnvironmentRow,
    content: GiftContent,
    ids: readonly string[],
    now: number,
  ): Promise<readonly GiftLook[]> {
    const installed = await this.#manifests.newestOf(environment);
    const looks: GiftLook[] = [];
    for (const id of ids) {
      const player = await this.#players.one(environment.number, id);
      if (player === undefined) looks.push({ player: id, name: null, words: '', problem: unknownToGift(id) });
      else {
        const outcome = await this.#lookAt(player, content, installed, now);
        const [words, problem] = typeof outcome === 'string' ? [outcome, null] : ['', outcome];
        looks.push({ player: id, name: player.name, words, problem });
      }
    }
    return looks;
  }

  async #lookAt(
    player: ListedPlayer,
    content: GiftContent,
    { rules }: InstalledManifest,
    now: number,
  ): Promise<string | GiftProblem> {
    const { session_on: host } = player;
    const held = await this.#players.stored(player.number, rules.manifest);
    const inWords = (changed: Records) =>
      changedInWords(
        readKeys(changed.keys(), held, rules),
        readKeys(changed.keys(), new Map([...held, ...changed]), rules),
      );
    const refused = whyNotGiven(content, { createdAt: player.created_at, host });
    if (refused !== undefined) return refused;
    if ('asOf' in content) {
      const then = await new HistoryReads(this.#db).asOf(player.number, content.asOf);
      return inWords(turnedBackForMany(then, held, rules, '', content.keys).changed);
    }
    const { changes } = content;
    const credits = new CreditsInWork(this.#db, player.number);
    await credits.load([{ changes }], rules.manifest, [now]);
    const outcome = applyTransaction(held, { changes }, rules, rfc3339(now), {
      creditedSince: (key, since) => credits.since(key, since),
    });
    if (!outcome.applied) return { code: outcome.problem.code, detail: outcome.problem.detail };
    return inWords(outcome.changed);
  }
}
