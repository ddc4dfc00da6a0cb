import {
  type Records,
  declarationOf,
  differenceInWords,
  isProblem,
  storedKeys,
  turnedBack,
  valueDifferences,
  type Json,
} from '@vekkon/core';
import { Refusal, routes } from '@vekkon/protocol';
import { recordsByKey, rfc3339 } from '@vekkon/store';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { declaredOnly, knownPlayer } from '../known-player.js';

/** How many differences of one record are told. */
const mostWords = 50;

/** What a player's records held before: listed, compared, and brought back. */
export function serveHistory(desk: Desk): void {
  const { reader, longReads, writer } = desk;

  serveRoute(desk, routes.history, async ({ params, query, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const { rules } = await reader.manifests.newestOf(place);
    let keys: readonly string[] | undefined;
    if (query.key !== undefined) {
      const declared = declarationOf(query.key, rules.manifest);
      if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
      keys = storedKeys(declared.key, rules.manifest);
    }
    const { revisions, next } = await longReads.historyPage(player.number, keys, query.count, query.before);
    return {
      revisions: revisions.map(({ key, revision, removed, at, seen, session, by, label, bytes, words, more }) => ({
        key,
        revision,
        removed: removed === 1,
        at: rfc3339(at),
        seen,
        session,
        by,
        label,
        bytes,
        words: words === null ? null : [...words],
        more,
      })),
      next,
    };
  });

  serveRoute(desk, routes.revision, async ({ params, query, environment }) => {
    const player = await knownPlayer(reader, environment(), params.player);
    const { key, revision, removed, at, by, label, value } = await kept(player.number, query.key, query.revision);
    return {
      key,
      revision,
      removed: removed === 1,
      at: rfc3339(at),
      by,
      label,
      value: JSON.parse(value) as Json,
    };
  });

  serveRoute(desk, routes.restoreRevision, async ({ params, body, environment, principal }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const { key, revision, removed, value } = await kept(player.number, body.key, body.revision);
    if (removed === 1) {
      const detail = `${key} was removed at revision ${revision}: there is nothing to bring back. Name the one before it, or remove the record.`;
      throw new Refusal('revision-unknown', detail);
    }
    return writer.do('restoreRevision', {
      environment: place.number,
      player: params.player,
      key,
      revision,
      value: JSON.parse(value) as Json,
      ifRevision: body.ifRevision,
      by: nameOf(principal),
    });
  });

  serveRoute(desk, routes.asOf, async ({ params, query, environment }) => {
    const place = environment();
    const { player, then, rules } = await before(params.player, query.at, place);
    const now = await reader.players.stored(player.number, rules.manifest);
    const { changed } = turnedBack(then, now, rules, query.at, null);
    return {
      at: query.at,
      seen: player.seen,
      records: recordsByKey(await declaredOnly(reader, place, then)),
      differences: differencesInWords(now, changed),
    };
  });

  serveRoute(desk, routes.restoreAsOf, async ({ params, body, environment, principal }) => {
    const place = environment();
    const { then } = await before(params.player, body.at, place);
    const { keys } = await writer.do('turnBack', {
      environment: place.number,
      player: params.player,
      to: [...then],
      when: rfc3339(Date.parse(body.at)),
      keys: body.keys ?? null,
      ifSeen: body.ifSeen,
      by: nameOf(principal),
    });
    return { restored: [...keys] };
  });

  async function kept(player: number, key: string, revision: number) {
    const row = await reader.history.revision(player, key, revision);
    if (row !== undefined) return row;
    throw new Refusal(
      'revision-unknown',
      `Revision ${revision} of ${key} is not kept: see the history for those that are.`,
    );
  }

  async function before(id: string, at: string, place: Parameters<typeof knownPlayer>[1]) {
    const player = await knownPlayer(reader, place, id);
    const { rules } = await reader.manifests.newestOf(place);
    return { player, rules, then: await longReads.recordsAt(player.number, Date.parse(at)) };
  }
}

/** What would be another, by record, in words. */
export function differencesInWords(now: Records, changed: Records) {
  const differences = [...changed].map(([key, { value, removed }]) => {
    const held = now.get(key);
    const is = held === undefined || held.removed === true ? undefined : held.value;
    const words = valueDifferences(is, removed === true ? undefined : value).map(differenceInWords);
    return { key, words: words.slice(0, mostWords) };
  });
  return differences.sort((one, other) => (one.key < other.key ? -1 : 1));
}
