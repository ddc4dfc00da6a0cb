import { createHash } from 'node:crypto';
import {
  isForPlayers,
  nearestName,
  percentileOf,
  rewardFor,
  rewardInWords,
  shownResult,
  type Manifest,
  type Reward,
  type ScoreDeclaration,
} from '@vekkon/core';
import { nextTurn, StandingIndex } from '@vekkon/core/boards';
import { Refusal, routes, type Board, type Placed, type Route, type Season, type Stretch } from '@vekkon/protocol';
import { rfc3339, type DoubtfulRow, type EnvironmentRow, type SeasonRow } from '@vekkon/store';
import { stringify } from 'csv-stringify';
import { z } from 'zod';
import { isOnDevice, nameOf, readerOf, type Principal } from '../access.js';
import { openOf, type BoardInMemory } from '../boards.js';
import { seasonOf, type Ranked, type SeasonView } from '../season-view.js';
import { JsonText } from '../answers.js';
import { serveRoute, type Call, type Desk } from '../serve-route.js';

/** How many members of a family are listed. */
const membersListed = 100;
const exportedAtATime = 1_000;

/** Leaderboards: read by everybody, watched, and kept honest by operators. */
export function serveBoards(desk: Desk): void {
  const { reader, longReads, writer, boards, seasons } = desk;
  const reads = reader.boards;

  serveRoute(desk, routes.boards, async ({ environment, principal }) => {
    const place = environment();
    await seasons.tendIfDue();
    const manifest = await manifestFor(desk, place);
    const declared = Object.entries(manifest?.records ?? {}).flatMap(([key, one]) =>
      one.kind === 'score' && one.public && maySee(key, principal, manifest) ? [[key, one] as const] : [],
    );
    return { boards: await Promise.all(declared.map(([key, one]) => boardAsTold(desk, place, key, one))) };
  });

  serveBoard(routes.stretch, async (asked, { query, response, request }) => {
    const view = await viewOf(asked, query.season);
    return tagged(request, response, await stretchAsTold(asked, view, await view.stretch(query.start, query.count)));
  });

  serveBoard(routes.around, async (asked, { params, query, request, response }) => {
    const view = await viewOf(asked, query.season);
    const { rank } = await standingIn(asked, view, params.player);
    const start = Math.max(1, rank - query.span);
    const found = await view.stretch(start, rank - start + query.span + 1);
    return tagged(request, response, await stretchAsTold(asked, view, found));
  });

  serveBoard(routes.standing, async (asked, { params, query }) => {
    const view = await viewOf(asked, query.season);
    const found = await reads.player(asked.place.number, params.player);
    const ranked = found && (await view.standing(found.number));
    if (found === undefined || ranked === undefined) throw notOn(asked, view, params.player);
    const placed = placedAs(ranked, found, asked.declaration);
    const percentile = percentileOf(ranked.rank, view.of);
    return { ...placed, board: asked.key, season: view.row.number, of: view.of, percentile };
  });

  serveBoard(routes.among, async (asked, { query, body }) => {
    const view = await viewOf(asked, query.season);
    const named = [...new Set(body.players)];
    const numbers = await reads.numbers(asked.place.number, named);
    const found = await Promise.all([...numbers.values()].map((number) => view.standing(number)));
    const ranked = found.filter((one) => one !== undefined).toSorted((one, other) => one.rank - other.rank);
    const stretch = await stretchAsTold(asked, view, ranked);
    const there = new Set(stretch.standings.map(({ player }) => player));
    return {
      ...stretch,
      standings: stretch.standings.map((one, index) => ({ ...one, place: index + 1 })),
      without: named.filter((id) => !there.has(id)),
    };
  });

  serveBoard(routes.seasons, async ({ board, key }, { query }) => {
    const rows = await reads.seasons(board.number, query.count, query.before);
    const last = rows.at(-1);
    return {
      board: key,
      seasons: rows.map((row) => seasonAsTold(row, board)),
      next: rows.length === query.count && last !== undefined && last.number > 1 ? last.number : null,
    };
  });

  serveBoard(routes.boardStream, async (asked, { query, principal, response }) => {
    const ids = (query.players ?? '').split(',').filter((one) => one !== '');
    const chosen = ids.slice(0, 200).map((one) => decodeURIComponent(one));
    const numbers = await reads.numbers(asked.place.number, chosen);
    await desk.boardStreams.watch(asked.board, {
      ...readerOf(principal, response),
      look: async (board) => {
        const open = openOf(board);
        if (open === undefined) return JSON.stringify({ board: asked.key, season: null, of: 0, top: [], players: [] });
        const view = await seasonOf(reads, board);
        const found = await Promise.all([...numbers.values()].map((number) => view.standing(number)));
        const top = await stretchAsTold(asked, view, await view.stretch(1, query.top));
        const there = found.filter((one) => one !== undefined);
        const players = await stretchAsTold(asked, view, there);
        const { board: key, season, of } = top;
        return JSON.stringify({ board: key, season, of, top: top.standings, players: players.standings });
      },
    });
    return undefined;
  });

  serveBoard(routes.spread, async ({ board, key, declaration }, { query }) => {
    const { row } = await seasonOf(reads, board, query.season);
    const spread = await longReads.spreadOfResults(board.number, row.number);
    return { board: key, season: row.number, ...spread, bins: [...spread.bins], unit: declaration.unit ?? null };
  });

  serveBoard(routes.exportStandings, async (asked, { query, response }) => {
    const view = await viewOf(asked, query.season);
    const name = `${asked.key.replaceAll('/', '-')}-season-${view.row.number}.csv`;
    response.set('Content-Type', 'text/csv; charset=utf-8');
    response.set('Content-Disposition', `attachment; filename*=UTF-8''${encodeURIComponent(name)}`);
    const csv = stringify({ header: true, columns: ['rank', 'player', 'name', 'value', 'shown', 'reached'] });
    csv.pipe(response);
    for (let start = 1; !response.destroyed; start += exportedAtATime) {
      const some = await stretchAsTold(asked, view, await view.stretch(start, exportedAtATime));
      for (const { rank, player, name: shownName, value, shown, reached } of some.standings) {
        csv.write([rank, inCell(player), inCell(shownName ?? ''), value, shown, reached]);
      }
      if (some.standings.length < exportedAtATime) break;
      await new Promise((resolve) => setImmediate(resolve));
    }
    csv.end();
    return undefined;
  });

  serveBoard(routes.closeSeason, async (asked, { body, principal }) => {
    const view = await seasonOf(reads, asked.board);
    const { rewards = [], season } = asked.declaration;
    const turns = nextTurn(season, desk.clock.now());
    const told = {
      board: asked.key,
      season: view.row.number,
      of: view.of,
      rewards: await Promise.all(rewards.map((reward, line) => rewardedAsTold(asked, view, reward, line))),
      nextTurn: turns === null ? null : rfc3339(turns),
    };
    if (body.dryRun) return { ...told, isDone: false };
    if (body.reason === undefined) throw new Refusal('request-invalid', 'In the body at /reason: must say why.');
    const close = { environment: asked.place.number, board: asked.key, reason: body.reason, by: nameOf(principal) };
    await writer.do('closeSeason', close);
    void seasons.tend();
    return { ...told, isDone: true };
  });

  const toOne = (asked: Asked, player: string, reason: string, principal: Principal) => ({
    environment: asked.place.number,
    board: asked.key,
    player,
    reason,
    by: nameOf(principal),
  });

  serveBoard(routes.takeOff, async (asked, { params, body, principal }) => {
    await writer.do('takeOffStanding', toOne(asked, params.player, body.reason, principal));
    return { takenOff: params.player };
  });

  serveBoard(routes.putBack, async (asked, { params, body, principal }) => {
    await writer.do('putBackStanding', toOne(asked, params.player, body.reason, principal));
    return { putBack: params.player };
  });

  serveBoard(routes.bar, async (asked, { params, body, principal }) => {
    await writer.do('barPlayer', toOne(asked, params.player, body.reason, principal));
    return { barred: params.player };
  });

  serveBoard(routes.readmit, async (asked, { params, body, principal }) => {
    await writer.do('readmitPlayer', toOne(asked, params.player, body.reason, principal));
    return { readmitted: params.player };
  });

  serveRoute(desk, routes.doubtful, async ({ query, environment }) => {
    const place = environment();
    const manifest = await manifestFor(desk, place);
    const rows = await reads.doubtful(place.number, query.state, query.count, query.after);
    const last = rows.at(-1);
    return {
      total: await reads.countOfDoubtful(place.number),
      doubtful: rows.map((row) => doubtfulAsTold(row, manifest)),
      next: rows.length === query.count && last !== undefined ? last.number : null,
    };
  });

  serveRoute(desk, routes.acceptDoubtful, async ({ params, body, environment, principal }) => {
    const decide = { environment: environment().number, id: params.doubtful, reason: body.reason };
    await writer.do('acceptDoubtful', { ...decide, by: nameOf(principal) });
    return { accepted: String(params.doubtful) };
  });

  serveRoute(desk, routes.rejectDoubtful, async ({ params, body, environment, principal }) => {
    const decide = { environment: environment().number, id: params.doubtful, reason: body.reason };
    await writer.do('rejectDoubtful', { ...decide, by: nameOf(principal) });
    return { rejected: String(params.doubtful) };
  });

  serveRoute(desk, routes.playerStandings, async ({ params, environment }) => {
    const place = environment();
    const player = await reads.player(place.number, params.player);
    if (player === undefined) throw new Refusal('player-unknown');
    const manifest = await manifestFor(desk, place);
    const rows = await reads.ofPlayer(player.number);
    const { aside, barred } = await reads.asideOf(player.number);
    return {
      standings: rows.map(({ key, board, season, value, reached, rank, of, closed_at: closedAt }) => {
        const live = boards.numbered(board)?.seasons.get(season);
        const shown = shownResult(value, manifest && declarationOf(key, manifest)?.unit);
        const now = { rank: rank ?? live?.index.rankOf(player.number) ?? null, of: live?.index.size ?? of };
        return { board: key, season, value, shown, reached: rfc3339(reached), ...now, isOpen: closedAt === null };
      }),
      aside: [
        ...barred.map(({ key, reason, by, at }) => {
          return { board: key, season: null, why: 'barred' as const, value: null, reason, by, at: rfc3339(at) };
        }),
        ...aside
          .filter(({ why }) => why === 'taken-off')
          .map(({ key, season, why, value, reason, by, at }) => {
            return { board: key, season, why, value, reason, by, at: rfc3339(at) };
          }),
      ],
    };
  });

  /** Answers a route of one board, and of one member of a family, whose key takes two segments. */
  function serveBoard<R extends Route>(
    route: R,
    handler: (asked: Asked, call: Call<R>) => Promise<z.output<R['response']> | JsonText | undefined>,
  ): void {
    const ofMember = {
      ...route,
      path: route.path.replace('{board}', '{board}/{member}'),
      params: { ...route.params, member: z.string().min(1).max(200) },
    };
    for (const one of [route, ofMember] as readonly R[]) {
      serveRoute(desk, one, async (call) => {
        const { board, member } = call.params as { readonly board: string; readonly member?: string };
        await seasons.tendIfDue();
        return handler(await askedFor(desk, call.environment(), call.principal, board, member), call);
      });
    }
  }

  async function viewOf({ board }: Asked, season: number | undefined): Promise<SeasonView> {
    return seasonOf(reads, board, season);
  }

  async function standingIn(asked: Asked, view: SeasonView, id: string): Promise<Ranked> {
    const player = await reads.player(asked.place.number, id);
    const standing = player && (await view.standing(player.number));
    if (standing === undefined) throw notOn(asked, view, id);
    return standing;
  }

  async function stretchAsTold(asked: Asked, view: SeasonView, found: readonly Ranked[]): Promise<Stretch> {
    const names = await reads.names(found.map(({ player }) => player));
    const standings = found.flatMap((one) => {
      const player = names.get(one.player);
      return player === undefined ? [] : [placedAs(one, player, asked.declaration)];
    });
    return { board: asked.key, season: view.row.number, of: view.of, standings };
  }

  async function rewardedAsTold(asked: Asked, view: SeasonView, reward: Reward, line: number) {
    const { rewards = [] } = asked.declaration;
    const [first, last] =
      'ranks' in reward ? [reward.ranks[0], reward.ranks[1]] : [1, Math.floor((view.of * reward.share) / 100)];
    // The first line that fits gives: what stands before this one takes its places away.
    let start = first;
    while (start <= last && rewardFor(start, view.of, rewards) !== line) start++;
    const players = Math.max(0, Math.min(last, view.of) - start + 1);
    const some = players === 0 ? [] : await view.stretch(start, Math.min(players, 5));
    const { standings } = await stretchAsTold(asked, view, some);
    return { line, shown: rewardInWords(reward), players, first: standings };
  }
}

