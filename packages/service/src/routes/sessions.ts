import { isJsonObject, serviceLimits, type Json } from '@vekkon/core';
import {
  type TransactionOutcome,
  bulkSave,
  problemDetails,
  Refusal,
  routes,
  type BulkSave,
  type JoinRequest,
  type JoinResponse,
  type LeaveResponse,
  type SaveResponse,
  type TuningTold,
} from '@vekkon/protocol';
import { digestOfSave, recordsByKey, rfc3339, type EnvironmentRow, type Joined, type Saved } from '@vekkon/store';
import type { Request, Response } from 'express';
import { deviceIn, deviceOf, type Principal } from '../access.js';
import { JsonText } from '../answers.js';
import type { PlayerSaved } from '../player-saved.js';
import { parsePart, serveRoute, type Desk } from '../serve-route.js';
import { standingsTold } from '../standings-told.js';
import { tuningPart } from '../tell-tuning.js';
import { joinOutcome, saveOutcome, told } from '../told.js';
import { newToken } from '../tokens.js';

/** Join, save, renew and leave: what a host does with a player. */
export function serveSessions(desk: Desk): void {
  serveRoute(desk, routes.join, async ({ params, body, environment, response }) =>
    joinPlayer(desk, environment(), params.player, body, null, response),
  );

  serveRoute(desk, routes.meJoin, async ({ body, environment, principal, response }) => {
    const { player, device } = deviceOf(principal);
    // Under the device, with a "/", which no game server's name can hold: nobody takes another's place.
    const named = { ...body, host: `${device}/${body.host}` };
    return joinPlayer(desk, environment(), player, named, device, response);
  });

  serveRoute(desk, routes.save, async ({ params, body, environment, principal, request }) => {
    const { session } = params;
    const about = { session, leave: false, triesFailed: triesFailedOf(request) };
    const saved = await saveOnce(desk, environment(), body, about, callerIn(principal));
    const tuning = await tunedBy(desk, environment(), session, body.tuned, saved);
    return new JsonText(saveText(desk, session, saved, tuning));
  });

  serveRoute(desk, routes.leave, async ({ params, body, environment, principal, request }) => {
    const about = { session: params.session, leave: true, triesFailed: triesFailedOf(request) };
    const saved = await saveOnce(desk, environment(), body, about, callerIn(principal));
    return new JsonText(saveText(desk, params.session, saved));
  });

  serveRoute(desk, routes.renew, async ({ params, body, environment, principal }) => {
    const { sessions, lost } = await desk.writer.do('renew', {
      environment: environment().number,
      sessions: [{ session: params.session, seen: body.seen ?? null, answered: body.answered ?? null }],
      device: deviceIn(principal),
      host: null,
    });
    const [renewed] = sessions;
    const [refused] = lost;
    if (renewed === undefined) throw new Refusal(refused?.code as 'session-unknown', refused?.detail);
    const told = await desk.sessionTunings.told(environment(), renewed.id, { read: null, has: body.tuned });
    await desk.sessionTunings.asked(environment(), renewed.id, body.asked);
    return {
      now: rfc3339(desk.clock.now()),
      seen: renewed.seen,
      records: renewed.records,
      session: sessionState(desk, renewed.id, renewed.leaseEnds),
      ...tuningPart(told),
    };
  });

  serveRoute(desk, routes.bulk, async ({ body, environment, principal, request, response }) => {
    const place = environment();
    const triesFailed = triesFailedOf(request);
    const bySession = new Map<string, [number, Json][]>();
    for (const [index, save] of body.saves.entries()) {
      const session = sessionNamedIn(save) ?? `save ${index}`;
      const saves = bySession.get(session) ?? [];
      bySession.set(session, saves);
      saves.push([index, save]);
    }
    const results: string[] = [];
    const requestId = String(response.getHeader('X-Request-Id'));
    await Promise.all(
      [...bySession.values()].map(async (saves) => {
        let isRefused = false;
        for (const [index, sent] of saves) {
          try {
            if (isRefused) throw new Refusal('save-before-refused');
            const save = parsePart(bulkSave, sent, 'the save');
            const about = { session: save.session, leave: save.leave ?? false, triesFailed };
            const saved = await saveOnce(desk, place, save, about, callerIn(principal));
            const tuning = await tunedBy(desk, place, save.session, save.tuned, saved);
            results[index] = `{"status":200,${saveText(desk, save.session, saved, tuning).slice(1)}`;
          } catch (error) {
            if (!(error instanceof Refusal)) throw error;
            isRefused = true;
            results[index] = JSON.stringify(problemDetails(error, requestId));
          }
        }
      }),
    );
    return new JsonText(`{"now":"${rfc3339(desk.clock.now())}","results":[${results.join(',')}]}`);
  });
}

