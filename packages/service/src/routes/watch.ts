import { Refusal, routes, type Overview } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow } from '@vekkon/store';
import { readerOf } from '../access.js';
import { topics, type Topic } from '../operator-streams.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** How many turns of seasons are shown. */
const mostTurns = 10;

/** What operators watch: the activity, the overview, and a stream of news of both. */
export function serveWatch(desk: Desk): void {
  const { reader, operatorStreams } = desk;

  serveRoute(desk, routes.activity, async ({ query, environment }) => {
    const { count, before, after, since, until, failed, ...filters } = query;
    const times = {
      since: since === undefined ? undefined : Date.parse(since),
      until: until === undefined ? undefined : Date.parse(until),
    };
    const asked = { ...filters, ...times, failed: failed === 'true' };
    const { rows, next } = await reader.activity.page(environment().number, count, asked, { before, after });
    return {
      activity: rows.map(({ number, at, what, by, player, detail }) => ({
        number,
        at: rfc3339(at),
        what,
        by,
        player,
        detail,
      })),
      next,
    };
  });

  serveRoute(desk, routes.overview, async ({ environment }) => overviewOf(desk, environment()));

  serveRoute(desk, routes.operatorStream, async ({ query, environment, principal, response }) => {
    const { number } = environment();
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    const asked = query.topics.split(',').filter((one) => one !== '');
    const other = asked.find((one) => !(topics as readonly string[]).includes(one));
    if (other !== undefined) {
      throw new Refusal(
        'request-invalid',
        `In the query: there are the topics ${topics.join(', ')}, and no "${other}".`,
      );
    }
    const { player } = query;
    const reading = { ...readerOf(principal, response), environment: number };
    operatorStreams.watch({ ...reading, topics: new Set(asked as Topic[]), player });
    return undefined;
  });
}

/** How the game goes now. */
export async function overviewOf(
  desk: Pick<Desk, 'reader' | 'clock' | 'overview' | 'boards' | 'tunings' | 'disturbances' | 'disk'>,
  place: EnvironmentRow,
): Promise<Overview> {
  const { reader, clock } = desk;
  const now = clock.now();
  const [{ lastDay, players, steps }, unsettled, disk, ready] = await Promise.all([
    desk.overview.counted(place.number, reader.overview),
    reader.unsettled.sums(place.number),
    desk.disk(),
    desk.tunings.of(place).catch(() => undefined),
  ]);
  const edge = ready?.running.nextEdge(now) ?? null;
  const reasons = new Map<string, number>();
  for (const { reason, transactions } of unsettled.sums) {
    reasons.set(reason, (reasons.get(reason) ?? 0) + transactions);
  }
  const all = [
    { step: 'A manifest is installed', done: place.manifest_version !== null },
    { step: 'A player has joined', done: steps.joined },
    { step: 'A save has arrived', done: steps.saved },
    { step: 'A player has left', done: steps.left },
    { step: 'A join has found what was stored before', done: steps.foundAgain },
  ];
  return {
    now: rfc3339(now),
    ...desk.overview.of(place.number),
    lastDay,
    players,
    turns: turnsOf(desk.boards.openSeasons(place.number)),
    nextWindow: edge === null ? null : rfc3339(edge),
    unsettled: {
      transactions: unsettled.transactions,
      reasons: [...reasons]
        .map(([reason, count]) => ({ reason, count }))
        .toSorted((one, other) => other.count - one.count),
    },
    disk,
    disturbance: desk.disturbances.show(place.number),
    firstSteps: all.every(({ done }) => done) ? null : all,
  };
}

function turnsOf(
  seasons: readonly { readonly board: string; readonly season: number; readonly turnsAt: number | null }[],
) {
  return seasons
    .flatMap(({ board, season, turnsAt }) => (turnsAt === null ? [] : [{ board, season, turnsAt }]))
    .toSorted((one, other) => one.turnsAt - other.turnsAt)
    .slice(0, mostTurns)
    .map(({ board, season, turnsAt }) => ({ board, season, turnsAt: rfc3339(turnsAt) }));
}
