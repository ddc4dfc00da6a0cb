import { Refusal, routes, type DealtWith, type UnsettledTransaction } from '@vekkon/protocol';
import type { Transaction } from '@vekkon/core';
import { rfc3339, type EnvironmentRow, type UnsettledFilters, type UnsettledOfPlayer } from '@vekkon/store';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** How many one call deals with, and how many at a time: between them others have their turn. */
const mostACall = 500;
const atATime = 25;

/** What came too late or was refused after the game was told that it would hold: listed, settled, dropped. */
export function serveUnsettled(desk: Desk): void {
  const { reader, writer } = desk;

  serveRoute(desk, routes.unsettled, async ({ query, environment }) => {
    const { number } = environment();
    const filters = filtersIn(query);
    const { unlike, transactions, isCapped } = await reader.unsettled.count(number, filters);
    const { rows, next } = await reader.unsettled.page(number, filters, query.count, query.after);
    return { total: unlike, transactions, isCapped, unsettled: rows.map(shown), next };
  });

  serveRoute(desk, routes.unsettledSummary, async ({ environment }) => {
    const { unlike, transactions, sums, players } = await reader.unsettled.sums(environment().number);
    return {
      total: unlike,
      transactions,
      sums: sums.map(({ host, ...sum }) => ({ ...sum, host: host === '' ? null : host })),
      players: players.map(({ id, ...held }) => ({ player: id, ...held })),
    };
  });

  serveRoute(desk, routes.settle, async ({ params, environment, principal }) => {
    await settleOne(desk, environment(), params.unsettled, nameOf(principal));
    return { settled: params.unsettled };
  });

  serveRoute(desk, routes.drop, async ({ params, environment, principal }) => {
    const { number } = environment();
    await writer.do('drop', { environment: number, id: params.unsettled, by: nameOf(principal) });
    return { dropped: params.unsettled };
  });

  serveRoute(desk, routes.settleMany, async ({ body, environment, principal }) => {
    const place = environment();
    return dealWithMany(desk, place, body, (id) => settleOne(desk, place, id, nameOf(principal)));
  });

  serveRoute(desk, routes.dropMany, async ({ body, environment, principal }) => {
    const place = environment();
    const by = nameOf(principal);
    return dealWithMany(desk, place, body, (id) => writer.do('drop', { environment: place.number, id, by }));
  });
}

async function settleOne(desk: Desk, place: EnvironmentRow, id: string, by: string): Promise<void> {
  await desk.writer.do('settle', { environment: place.number, id, by });
}

interface Which extends Omit<UnsettledFilters, 'since' | 'until'> {
  readonly since?: string | undefined;
  readonly until?: string | undefined;
}

/** Deals with those that the filters mean, or only says which they are. */
async function dealWithMany(
  { reader }: Desk,
  { number }: EnvironmentRow,
  body: Which & { readonly dryRun: boolean; readonly after?: string | undefined },
  deal: (id: string) => Promise<unknown>,
): Promise<DealtWith> {
  const filters = filtersIn(body);
  const { unlike: found, transactions, isCapped } = await reader.unsettled.count(number, filters);
  const counted = { found, transactions, isCapped };
  if (body.dryRun) {
    const { rows } = await reader.unsettled.page(number, filters, 5);
    return { ...counted, examples: rows.map(shown), done: 0, refused: [], next: null };
  }
  const { rows, next } = await reader.unsettled.page(number, filters, mostACall, body.after);
  const refused: DealtWith['refused'] = [];
  let done = 0;
  for (let start = 0; start < rows.length; start += atATime) {
    const some = rows.slice(start, start + atATime);
    const ends = await Promise.allSettled(some.map(({ id }) => deal(id)));
    for (const [index, end] of ends.entries()) {
      const { id = '', player_id: player = '' } = some[index] ?? {};
      if (end.status === 'fulfilled') done++;
      else if (!(end.reason instanceof Refusal)) throw end.reason;
      // Somebody else dealt with it meanwhile.
      else if (end.reason.code !== 'unsettled-unknown') {
        refused.push({ id, player, code: end.reason.code, detail: end.reason.detail });
      }
    }
  }
  return { ...counted, examples: [], done, refused, next };
}

function filtersIn({ player, host, reason, since, until }: Which): UnsettledFilters {
  const timeOf = (text: string | undefined) => (text === undefined ? undefined : Date.parse(text));
  return { player, host, reason, since: timeOf(since), until: timeOf(until) };
}

function shown(row: UnsettledOfPlayer): UnsettledTransaction {
  return {
    id: row.id,
    player: row.player_id,
    at: rfc3339(row.last_at),
    firstAt: rfc3339(row.first_at),
    count: row.count,
    session: row.session,
    host: row.host,
    number: row.save_number,
    reason: row.reason,
    detail: row.detail,
    transaction: JSON.parse(row.content) as Transaction & { changes: never[] },
  };
}
