import type { GiftAudience } from '@vekkon/protocol';
import type { LongReads } from '@vekkon/store';

/** How many are read at a time. */
const playersAtATime = 200;

/** Some of those who are meant, and what to ask with for the next ones. */
export interface SomePlayers {
  readonly ids: readonly string[];
  /** How many there are in all; where counting stopped, at least so many. */
  readonly total: number;
  readonly isCapped: boolean;
  readonly next: string | null;
}

/** Those who are meant: everybody, those that are found, or those that are named; some at a time. */
export async function somePlayers(
  reads: LongReads,
  environment: number,
  audience: GiftAudience,
  after: string | undefined,
): Promise<SomePlayers> {
  if ('players' in audience) {
    const from = Number(after ?? 0);
    const ids = audience.players.slice(from, from + playersAtATime);
    const end = from + ids.length;
    const next = end < audience.players.length ? String(end) : null;
    return { ids, total: audience.players.length, isCapped: false, next };
  }
  if ('everybody' in audience) {
    const { total, isCapped } = await reads.playersPage(environment, 1);
    const rows = await reads.everybody(environment, Number(after ?? 0), playersAtATime);
    const last = rows.at(-1)?.number;
    const next = rows.length === playersAtATime && last !== undefined ? String(last) : null;
    return { ids: rows.map(({ id }) => id), total, isCapped, next };
  }
  const { search, inSession, hasUnsettled, joinedSince } = audience.found;
  const filters = {
    inSession,
    hasUnsettled,
    joinedSince: joinedSince === undefined ? undefined : Date.parse(joinedSince),
  };
  const page = await (search === undefined
    ? reads.playersPage(environment, playersAtATime, after, filters)
    : reads.playersFound(environment, search, playersAtATime, after, filters));
  return { ids: page.players.map(({ id }) => id), total: page.total, isCapped: page.isCapped, next: page.next };
}

/** All who are meant, one after the other. */
export async function* playersFor(
  reads: LongReads,
  environment: number,
  audience: GiftAudience,
): AsyncGenerator<string> {
  for (let after: string | null | undefined; after !== null;) {
    const some: SomePlayers = await somePlayers(reads, environment, audience, after);
    yield* some.ids;
    after = some.next;
  }
}