/** Opens a session, for a game server's player or for the one whose device calls. */
async function joinPlayer(
  desk: Desk,
  place: EnvironmentRow,
  id: string,
  body: JoinRequest,
  device: string | null,
  response: Response,
): Promise<JoinResponse> {
  if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
  const joined = await told(desk, place, `join ${id} on ${body.host}`, joinOutcome, () =>
    joinOrWait(desk, place, id, body, device, response),
  );
  const { player } = joined;
  return {
    now: rfc3339(desk.clock.now()),
    session: {
      id: joined.session.id,
      leaseSeconds: joined.session.leaseSeconds,
      expiresAt: leaseTime(desk, joined.session.leaseEnds),
      nextSave: joined.session.nextSave,
    },
    seen: joined.seen,
    player: {
      id: player.id,
      name: player.name,
      isNew: joined.isNew,
      createdAt: rfc3339(player.created_at),
      lastLeftAt: player.last_left_at === null ? null : rfc3339(player.last_left_at),
    },
    manifest: joined.manifestVersion,
    records: recordsByKey(joined.records),
    tuning: await desk.sessionTunings.joined(place, body.host, joined, body.attributes ?? {}),
  };
}

/** Joins, and where another host holds the player, asks it to let go and waits as long as the caller said. */
async function joinOrWait(
  desk: Desk,
  place: EnvironmentRow,
  player: string,
  body: JoinRequest,
  device: string | null,
  response: Response,
): Promise<Joined> {
  const waitUntil = desk.clock.monotonic() + Math.min(body.wait ?? 0, serviceLimits.waitSeconds) * 1000;
  // From before the first look, so that no end is missed.
  const lookout = desk.handovers.lookOut(place.number, player);
  let hungUp: AbortSignal | undefined;
  try {
    for (;;) {
      const left = waitUntil - desk.clock.monotonic();
      const outcome = await desk.writer.do('join', {
        environment: place.number,
        player,
        session: newToken('session'),
        host: body.host,
        instance: body.instance ?? null,
        device,
        attempt: body.attempt ?? null,
        name: body.name ?? null,
        attributes: body.attributes ?? {},
        manifest: body.manifest ?? null,
        waits: left > 0,
        triesFailed: triesFailedOf(response.req),
      });
      if ('session' in outcome) return outcome;
      const { holder } = outcome;
      if (left <= 0) throw held(desk, holder);
      hungUp ??= hungUpSignal(response);
      // The lease may end before the wait does: then the player is free too.
      const untilLeaseEnds = Math.max(holder.leaseEnds - desk.clock.monotonic(), 0) + 1;
      const why = await lookout.wait(holder.session, Math.min(left, untilLeaseEnds), hungUp);
      if (why === 'superseded') throw new Refusal('join-superseded');
      if (why === 'hung-up') throw new Refusal('join-superseded', 'Whoever asked has hung up and is not joined.');
      if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    }
  } finally {
    lookout.end();
  }
}

/** The device that saves, and whose it is; null for a game server. */
interface SaveCaller {
  readonly device: string | null;
  readonly owner: string | null;
}

function callerIn(principal: Principal): SaveCaller {
  return principal.sort === 'device'
    ? { device: principal.device, owner: principal.player }
    : { device: null, owner: null };
}

/** How many tries the sender says have failed before this one. */
function triesFailedOf(request: Request): number {
  const said = request.get('Vekkon-Failed-Tries') ?? '';
  return /^\d{1,6}$/.test(said) ? Number(said) : 0;
}

function held(desk: Desk, holder: { readonly host: string; readonly leaseEnds: number }): Refusal {
  const leaseEndsAt = leaseTime(desk, holder.leaseEnds);
  return new Refusal(
    'player-held',
    `"${holder.host}" holds the player; its lease ends at ${leaseEndsAt} unless it is renewed. Try again then, or let the player leave there first.`,
    { holder: { host: holder.host, leaseEndsAt } },
  );
}

