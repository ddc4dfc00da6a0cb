import { Refusal, routes, type LeaveResponse, type SaveResponse, type TransactionOutcome } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow, type Joined, type Saved } from '@vekkon/store';
import type { IRouter } from 'express';
import { recordsByKey } from '../records-by-key.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { newToken } from '../tokens.js';

/** Join, save and leave: what a host does with a player. */
export function serveSessions(router: IRouter, desk: Desk): void {
  serveRoute(router, desk, routes.join, async ({ params, body, environment }) => {
    const place = await environment();
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    const joined = await told(desk, place, `join ${params.player} on ${body.host}`, joinOutcome, () =>
      desk.writer.do('join', {
        environment: place.number,
        player: params.player,
        session: newToken('session'),
        host: body.host,
        instance: body.instance ?? null,
        attempt: body.attempt ?? null,
        name: body.name ?? null,
        attributes: body.attributes ?? {},
      }),
    );
    const now = desk.clock.now();
    const { player, manifest } = joined;
    return {
      now: rfc3339(now),
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
      records: recordsByKey(joined.records),
      tuning: {
        edition: 0,
        values: Object.fromEntries(
          Object.entries(manifest.rules.manifest.tunables).map(([name, { starting }]) => [name, starting]),
        ),
        nextChangeAt: null,
      },
    };
  });

  serveRoute(router, desk, routes.save, async ({ params, body, environment, response }) => {
    const place = await environment();
    const saved = await told(desk, place, `save ${body.number} of ${params.session}`, saveOutcome, () =>
      desk.writer.do('save', {
        environment: place.number,
        session: params.session,
        number: body.number,
        seen: body.seen ?? null,
        transactions: body.transactions,
        leave: false,
      }),
    );
    const expiresAt = saved.leaseEnds === null ? rfc3339(saved.endedAt ?? 0) : leaseTime(desk, saved.leaseEnds);
    sendOutcome(response, desk, saved, { expiresAt, handoverWanted: false } satisfies SaveResponse['session']);
    return undefined;
  });

  serveRoute(router, desk, routes.leave, async ({ params, body, environment, response }) => {
    const place = await environment();
    if (body.number === undefined && body.transactions.length > 0) {
      throw new Refusal('request-invalid', 'A leave with transactions is a save too: give it the next number.');
    }
    const saved = await told(desk, place, `leave ${params.session}`, saveOutcome, () =>
      desk.writer.do('save', {
        environment: place.number,
        session: params.session,
        number: body.number ?? null,
        seen: body.seen ?? null,
        transactions: body.transactions,
        leave: true,
      }),
    );
    const session: LeaveResponse['session'] = { endedAt: rfc3339(saved.endedAt ?? desk.clock.now()) };
    sendOutcome(response, desk, saved, session);
    return undefined;
  });
}

function leaseTime({ clock }: Desk, leaseEnds: number): string {
  return rfc3339(clock.now() + leaseEnds - clock.monotonic());
}

/** The stored outcome is sent as the text that it is, so that a repeated save gets the same bytes. */
function sendOutcome(
  response: import('express').Response,
  { clock }: Desk,
  { outcome }: Saved,
  session: SaveResponse['session'] | LeaveResponse['session'],
): void {
  response.type('application/json');
  response.send(`{"now":"${rfc3339(clock.now())}",${outcome.slice(1, -1)},"session":${JSON.stringify(session)}}`);
}

/**
 * Tells the log of a join, a save or a leave and how it went, in one plain
 * line; in a live environment only where somebody asks for that much.
 */
async function told<T>(
  { log }: Desk,
  environment: EnvironmentRow,
  what: string,
  outcomeOf: (result: T) => string,
  work: () => Promise<T>,
): Promise<T> {
  const level = environment.is_live === 1 ? 'debug' : 'info';
  try {
    const result = await work();
    log[level](`${what}: ${outcomeOf(result)}`);
    return result;
  } catch (error) {
    if (error instanceof Refusal) log[level](`${what}: refused, ${error.code}. ${error.detail}`);
    throw error;
  }
}

function joinOutcome({ isNew, records, session, ended }: Joined): string {
  const found = isNew ? 'a new player, starting values made' : `${records.size} records loaded`;
  const before = ended === null ? '' : `; the session on ${ended.host} was ended (${ended.end})`;
  return `${found}, ${session.id}${before}`;
}

function saveOutcome({ outcome, isAgain, player, host }: Saved): string {
  const { transactions } = JSON.parse(outcome) as { transactions: TransactionOutcome[] };
  const refused = transactions.filter((one) => !one.applied);
  const reasons = refused.map((one) => one.problem.code).join(', ');
  const applied = `${transactions.length - refused.length} of ${transactions.length} transactions applied`;
  const again = isAgain ? ', sent again: same answer' : '';
  return `${player} on ${host}, ${applied}${reasons === '' ? '' : `, refused: ${reasons}`}${again}`;
}