/** The board that a call is about. */
interface Asked {
  readonly place: EnvironmentRow;
  readonly key: string;
  readonly declaration: ScoreDeclaration;
  readonly board: BoardInMemory;
}

async function manifestFor({ reader }: Desk, place: EnvironmentRow): Promise<Manifest | undefined> {
  return place.manifest_version === null ? undefined : (await reader.manifests.newestOf(place)).rules.manifest;
}

function declarationOf(key: string, manifest: Manifest): ScoreDeclaration | undefined {
  const declaration = manifest.records[`score/${key.split('/')[0]}`];
  return declaration?.kind === 'score' ? declaration : undefined;
}

function maySee(key: string, principal: Principal, manifest: Manifest | undefined): boolean {
  return !isOnDevice(principal) || (manifest !== undefined && isForPlayers(key, manifest));
}

async function askedFor(
  desk: Desk,
  place: EnvironmentRow,
  principal: Principal,
  name: string,
  member: string | undefined,
): Promise<Asked> {
  const manifest = (await desk.reader.manifests.newestOf(place)).rules.manifest;
  const declaration = declarationOf(name, manifest);
  const isThere = declaration?.public === true && maySee(`score/${name}`, principal, manifest);
  if (declaration === undefined || !isThere) throw unknownBoard(name, principal, manifest);
  if ((declaration.family !== undefined) !== (member !== undefined)) {
    const detail =
      member === undefined
        ? `"${name}" is a family, a board for each name: ask for ${name}/… with which of them.`
        : `"${name}" is one board, and no family: leave "${member}" out.`;
    throw new Refusal('board-unknown', detail);
  }
  const key = member === undefined ? name : `${name}/${member}`;
  const board = desk.boards.find(place.number, key);
  // Declared, and without a result yet: an empty board is one too.
  return { place, key, declaration, board: board ?? emptyBoard(place, key, declaration) };
}