/** Aborted when the connection is closed before the answer, or was. */
function hungUpSignal(response: Response): AbortSignal {
  if (response.destroyed) return AbortSignal.abort();
  const controller = new AbortController();
  response.once('close', () => {
    if (!response.writableEnded) controller.abort();
  });
  return controller.signal;
}

/** The session that a save is for, whatever else it holds. */
function sessionNamedIn(save: Json): string | undefined {
  const session = isJsonObject(save) ? save['session'] : undefined;
  return typeof session === 'string' ? session : undefined;
}

/** What a save is about, beside what it holds. */
interface AboutSave {
  readonly session: string;
  readonly leave: boolean;
  readonly triesFailed: number;
}

/** The one way of every save, alone or in bulk. */
async function saveOnce(
  desk: Desk,
  place: EnvironmentRow,
  save: Omit<BulkSave, 'session' | 'leave'>,
  { session, leave, triesFailed }: AboutSave,
  { device, owner }: SaveCaller,
): Promise<Saved> {
  const { number, seen = null, answered = null, transactions } = save;
  if (number === undefined && (!leave || transactions.length > 0)) {
    throw new Refusal('request-invalid', 'A save needs its number, and so does a leave with transactions.');
  }
  const what = leave ? `leave ${session}` : `save ${number} of ${session}`;
  const saved = await told(desk, place, what, saveOutcome, () =>
    desk.writer.do('save', {
      environment: place.number,
      session,
      device,
      owner,
      number: number ?? null,
      seen,
      answered,
      transactions,
      leave,
      triesFailed,
      digest: digestOfSave(transactions, leave),
    }),
  );
  // The one way of every save: whoever counts or watches is told here.
  const done = playerSaved(place, leave, saved);
  desk.overview.saved(done);
  desk.operatorStreams.saved(done);
  return saved;
}

function playerSaved({ number: environment }: EnvironmentRow, isLeave: boolean, saved: Saved): PlayerSaved {
  const { player, host, isAgain, outcome } = saved;
  // Most outcomes hold no refusal, and need not be read for one.
  const mayRefuse = !isAgain && outcome.includes('"applied":false');
  const { transactions } = (mayRefuse ? JSON.parse(outcome) : { transactions: [] }) as {
    transactions: TransactionOutcome[];
  };
  const refused = transactions.flatMap((one) => (one.applied ? [] : [one.problem.code]));
  return { environment, player, host, refused, isLeave, isAgain };
}

function leaseTime({ clock }: Desk, leaseEnds: number): string {
  return rfc3339(clock.now() + leaseEnds - clock.monotonic());
}

function sessionState(desk: Desk, session: string, leaseEnds: number): SaveResponse['session'] {
  return { expiresAt: leaseTime(desk, leaseEnds), handoverWanted: desk.handovers.isWanted(session) };
}

/** What the session of a save gets from now on, where that is another than it was told. */
async function tunedBy(
  desk: Desk,
  place: EnvironmentRow,
  session: string,
  tuned: BulkSave['tuned'],
  { attributes, endedAt }: Saved,
): Promise<TuningTold | undefined> {
  return endedAt === null ? desk.sessionTunings.told(place, session, { read: attributes, has: tuned }) : undefined;
}

/** The stored outcome is sent as the text that it is, so that a repeated save gets the same bytes. */
function saveText(
  desk: Desk,
  id: string,
  { outcome, results, leaseEnds, endedAt }: Saved,
  tuning?: TuningTold,
): string {
  const session: SaveResponse['session'] | LeaveResponse['session'] =
    leaseEnds === null
      ? { endedAt: rfc3339(endedAt ?? 0), expiresAt: rfc3339(endedAt ?? 0), handoverWanted: false }
      : sessionState(desk, id, leaseEnds);
  const standings = results.length === 0 ? '' : `,"standings":${JSON.stringify(standingsTold(desk.boards, results))}`;
  const told = tuning === undefined ? '' : `,"tuning":${JSON.stringify(tuning)}`;
  return `{"now":"${rfc3339(desk.clock.now())}",${outcome.slice(1, -1)},"session":${JSON.stringify(session)}${standings}${told}}`;
}
