import { checkValue, limits, type Json } from '@vekkon/core';
import { Refusal, routes, playerLine, type PlayerLine } from '@vekkon/protocol';
import type { EnvironmentRow, ImportLine, ImportOutcome } from '@vekkon/store';
import { nameOf } from '../access.js';
import { JsonPieces } from '../answers.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** How many players are read at a time, and how many are taken in: others get their turn in between. */
const readAtATime = 100;
const takenAtATime = 10;

/** Players that go elsewhere, or come from there. */
export function serveTransfer(desk: Desk): void {
  const { reader, longReads, longTurns, writer } = desk;

  serveRoute(desk, routes.exportPlayers, async ({ query, environment, principal, response }) => {
    const place = environment();
    await reader.manifests.newestOf(place);
    const by = nameOf(principal);
    response.set('Content-Type', 'application/x-ndjson; charset=utf-8');
    if (query.player !== undefined) {
      const line = await reader.transfer.one(place, query.player);
      if (line === undefined) throw new Refusal('player-unknown');
      await noteExport(place, by, query.player, 'their records');
      return new JsonPieces(one(`${line}\n`));
    }
    await noteExport(place, by, null, 'every player');
    return new JsonPieces(lines(place, by, query.after ?? ''));
  });

  serveRoute(desk, routes.importPlayers, async ({ body, environment, principal }) => {
    const place = environment();
    await reader.manifests.newestOf(place);
    const { existing, revive: revives, dryRun } = body;
    const by = nameOf(principal);
    const read = body.lines.map(lineFrom);
    const outcomes = new Map<number, ImportOutcome>();
    const fit = read.flatMap((line, index) => {
      if ('problem' in line) outcomes.set(index, { outcome: 'refused', problem: line.problem });
      return 'problem' in line ? [] : [{ line, index }];
    });
    for (let from = 0; from < fit.length; from += takenAtATime) {
      const some = fit.slice(from, from + takenAtATime);
      const taken = some.map(({ line }) => line);
      const done = dryRun
        ? await longTurns.take(by, () => longReads.lookAtImport(place, taken, existing, revives))
        : await writer.do('importPlayers', { environment: place.number, lines: taken, existing, revives, by });
      for (const [position, outcome] of done.entries()) outcomes.set(some[position]?.index ?? -1, outcome);
    }
    return {
      results: read.map((_, index) => {
        const { outcome, problem } = outcomes.get(index) ?? { outcome: 'refused' as const };
        if (problem === undefined) return { outcome };
        const { code, detail, key } = problem;
        return { outcome, code, detail: key === undefined || detail.includes(key) ? detail : `${key}: ${detail}` };
      }),
    };
  });

  async function* lines(place: EnvironmentRow, by: string, from: string): AsyncGenerator<string> {
    for (let after: string | null = from; after !== null;) {
      const start: string = after;
      const page = await longTurns.take(by, () => longReads.exportPage(place, start, readAtATime));
      if (page.lines.length > 0) yield `${page.lines.join('\n')}\n`;
      after = page.next;
    }
  }

  function noteExport({ number }: EnvironmentRow, by: string, player: string | null, detail: string): Promise<null> {
    return writer.do('note', { environment: number, what: 'exported', by, player, detail });
  }
}

async function* one(text: string): AsyncGenerator<string> {
  yield text;
}

/** A line as it is to be taken in, or what is wrong with it. */
function lineFrom(given: Json): ImportLine | { readonly problem: { readonly code: string; readonly detail: string } } {
  const unfit = checkValue(given, limits.jsonDepth + 2);
  if (unfit !== undefined) return { problem: { code: unfit.code, detail: unfit.detail } };
  const parsed = playerLine.safeParse(given);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    const where = issue === undefined || issue.path.length === 0 ? '' : `${issue.path.join('/')}: `;
    return { problem: { code: 'request-invalid', detail: `${where}${issue?.message ?? 'it is not a player'}` } };
  }
  const { player, name = null, records, ...times } = parsed.data;
  return {
    player,
    name,
    records,
    createdAt: timeFrom(times.createdAt),
    firstJoinedAt: timeFrom(times.firstJoinedAt),
    lastJoinedAt: timeFrom(times.lastJoinedAt),
    lastLeftAt: timeFrom(times.lastLeftAt),
  };
}

function timeFrom(time: PlayerLine['createdAt']): number | null {
  return time === null || time === undefined ? null : Date.parse(time);
}