/** A board on which nothing was ever submitted. */
function emptyBoard(
  { number: environment }: EnvironmentRow,
  key: string,
  declaration: ScoreDeclaration,
): BoardInMemory {
  const { season, better, counts } = declaration;
  const row: SeasonRow = {
    ...{ board: 0, number: 1, season, better, counts, opened_at: 0, turns_at: null, turned_at: null },
    ...{ closes_at: null, closed_at: null, closed_by: null, reason: null, standings: 0, rewards: null },
    ...{ ranked: 0, given: 0, done_at: null },
  };
  const empty = { row, index: new StandingIndex(better), isReady: true, moves: 0, moved: new Set<number>() };
  return { number: 0, environment, key, seasons: new Map([[1, empty]]) };
}

function unknownBoard(name: string, principal: Principal, manifest: Manifest): Refusal {
  const declared = Object.entries(manifest.records).flatMap(([key, one]) =>
    one.kind === 'score' && one.public && maySee(key, principal, manifest) ? key.slice('score/'.length) : [],
  );
  const nearest = nearestName(name, declared);
  const advice =
    nearest !== undefined
      ? `did you mean "${nearest}"?`
      : declared.length === 0
        ? 'none is declared.'
        : `there are ${declared.slice(0, 20).join(', ')}.`;
  return new Refusal('board-unknown', `There is no board "${name}": ${advice}`);
}

