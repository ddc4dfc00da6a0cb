import { movementInWords, declarationOf, isProblem, storedKeys, type Manifest } from '@vekkon/core';
import { Refusal, routes, type LedgerLine } from '@vekkon/protocol';
import { recordsByKey, rfc3339, type EnvironmentRow, type LedgerRow, type SessionRow } from '@vekkon/store';
import { deviceOf, nameOf } from '../access.js';
import { JsonPieces, JsonText } from '../answers.js';
import type { PlayersWanted } from '../player-search.js';
import { declaredOnly, knownPlayer, playerSummary, sessionSummary } from '../known-player.js';
import { serveRoute, type Call, type Desk } from '../serve-route.js';

/** How the ids of a rehearsal's players begin. */
const rehearsalPrefix = 'rehearsal-';

/** How many players one call reads in this thread: what is short need not wait for the other. */
const mostReadHere = 3;

type ChangeCall = Pick<Call<typeof routes.changes>, 'body' | 'environment' | 'principal' | 'request'>;

/** What is stored for players, and the stays they had. */
export function servePlayers(desk: Desk): void {
  const { reader, longReads } = desk;

  serveRoute(desk, routes.players, async ({ query, environment }) => {
    const { count, after, inSession, hasUnsettled, joinedSince, order, ...rest } = query;
    checkTogether(rest);
    const wanted = {
      ...rest,
      inSession: inSession === undefined ? undefined : true,
      hasUnsettled: hasUnsettled === undefined ? undefined : true,
      joinedSince: joinedSince === undefined ? undefined : Date.parse(joinedSince),
      isAscending: order === undefined ? undefined : order === 'ascending',
    };
    const { players, total, isCapped, next } = await desk.playerSearch.find(environment(), wanted, count, after);
    const listed = players.map((one) => ({
      ...playerSummary(one),
      ...(one.found !== undefined && { found: one.found }),
    }));
    return { players: listed, total, isCapped, next };
  });

  serveRoute(desk, routes.player, async ({ params, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const records = recordsByKey(await reader.players.records(player, place));
    return { ...playerSummary(player), now: rfc3339(desk.clock.now()), seen: player.seen, records };
  });

  serveRoute(desk, routes.changes, ({ params, ...call }) => changeOf(params.player, call));

  serveRoute(desk, routes.meChanges, (call) => changeOf(deviceOf(call.principal).player, call));

  async function changeOf(player: string, { body, environment, principal, request }: ChangeCall): Promise<JsonText> {
    const token = request.get('Idempotency-Key');
    if (token === undefined || token.length === 0 || token.length > 200) throw new Refusal('idempotency-key-missing');
    const { outcome } = await desk.writer.do('changeOutside', {
      environment: environment().number,
      player,
      token,
      transactions: body.transactions,
      by: nameOf(principal),
      byOperator: principal.sort === 'operator',
      byPlayer: principal.sort === 'device',
    });
    return new JsonText(`{"now":"${rfc3339(desk.clock.now())}",${outcome.slice(1)}`);
  }

  serveRoute(desk, routes.readPlayers, async ({ body, environment, principal }) => {
    const place = environment();
    const { rules } = await reader.manifests.newestOf(place);
    // What is asked for under a former name is answered under it.
    const asked: [key: string, name: string][] = [];
    for (const key of body.keys ?? []) {
      const declared = declarationOf(key, rules.manifest);
      if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
      asked.push([declared.key, key]);
    }
    const wanted = body.keys === undefined ? undefined : asked;
    const caller = nameOf(principal);
    // A turn a player: callers who ask for many are served one after the other, and not in this thread.
    const textOf = (id: string) =>
      body.players.length > mostReadHere
        ? desk.longTurns.take(caller, () => longReads.playerText(place, id, wanted))
        : desk.turns.take(caller, () => reader.players.text(place, id, wanted));
    async function* pieces(): AsyncGenerator<string> {
      const unknown: string[] = [];
      let before = `{"now":"${rfc3339(desk.clock.now())}","players":{`;
      for (const id of new Set(body.players)) {
        const text = await textOf(id);
        if (text === undefined) unknown.push(id);
        else {
          yield `${before}${JSON.stringify(id)}:${text}`;
          before = ',';
        }
      }
      yield `${before === ',' ? '' : before}},"unknown":${JSON.stringify(unknown)}}`;
    }
    return new JsonPieces(pieces());
  });

  serveRoute(desk, routes.playerSessions, async ({ params, query, environment }) => {
    const player = await knownPlayer(reader, environment(), params.player);
    const rows = await reader.players.sessions(player.number, query.count);
    const sessions = rows.map((row, index) => {
      const after = rows[index - 1];
      const { seen_at_end: end } = row;
      return {
        ...sessionSummary(row),
        changedAfter: after === undefined || end === null ? null : after.seen_at_join - end,
      };
    });
    return { sessions };
  });

  serveRoute(desk, routes.ledger, async ({ params, query, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const { rules } = await reader.manifests.newestOf(place);
    const { currency, count, before } = query;
    const keys = currency === undefined ? undefined : ledgerKeys(currency, rules.manifest);
    const rows = await reader.players.ledger(player.number, keys, count + 1, before);
    const shown = rows.slice(0, count);
    return { lines: shown.map(ledgerLine), next: rows.length > count ? (shown.at(-1)?.number ?? null) : null };
  });

  serveRoute(desk, routes.makeNew, async ({ params, environment, principal }) => {
    const { number } = environment();
    return desk.writer.do('makeNew', { environment: number, player: params.player, by: nameOf(principal) });
  });

  serveRoute(desk, routes.makeAllNew, async ({ environment, principal }) => {
    const place = environment();
    const by = nameOf(principal);
    let [made, inSession, after] = [0, 0, 0 as number | null];
    while (after !== null) {
      const step = await desk.writer.do('emptyEnvironment', { environment: place.number, by, after });
      [made, inSession, after] = [made + step.made, inSession + step.inSession, step.after];
    }
    const detail = `${made} players${inSession > 0 ? `; left as they are, being in a session: ${inSession}` : ''}`;
    await desk.writer.do('note', {
      environment: place.number,
      what: 'environment-emptied',
      by,
      player: null,
      detail,
    });
    return { made, inSession };
  });

  serveRoute(desk, routes.saveNow, async ({ params, environment }) => {
    const place = environment();
    const player = await knownPlayer(reader, place, params.player);
    const [newest] = await reader.players.sessions(player.number, 1);
    if (newest === undefined || newest.ended_at !== null) return { asked: false, host: null };
    desk.streams.tell(place.number, newest.host, 'save-now', { session: newest.id });
    return { asked: desk.streams.isListening(place.number, newest.host), host: newest.host };
  });

  serveRoute(desk, routes.erasePlayer, async ({ params, environment, principal }) => {
    const { number } = environment();
    // A game server may take back what a rehearsal made, and nothing else.
    if (principal.sort === 'host' && !params.player.startsWith(rehearsalPrefix)) {
      throw new Refusal(
        'credential-wrong-kind',
        'A host key may erase only players of a rehearsal; an admin may erase any.',
      );
    }
    await desk.writer.do('erasePlayer', {
      environment: number,
      player: params.player,
      by: nameOf(principal),
    });
    return { erased: true };
  });

  const knownSession = async (place: EnvironmentRow, id: string): Promise<SessionRow> => {
    const session = await reader.sessions.one(place.number, id);
    if (session === undefined) throw new Refusal('session-unknown', `There is no session "${id}" in this environment.`);
    return session;
  };

  serveRoute(desk, routes.sessionSaves, async ({ params, query, environment }) => {
    const place = environment();
    const session = await knownSession(place, params.session);
    const { saves, next } = await longReads.savesOfSession(session, query.count, query.before);
    // Of the newest page: what went wrong is told once.
    const troubles = query.before === undefined ? await troublesOf(desk, session) : [];
    return {
      saves: saves.map(({ seen, at, records, moved }) => ({
        seen,
        at: rfc3339(at),
        bytes: records.reduce((sum, { bytes }) => sum + bytes, 0),
        records: records.map(({ key, revision, words, more }) => ({
          key,
          revision,
          words: words === null ? null : [...words],
          more,
        })),
        moved: moved.map(movementInWords),
      })),
      troubles,
      next,
    };
  });

  serveRoute(desk, routes.session, async ({ params, environment }) => {
    const place = environment();
    const session = await knownSession(place, params.session);
    const loaded = await longReads.recordsAsOf(session.player, session.seen_at_join);
    const stored = await longReads.recordsAsOf(session.player, session.seen_at_end ?? Number.MAX_SAFE_INTEGER);
    const declared = async (records: typeof loaded) => recordsByKey(await declaredOnly(reader, place, records));
    return { ...sessionSummary(session), loaded: await declared(loaded), stored: await declared(stored) };
  });
}

/** What can go wrong with a stay, as the activity names it. */
const kindsOfTrouble = new Set(['tries-failed', 'save-refused', 'came-late', 'taken-over', 'handover-wanted']);
/** How long after its end something may come late, in milliseconds, and how many lines are looked at. */
const lateFor = 3_600_000;
const mostTroubles = 200;

/** What went wrong in a session, the newest first. */
async function troublesOf({ reader }: Desk, session: SessionRow) {
  const [player] = await reader.players.numbered([session.player], {});
  if (player === undefined) return [];
  const until = session.ended_at === null ? undefined : session.ended_at + lateFor;
  const filters = { player: player.id, since: session.joined_at, until };
  const { rows } = await reader.activity.page(session.environment, mostTroubles, filters);
  return rows
    .filter(({ what, by }) => kindsOfTrouble.has(what) && (by === session.host || what === 'handover-wanted'))
    .map(({ at, what, detail }) => ({ at: rfc3339(at), what, detail }));
}

function ledgerKeys(currency: string, manifest: Manifest): readonly string[] {
  const declared = declarationOf(currency.startsWith('currency/') ? currency : `currency/${currency}`, manifest);
  if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
  return storedKeys(declared.key, manifest);
}

function ledgerLine(row: LedgerRow): LedgerLine {
  const { number, key, op, amount, balance, reason, count, session, by, label } = row;
  return { number, at: rfc3339(row.at), key, op, amount, balance, reason, count, by, session, label };
}

/** What says something only beside something else. */
function checkTogether({
  by,
  from,
  to,
  is,
  board,
  place,
}: Pick<PlayersWanted, 'by' | 'from' | 'to' | 'is' | 'board' | 'place'>): void {
  const alone = [from, to, is].some((one) => one !== undefined) && by === undefined;
  if (alone) throw new Refusal('request-invalid', 'In the query: from, to and is need "by", which says what of.');
  if (place !== undefined && board === undefined) {
    throw new Refusal('request-invalid', 'In the query: place needs "board", which says on which.');
  }
  if (by !== undefined && board !== undefined) {
    throw new Refusal('request-invalid', 'In the query: by and board each say an order: send one of them.');
  }
}