function notOn({ key }: Asked, { row }: SeasonView, player: string): Refusal {
  return new Refusal('standing-unknown', `"${player}" has no standing in season ${row.number} of ${key} yet.`);
}

function placedAs(
  { rank, value, reached }: Ranked,
  { id, name }: { readonly id: string; readonly name: string | null },
  { unit }: ScoreDeclaration,
): Placed {
  return { rank, player: id, name, value, shown: shownResult(value, unit), reached: rfc3339(reached) };
}

async function boardAsTold(desk: Desk, place: EnvironmentRow, key: string, one: ScoreDeclaration): Promise<Board> {
  const name = key.slice('score/'.length);
  const isFamily = one.family !== undefined;
  const board = isFamily ? undefined : desk.boards.find(place.number, name);
  const open = board && openOf(board);
  return {
    board: name,
    family: isFamily,
    members: isFamily ? [...(await desk.reader.boards.members(place.number, name, membersListed))] : [],
    better: one.better,
    counts: one.counts,
    unit: one.unit ?? null,
    about: one.about ?? null,
    seasons: one.season,
    season: board === undefined || open === undefined ? null : seasonAsTold(open.row, board, one.rewards),
  };
}

function seasonAsTold(row: SeasonRow, board: BoardInMemory, declared: readonly Reward[] = []): Season {
  const live = board.seasons.get(row.number);
  const rewards = row.rewards === null ? declared : (JSON.parse(row.rewards) as readonly Reward[]);
  const timeOf = (at: number | null) => (at === null ? null : rfc3339(at));
  return {
    season: row.number,
    state: row.closed_at !== null ? 'closed' : row.turned_at !== null ? 'turned' : 'open',
    openedAt: rfc3339(row.opened_at),
    turnsAt: timeOf(row.turned_at ?? row.turns_at),
    closesAt: timeOf(row.closes_at),
    closedAt: timeOf(row.closed_at),
    closedBy: row.closed_by,
    reason: row.reason,
    of: row.closed_at === null && live?.isReady === true ? live.index.size : row.standings,
    rewards: rewards.map((reward) => ({
      ...('ranks' in reward ? { ranks: [...reward.ranks] } : { share: reward.share }),
      changes: reward.changes as never[],
      shown: rewardInWords(reward),
    })),
    ranked: row.ranked,
    given: row.given,
    isDone: row.done_at !== null,
  };
}

function doubtfulAsTold(
  row: DoubtfulRow & { readonly player_id: string; readonly player_name: string | null },
  manifest: Manifest | undefined,
) {
  const unit = manifest && declarationOf(row.key, manifest)?.unit;
  const before = JSON.parse(row.before) as { readonly best?: number | null } | null;
  return {
    id: String(row.number),
    board: row.key,
    player: row.player_id,
    name: row.player_name,
    value: row.value,
    shown: shownResult(row.value, unit),
    at: rfc3339(row.at),
    entry: row.name,
    note: row.note,
    session: row.session,
    host: row.host,
    number: row.save_number,
    before: before as never,
    bestBefore: typeof before?.best === 'number' ? shownResult(before.best, unit) : null,
    state: row.state,
    decidedAt: row.decided_at === null ? null : rfc3339(row.decided_at),
    decidedBy: row.decided_by,
    reason: row.reason,
  };
}

/** Whoever has the same already is told only that. */
function tagged(
  request: { get(name: string): string | undefined },
  response: { set(name: string, value: string): unknown; status(code: number): { end(): unknown } },
  answer: Stretch,
): JsonText | undefined {
  const text = JSON.stringify(answer);
  const tag = `"${createHash('sha256').update(text).digest('base64url').slice(0, 22)}"`;
  response.set('ETag', tag);
  if (request.get('If-None-Match') !== tag) return new JsonText(text);
  response.status(304).end();
  return undefined;
}

/** A spreadsheet takes a cell that starts like a formula for one: a name of a player is none. */
function inCell(text: string): string {
  return /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
}
